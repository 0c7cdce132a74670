#include "app/draft/Inspector.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"

namespace anhinga {

namespace {

void markProperty(QWidget* w, const char* name, bool on) {
    if (w->property(name).toBool() == on) return;
    w->setProperty(name, on);
    w->style()->unpolish(w);
    w->style()->polish(w);
}

}  // namespace

Inspector::Inspector(PlanSession* session, QWidget* parent) : QScrollArea(parent), session_(session) {
    setObjectName("inspector");
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    connect(session_, &PlanSession::planChanged, this, &Inspector::refresh);
    connect(session_, &PlanSession::selectionChanged, this, &Inspector::refresh);
    connect(session_, &PlanSession::derivedChanged, this, &Inspector::refresh);
    rebuild();
}

QString Inspector::structure() const {
    QString s;
    for (const ItemId id : session_->selection()) {
        s += QString::number(id) + ":";
        if (const Item* item = session_->plan()->find(id)) {
            s += QString::number(static_cast<int>(item->kind)) + (item->spline ? "c" : "");
            if (effectiveHeight(*session_->plan(), *item).ref == HeightRef::ground) s += "g";
            if (isPattern(item->kind))
                s += QString("p%1%2").arg(int(item->pattern->makes)).arg(int(item->pattern->when));
            for (const Action& a : item->actions) s += QString("a%1").arg(a.index());
        }
        if (const Fence* f = session_->plan()->findFence(id)) s += f->isCircle() ? "circle" : "";
        if (const Obstacle* o = session_->plan()->findObstacle(id)) s += QString::number(static_cast<int>(o->kind));
        s += ";";
    }
    return s + (session_->plan()->home ? "h" : "");
}

void Inspector::refresh() {
    if (structure() != built_) return rebuild();
    const Plan& plan = *session_->plan();
    for (const Field& f : fields_) {
        if (f.edit->hasFocus() && f.edit->isModified()) continue;
        const Shown shown = f.get(plan);
        if (f.edit->text() != shown.text) f.edit->setText(shown.text);
        markProperty(f.edit, "inherited", shown.inherited);
    }
    for (const Note& n : notes_) {
        const QString text = inUnits(n.get(plan).text);
        n.label->setText(text);
        n.label->setVisible(!text.isEmpty());
    }
    for (const RefBox& r : refs_)
        if (const Item* item = plan.find(r.id)) {
            const QSignalBlocker quiet(r.box);
            r.box->setCurrentIndex(static_cast<int>(effectiveHeight(plan, *item).ref));
        }
    for (const Choice& c : choices_) {
        const QSignalBlocker quiet(c.box);
        c.box->setCurrentIndex(c.get(plan));
    }
    for (const Toggle& t : toggles_) {
        const QSignalBlocker quiet(t.box);
        t.box->setChecked(t.get(plan));
    }
}

void Inspector::rebuild() {
    built_ = structure();
    fields_.clear();
    notes_.clear();
    refs_.clear();
    choices_.clear();
    toggles_.clear();
    auto* page = new QWidget;
    column_ = new QVBoxLayout(page);
    column_->setContentsMargins(14, 12, 14, 12);
    column_->setSpacing(7);
    std::vector<ItemId> items;
    ItemId other = 0;
    std::vector<ItemId> all;
    bool home = false;
    for (const ItemId id : session_->selection()) {
        if (id == kHomeId)
            home = true;
        else if (session_->plan()->find(id) != nullptr)
            items.push_back(id);
        else
            other = id;
        all.push_back(id);
    }
    if (items.size() == 1 && all.size() == 1)
        buildItem(items[0]);
    else if (all.size() > 1)
        buildSeveral(items, all);
    else if (other != 0)
        buildOther(other);
    else if (home)
        buildHome();
    else
        buildPlan();
    column_->addStretch();
    // What was changed may stand on the page that goes: it is not deleted within its own signal.
    if (QWidget* before = takeWidget()) {
        before->setParent(nullptr);
        before->deleteLater();
    }
    setWidget(page);
    refresh();
}

void Inspector::title(const QString& text, const Getter& side) {
    auto* row = new QHBoxLayout;
    auto* name = new QLabel(text);
    name->setFont(uiFont(11, true));
    name->setObjectName("inspectorTitle");
    row->addWidget(name);
    row->addStretch();
    auto* quiet = new QLabel;
    quiet->setProperty("quiet", true);
    row->addWidget(quiet);
    notes_.push_back({quiet, side});
    column_->addLayout(row);
}

void Inspector::note(const Getter& get) {
    auto* label = new QLabel;
    label->setWordWrap(true);
    label->setProperty("quiet", true);
    notes_.push_back({label, get});
    column_->addWidget(label);
}

namespace {
QString refusedText(const QString& label, const QString& typed, const QString& low, const QString& high) {
    return QString("%1: \"%2\" is not taken; a number from %3 to %4 is. It stays as it was.")
        .arg(label, typed.trimmed().left(30), low, high);
}
}  // namespace

void Inspector::textField(const QString& label, const Getter& get,
                          const std::function<void(Plan&, const QString&)>& set, const QString& undo_name,
                          const std::function<QString(const QString&)>& wrong) {
    auto* row = new QHBoxLayout;
    auto* name = new QLabel(label);
    name->setFixedWidth(98);
    name->setProperty("quiet", true);
    auto* edit = new QLineEdit;
    edit->setObjectName("field " + label);
    row->addWidget(name);
    row->addWidget(edit);
    column_->addLayout(row);
    fields_.push_back({edit, get});
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, set, undo_name, wrong] {
        if (!edit->isModified()) return;
        edit->setModified(false);
        const QString text = edit->text();
        if (const QString why = wrong ? wrong(text) : QString(); !why.isEmpty()) {
            refresh();
            emit message(why);
            return;
        }
        session_->edit(undo_name, [&](Plan& plan) { set(plan, text); });
        refresh();
    });
}

void Inspector::number(const QString& label, const QString& unit, double low, double high, const Getter& get,
                       const Setter& set, const QString& undo_name) {
    const Getter with_unit = [get, unit](const Plan& plan) {
        Shown s = get(plan);
        bool is_number = false;
        const double si = s.text.toDouble(&is_number);
        if (is_number) s.text = shownNumber(si, unit, unit.isEmpty() ? 2 : 1);
        return s;
    };
    textField(
        label, with_unit,
        [set, unit, low, high](Plan& plan, const QString& text) {
            if (text.trimmed().isEmpty()) return set(plan, std::nullopt);  // back to the plan's default
            const auto v = typedNumber(text, unit);
            if (v && *v >= low && *v <= high) set(plan, *v);
        },
        undo_name,
        [label, unit, low, high](const QString& text) {
            const auto v = typedNumber(text, unit);
            if (text.trimmed().isEmpty() || (v && *v >= low && *v <= high)) return QString();
            return refusedText(label, text, shownNumber(low, unit), shownNumber(high, unit));
        });
    fields_.back().edit->setToolTip(
        QString("%1 to %2; empty for the plan's value").arg(shownNumber(low, unit), shownNumber(high, unit)));
}

void Inspector::positionField(const std::function<std::optional<GeoPoint>(const Plan&)>& get,
                              const std::function<void(Plan&, GeoPoint)>& set) {
    textField(
        "Position",
        [get](const Plan& p) {
            const auto place = get(p);
            return Shown{place ? shownCoordinate(*place) : QString()};
        },
        [set](Plan& p, const QString& t) {
            if (const auto place = parseCoordinate(t.toStdString())) set(p, *place);
        },
        "Move",
        [](const QString& t) {
            if (parseCoordinate(t.toStdString())) return QString();
            return QString(
                       "Position: \"%1\" is no place; write decimal degrees, degrees minutes seconds, UTM or MGRS. "
                       "It stays as it was.")
                .arg(t.left(30));
        });
    fields_.back().edit->setToolTip("Decimal degrees, degrees minutes seconds, UTM or MGRS");
    fields_.back().edit->setCursorPosition(0);
}

void Inspector::heightField(const std::vector<ItemId>& ids) {
    auto* row = new QHBoxLayout;
    auto* name = new QLabel("Height");
    name->setFixedWidth(98);
    name->setProperty("quiet", true);
    auto* edit = new QLineEdit;
    edit->setObjectName("field Height");
    auto* ref = new QComboBox;
    ref->setObjectName("field Height reference");
    ref->addItems({"home", "AMSL", "ground"});
    ref->setToolTip(
        "What the height is measured from. Choosing another keeps the aircraft where it is; hold Shift to keep the "
        "number");
    row->addWidget(name);
    row->addWidget(edit, 1);
    row->addWidget(ref);
    column_->addLayout(row);
    fields_.push_back({edit, [ids](const Plan& plan) {
                           std::optional<double> same;
                           bool inherited = true;
                           for (const ItemId id : ids)
                               if (const Item* item = plan.find(id)) {
                                   const double v = effectiveHeight(plan, *item).value_m;
                                   if (same && *same != v) return Shown{"several", false};
                                   same = v;
                                   inherited &= !item->height.has_value();
                               }
                           return Shown{same ? shownNumber(*same, kHeightUnit) : QString(), inherited};
                       }});
    if (!ids.empty()) refs_.push_back({ref, ids.front()});
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, ids] {
        if (!edit->isModified()) return;
        edit->setModified(false);
        const QString text = edit->text().trimmed();
        const auto v = typedNumber(text, kHeightUnit);
        constexpr double kMost_m = 20000;
        if (!text.isEmpty() && !(v && std::abs(*v) < kMost_m)) {
            refresh();
            emit message(
                refusedText("Height", text, shownNumber(-kMost_m, kHeightUnit), shownNumber(kMost_m, kHeightUnit)));
            return;
        }
        session_->edit("Change height", [&](Plan& plan) {
            for (const ItemId id : ids)
                if (Item* item = plan.find(id)) {
                    if (text.isEmpty())
                        item->height.reset();
                    else
                        item->height = Height{*v, effectiveHeight(plan, *item).ref};
                }
        });
        refresh();
    });
    connect(ref, &QComboBox::activated, this, [this, ids](int index) {
        const auto to = static_cast<HeightRef>(index);
        const bool keep_number = (QApplication::keyboardModifiers() & Qt::ShiftModifier) != 0;
        session_->edit("Change height reference", [&](Plan& plan) {
            for (const ItemId id : ids)
                if (Item* item = plan.find(id)) {
                    const Height now = effectiveHeight(plan, *item);
                    const GeoPoint place = hasPosition(item->kind) ? item->position
                                           : item->pattern->outline.empty()
                                               ? (plan.home ? plan.home->position : GeoPoint{})
                                               : item->pattern->outline.front();
                    const auto same_place = converted(plan, session_->terrain().get(), place, now, to);
                    if (keep_number)
                        item->height = Height{now.value_m, to};
                    else if (same_place)
                        item->height = Height{std::round(same_place->value_m * 10) / 10, to};
                }
        });
        refresh();
    });
}

}  // namespace anhinga

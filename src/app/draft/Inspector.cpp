#include "app/draft/Inspector.h"

#include <QtWidgets>

#include "app/draft/Itinerary.h"
#include "core/base/Text.h"
#include "core/pattern/BlockPattern.h"

namespace anhinga {

namespace {

QString num(double v, int decimals = 1) {
    QString s = QString::number(v, 'f', decimals);
    if (s.contains('.')) {
        while (s.endsWith('0')) s.chop(1);
        if (s.endsWith('.')) s.chop(1);
    }
    return s;
}

void markProperty(QWidget* w, const char* name, bool on) {
    if (w->property(name).toBool() == on) return;
    w->setProperty(name, on);
    w->style()->unpolish(w);
    w->style()->polish(w);
}

/// Metres for a typed number with an optional unit: "60", "60 m", "200 ft".
std::optional<double> typedNumber(QString text, const QString& unit) {
    text = text.trimmed().replace(',', '.');
    double factor = 1;
    if (text.endsWith(unit) && !unit.isEmpty())
        text.chop(unit.size());
    else if (unit == "m" && text.endsWith("ft")) {
        text.chop(2);
        factor = 0.3048;
    } else if (unit == "m/s" && text.endsWith("kt")) {
        text.chop(2);
        factor = 1852.0 / 3600;
    } else if (unit == "m/s" && text.endsWith("km/h")) {
        text.chop(4);
        factor = 1 / 3.6;
    }
    const auto v = parseNumber(text.trimmed().toStdString());
    return v ? std::optional(*v * factor) : std::nullopt;
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
            s += QString::number(static_cast<int>(item->kind));
            for (const Action& a : item->actions) s += QString("a%1").arg(a.index());
        }
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
        const QString text = n.get(plan).text;
        n.label->setText(text);
        n.label->setVisible(!text.isEmpty());
    }
    for (const RefBox& r : refs_)
        if (const Item* item = plan.find(r.id)) {
            const QSignalBlocker quiet(r.box);
            r.box->setCurrentIndex(static_cast<int>(effectiveHeight(plan, *item).ref));
        }
}

void Inspector::rebuild() {
    built_ = structure();
    fields_.clear();
    notes_.clear();
    refs_.clear();
    auto* page = new QWidget;
    column_ = new QVBoxLayout(page);
    column_->setContentsMargins(14, 12, 14, 12);
    column_->setSpacing(7);
    std::vector<ItemId> items;
    ItemId fence = 0;
    bool home = false;
    for (const ItemId id : session_->selection()) {
        if (id == kHomeId)
            home = true;
        else if (session_->plan()->find(id) != nullptr)
            items.push_back(id);
        else
            fence = id;
    }
    if (items.size() == 1)
        buildItem(items[0]);
    else if (items.size() > 1)
        buildSeveral(items);
    else if (fence != 0)
        buildFence(fence);
    else if (home)
        buildHome();
    else
        buildPlan();
    column_->addStretch();
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

void Inspector::textField(const QString& label, const Getter& get,
                          const std::function<void(Plan&, const QString&)>& set, const QString& undo_name) {
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
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, set, undo_name] {
        if (!edit->isModified()) return;
        edit->setModified(false);
        const QString text = edit->text();
        session_->edit(undo_name, [&](Plan& plan) { set(plan, text); });
        refresh();
    });
}

void Inspector::number(const QString& label, const QString& unit, double low, double high, const Getter& get,
                       const Setter& set, const QString& undo_name) {
    const Getter with_unit = [get, unit](const Plan& plan) {
        Shown s = get(plan);
        if (!s.text.isEmpty() && !unit.isEmpty() && s.text != "several") s.text += " " + unit;
        return s;
    };
    textField(
        label, with_unit,
        [set, unit, low, high](Plan& plan, const QString& text) {
            if (text.trimmed().isEmpty()) return set(plan, std::nullopt);  // back to the plan's default
            const auto v = typedNumber(text, unit);
            if (v && *v >= low && *v <= high) set(plan, *v);
        },
        undo_name);
    fields_.back().edit->setToolTip(
        QString("%1 to %2 %3; empty for the plan's value").arg(num(low)).arg(num(high)).arg(unit));
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
                           return Shown{same ? num(*same) + " m" : QString(), inherited};
                       }});
    if (!ids.empty()) refs_.push_back({ref, ids.front()});
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, ids] {
        if (!edit->isModified()) return;
        edit->setModified(false);
        const QString text = edit->text().trimmed();
        const auto v = typedNumber(text, "m");
        session_->edit("Change height", [&](Plan& plan) {
            for (const ItemId id : ids)
                if (Item* item = plan.find(id)) {
                    if (text.isEmpty())
                        item->height.reset();
                    else if (v && std::abs(*v) < 20000)
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
                                           : item->block.outline.empty()
                                               ? (plan.home ? plan.home->position : GeoPoint{})
                                               : item->block.outline.front();
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

void Inspector::buildPlan() {
    title("Plan", [](const Plan& p) { return Shown{QString("%1 items").arg(p.items.size())}; });
    textField(
        "Title", [](const Plan& p) { return Shown{QString::fromStdString(p.title)}; },
        [](Plan& p, const QString& t) { p.title = t.toStdString(); }, "Rename plan");
    const auto field = [&](const char* label, const char* unit, double low, double high, auto member) {
        number(
            label, unit, low, high, [member](const Plan& p) { return Shown{num(const_cast<Plan&>(p).*member)}; },
            [member](Plan& p, std::optional<double> v) {
                if (v) p.*member = *v;
            },
            QString("Change %1").arg(QString(label).toLower()));
    };
    number(
        "New points", "m", -500, 9000, [](const Plan& p) { return Shown{num(p.defaults.height.value_m)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.height.value_m = *v;
        },
        "Change default height");
    note([](const Plan& p) {
        return Shown{
            QString("above %1, for every point without a height of its own").arg(refText(p.defaults.height.ref))};
    });
    number(
        "Speed", "m/s", 0.5, 60, [](const Plan& p) { return Shown{num(p.defaults.speed_mps)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.speed_mps = *v;
        },
        "Change default speed");
    number(
        "Pass within", "m", 0.5, 200, [](const Plan& p) { return Shown{num(p.defaults.acceptance_m)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.acceptance_m = *v;
        },
        "Change default acceptance");
    number(
        "Ceiling", "m", 0, 9000, [](const Plan& p) { return Shown{p.ceiling_m ? num(*p.ceiling_m) : QString()}; },
        [](Plan& p, std::optional<double> v) { p.ceiling_m = v; }, "Change ceiling");
    note([](const Plan&) { return Shown{"above home; empty for none"}; });
    field("Min. clear", "m", 0, 1000, &Plan::clearance_min_m);
    field("Margin", "m", 0, 1000, &Plan::clearance_margin_m);
    field("Return at", "m", 0, 5000, &Plan::return_height_m);
    note([](const Plan& p) {
        return Shown{QString("%1, %2 Wh, reserve %3 %\n%4")
                         .arg(QString::fromStdString(p.vehicle.name))
                         .arg(p.vehicle.battery_wh)
                         .arg(p.vehicle.reserve_percent)
                         .arg(QString::fromStdString(p.camera.name))};
    });
}

void Inspector::buildHome() {
    title("Home", [](const Plan&) { return Shown{"where it takes off and returns"}; });
    if (!session_->plan()->home) {
        note([](const Plan&) { return Shown{"Not set. Press H and click the place where the aircraft will start."}; });
        return;
    }
    textField(
        "Position",
        [](const Plan& p) {
            return Shown{
                p.home
                    ? QString("%1 %2").arg(p.home->position.lat_deg, 0, 'f', 6).arg(p.home->position.lon_deg, 0, 'f', 6)
                    : QString()};
        },
        [](Plan& p, const QString& t) {
            const auto place =
                parsePlace(QString(t).trimmed().replace(QRegularExpression("[\\s,]+"), ",").toStdString());
            if (place && p.home) p.home->position = {place->lat_deg, place->lon_deg};
        },
        "Move home");
    number(
        "Ground", "m", -500, 9000,
        [](const Plan& p) { return Shown{p.home && p.home->amsl_m ? num(*p.home->amsl_m) : QString()}; },
        [](Plan& p, std::optional<double> v) {
            if (p.home) p.home->amsl_m = v;
        },
        "Change home height");
    note([this](const Plan& p) {
        const auto t = p.home ? session_->terrain()->sample(p.home->position) : std::nullopt;
        return Shown{t ? QString("AMSL; terrain says %1 m").arg(*t, 0, 'f', 1) : QString("AMSL; terrain unknown here")};
    });
}

void Inspector::buildItem(ItemId id) {
    const Item& item = *session_->plan()->find(id);
    title(QString::fromStdString(itemText(*session_->plan(), id)), [this, id](const Plan&) {
        const auto& r = session_->derived()->rehearsal;
        if (!r) return Shown{};
        const auto at = r->visits.find(id);
        return Shown{at == r->visits.end() ? QString()
                     : at->second == 1     ? QString("1 visit")
                                           : QString("%1 visits").arg(at->second)};
    });
    const auto of = [id](const Plan& p) { return p.find(id); };
    if (item.kind == ItemKind::returnHome) {
        note([](const Plan& p) {
            return Shown{QString("Climbs to %1 m above home first, flies home, lands.").arg(p.return_height_m)};
        });
        return;
    }
    textField(
        "Name", [of](const Plan& p) { return Shown{of(p) ? QString::fromStdString(of(p)->name) : QString()}; },
        [id](Plan& p, const QString& t) {
            if (Item* i = p.find(id)) i->name = t.toStdString();
        },
        "Rename item");
    heightField({id});
    note([this, id](const Plan& p) {
        const Item* i = p.find(id);
        if (i == nullptr || !hasPosition(i->kind)) return Shown{};
        const auto amsl = amslOf(p, session_->terrain().get(), i->position, effectiveHeight(p, *i));
        const auto ground = session_->terrain()->sample(i->position);
        return Shown{QString("%1 · %2").arg(amsl ? QString("%1 m AMSL").arg(*amsl, 0, 'f', 0) : QString("AMSL unknown"),
                                            amsl && ground
                                                ? QString("%1 m over ground here").arg(*amsl - *ground, 0, 'f', 0)
                                                : QString("ground unknown"))};
    });
    if (item.kind != ItemKind::takeOff) {
        number(
            "Speed", "m/s", 0.5, 60,
            [of](const Plan& p) {
                return of(p) ? Shown{num(effectiveSpeed(p, *of(p))), !of(p)->speed_mps} : Shown{};
            },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id)) i->speed_mps = v;
            },
            "Change speed");
    }
    if (item.kind == ItemKind::waypoint) {
        number(
            "Pass within", "m", 0.5, 200,
            [of](const Plan& p) {
                return of(p) ? Shown{num(of(p)->acceptance_m.value_or(p.defaults.acceptance_m)), !of(p)->acceptance_m}
                             : Shown{};
            },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id)) i->acceptance_m = v;
            },
            "Change acceptance");
    }
    if (item.kind == ItemKind::hold)
        number(
            "Hold", "s", 0, 36000, [of](const Plan& p) { return of(p) ? Shown{num(effectiveHold_s(p, *of(p)))} : Shown{}; },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id); i != nullptr && v) i->hold_s = *v;
            },
            "Change hold");
    if (item.kind == ItemKind::block) {
        const auto field = [&](const char* label, const char* unit, double low, double high, double Block::*member) {
            number(
                label, unit, low, high,
                [of, member](const Plan& p) { return of(p) ? Shown{num(of(p)->block.*member)} : Shown{}; },
                [id, member](Plan& p, std::optional<double> v) {
                    if (Item* i = p.find(id); i != nullptr && v) i->block.*member = *v;
                },
                QString("Change %1").arg(QString(label).toLower()));
        };
        field("Heading", "°", -360, 360, &Block::heading_deg);
        field("Overlap", "%", 0, 95, &Block::overlap_percent);
        field("Sidelap", "%", 0, 95, &Block::sidelap_percent);
        field("Beyond edge", "m", 0, 1000, &Block::margin_m);
        note([this, id](const Plan& p) {
            const Item* i = p.find(id);
            if (i == nullptr) return Shown{};
            const BlockLines b = blockLines(p, *i, session_->terrain().get());
            return Shown{QString("%1 ha · %2 lines · %3 photos\nground sample %4 cm · lines %5 m apart, photos %6 m")
                             .arg(b.area_m2 / 1e4, 0, 'f', 2)
                             .arg(b.lines.size())
                             .arg(b.photos)
                             .arg(b.footprint.gsd_m * 100, 0, 'f', 2)
                             .arg(b.line_spacing_m, 0, 'f', 1)
                             .arg(b.photo_spacing_m, 0, 'f', 1)};
        });
    }
    if (hasPosition(item.kind))
        textField(
            "Position",
            [of](const Plan& p) {
                return of(p) ? Shown{QString("%1 %2")
                                         .arg(of(p)->position.lat_deg, 0, 'f', 6)
                                         .arg(of(p)->position.lon_deg, 0, 'f', 6)}
                             : Shown{};
            },
            [id](Plan& p, const QString& t) {
                const auto place =
                    parsePlace(QString(t).trimmed().replace(QRegularExpression("[\\s,]+"), ",").toStdString());
                if (Item* i = p.find(id); i != nullptr && place) i->position = {place->lat_deg, place->lon_deg};
            },
            "Move");
    actionRows(item);
    if (item.kind != ItemKind::land) chips(id);
}

void Inspector::actionRows(const Item& item) {
    const ItemId id = item.id;
    for (std::size_t k = 0; k < item.actions.size(); ++k) {
        const auto remove = [this, id, k] {
            session_->edit("Remove action", [&](Plan& p) {
                if (Item* i = p.find(id); i != nullptr && k < i->actions.size())
                    i->actions.erase(i->actions.begin() + static_cast<std::ptrdiff_t>(k));
            });
        };
        if (std::holds_alternative<Repeat>(item.actions[k])) {
            auto* row = new QHBoxLayout;
            auto* label = new QLabel("Repeat from");
            label->setFixedWidth(92);
            label->setProperty("quiet", true);
            auto* target = new QComboBox;
            target->setObjectName("repeat target");
            const Plan& plan = *session_->plan();
            const ItemId now = std::get<Repeat>(item.actions[k]).target;
            for (const Item& other : plan.items) {
                target->addItem(QString::fromStdString(itemText(plan, other.id)), other.id);
                if (other.id == now) target->setCurrentIndex(target->count() - 1);
            }
            if (plan.find(now) == nullptr) {
                target->insertItem(0, "choose an item", 0);
                target->setCurrentIndex(0);
            }
            connect(target, &QComboBox::activated, this, [this, id, k, target] {
                session_->edit("Change repeat target", [&](Plan& p) {
                    if (Item* i = p.find(id))
                        std::get<Repeat>(i->actions[k]).target = target->currentData().value<ItemId>();
                });
            });
            row->addWidget(label);
            row->addWidget(target, 1);
            column_->addLayout(row);
            number(
                "Extra passes", "", -1, 32767,
                [id, k](const Plan& p) {
                    const Item* i = p.find(id);
                    if (i == nullptr || k >= i->actions.size()) return Shown{};
                    const auto* r = std::get_if<Repeat>(&i->actions[k]);
                    return Shown{r != nullptr ? num(r->count, 0) : QString()};
                },
                [id, k](Plan& p, std::optional<double> v) {
                    if (Item* i = p.find(id); i != nullptr && v)
                        std::get<Repeat>(i->actions[k]).count = static_cast<int>(*v);
                },
                "Change repeat count");
            note([](const Plan&) { return Shown{"−1 repeats for ever"}; });
        }
        Item alone = item;
        alone.actions = {item.actions[k]};
        alone.speed_mps.reset();
        alone.kind = ItemKind::waypoint;
        auto* row = new QHBoxLayout;
        QString what = actionLine(*session_->plan(), alone);
        auto* label = new QLabel(what);
        label->setWordWrap(true);
        auto* button = new QPushButton(std::holds_alternative<Repeat>(item.actions[k]) ? "Remove repeat" : "Remove");
        button->setProperty("chip", true);
        connect(button, &QPushButton::clicked, this, remove);
        row->addWidget(label, 1);
        row->addWidget(button);
        column_->addLayout(row);
    }
}

void Inspector::chips(ItemId id) {
    const Item& item = *session_->plan()->find(id);
    auto* grid = new QGridLayout;
    grid->setSpacing(5);
    int n = 0;
    const auto chip = [&](const QString& text, const std::function<void()>& act) {
        auto* b = new QPushButton(text);
        b->setProperty("chip", true);
        b->setObjectName("chip " + text.mid(2));
        connect(b, &QPushButton::clicked, this, act);
        grid->addWidget(b, n / 3, n % 3);
        ++n;
    };
    const auto add = [this, id](const QString& name, const Action& action) {
        session_->edit(name, [&](Plan& p) {
            if (Item* i = p.find(id)) i->actions.push_back(action);
        });
    };
    if (item.kind == ItemKind::waypoint)
        chip("+ hold", [this, id] {
            session_->edit("Add hold", [&](Plan& p) {
                if (Item* i = p.find(id)) {
                    i->kind = ItemKind::hold;
                    i->hold_s = 10;
                }
            });
        });
    if (item.kind == ItemKind::hold)
        chip("− hold", [this, id] {
            session_->edit("Remove hold", [&](Plan& p) {
                if (Item* i = p.find(id)) {
                    i->kind = ItemKind::waypoint;
                    i->hold_s.reset();
                }
            });
        });
    chip("+ photo", [add] { add("Add photo", PhotoNow{}); });
    chip("+ repeat", [this, id, add] {
        // Back to the item before, the commonest wish; the target is then chosen in its field.
        const int index = session_->plan()->indexOf(id);
        add("Add repeat", Repeat{session_->plan()->items[static_cast<std::size_t>(std::max(0, index - 1))].id, 1});
    });
    chip("+ look-at", [this] { emit lookAtWanted(); });
    chip("+ look-at end", [add] { add("End look-at", LookAtStop{}); });
    column_->addLayout(grid);
}

void Inspector::buildSeveral(const std::vector<ItemId>& ids) {
    title(QString("%1 items").arg(ids.size()), [](const Plan&) { return Shown{}; });
    heightField(ids);
    number(
        "Add height", "m", -9000, 9000, [](const Plan&) { return Shown{}; },
        [ids](Plan& p, std::optional<double> v) {
            if (!v) return;
            for (const ItemId id : ids)
                if (Item* i = p.find(id)) {
                    Height h = effectiveHeight(p, *i);
                    h.value_m += *v;
                    i->height = h;
                }
        },
        "Add height");
    number(
        "Speed", "m/s", 0.5, 60,
        [ids](const Plan& p) {
            std::optional<double> same;
            for (const ItemId id : ids)
                if (const Item* i = p.find(id)) {
                    if (same && *same != effectiveSpeed(p, *i)) return Shown{"several"};
                    same = effectiveSpeed(p, *i);
                }
            return Shown{same ? num(*same) : QString()};
        },
        [ids](Plan& p, std::optional<double> v) {
            for (const ItemId id : ids)
                if (Item* i = p.find(id)) i->speed_mps = v;
        },
        "Change speed");
    note([](const Plan&) { return Shown{"What is typed here is set on all of them."}; });
}

void Inspector::buildFence(ItemId id) {
    const Fence* fence = session_->plan()->findFence(id);
    if (fence == nullptr) return buildPlan();
    title(fence->kind == FenceKind::keepIn ? "Keep-in fence" : "Keep-out fence", [id](const Plan& p) {
        const Fence* f = p.findFence(id);
        return Shown{f != nullptr ? QString("%1 corners").arg(f->outline.size()) : QString()};
    });
    textField(
        "Name",
        [id](const Plan& p) {
            return Shown{p.findFence(id) ? QString::fromStdString(p.findFence(id)->name) : QString()};
        },
        [id](Plan& p, const QString& t) {
            if (Fence* f = p.findFence(id)) f->name = t.toStdString();
        },
        "Rename fence");
    auto* turn = new QPushButton("Make it the other kind");
    connect(turn, &QPushButton::clicked, this, [this, id] {
        session_->edit("Change fence kind", [&](Plan& p) {
            if (Fence* f = p.findFence(id))
                f->kind = f->kind == FenceKind::keepIn ? FenceKind::keepOut : FenceKind::keepIn;
        });
        built_.clear();
        refresh();
    });
    column_->addWidget(turn);
    note([](const Plan&) { return Shown{"Drag a corner to move it, the dot between two corners to add one."}; });
}

}  // namespace anhinga

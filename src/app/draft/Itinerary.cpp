#include "app/draft/Itinerary.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"

#include "core/plan/Edit.h"

namespace anhinga {

namespace {

constexpr int kIdRole = Qt::UserRole + 1;
constexpr int kBracketRoom = 22;  // room for repeat brackets

class RowPainter : public QStyledItemDelegate {
  public:
    explicit RowPainter(Itinerary* list) : QStyledItemDelegate(list), list_(list) {}
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {200, 40}; }
    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const Plan& plan = *list_->session()->plan();
        const Theme& theme = list_->theme();
        const auto id = index.data(kIdRole).value<ItemId>();
        const QRect r = option.rect;
        const bool selected = (option.state & QStyle::State_Selected) != 0;
        p->save();
        p->fillRect(r, selected ? theme.lagoon : theme.panel);
        const QColor ink = selected ? theme.panel : theme.ink, quiet = selected ? theme.panel : theme.quiet;
        QString number, title, line, height;
        QColor stripe;
        if (id == kHomeId) {
            title = "Home";
            const auto amsl = homeAmsl(plan, list_->session()->terrain().get());
            line = !plan.home ? "not set"
                   : amsl     ? inUnits(QString("ground %1 m AMSL").arg(*amsl, 0, 'f', 0))
                              : QString("height unknown");
        } else if (const Item* item = plan.find(id)) {
            const int n = itemNumber(plan, id);
            number = n > 0 ? QString::number(n) : QString();
            title = kindText(item->kind);
            if (item->kind == ItemKind::holdTurns) title = QString("Circle ×%1").arg(std::abs(item->turns), 0, 'g', 3);
            if (item->spline) title = "Waypoint, curved";
            if (item->kind == ItemKind::hold) title = QString("Hold %1 s").arg(effectiveHold_s(plan, *item), 0, 'f', 0);
            if (!item->name.empty()) title += QString::fromStdString(" · " + item->name);
            line = actionLine(plan, *item);
            // How often it is flown, where that is not once; the name of a section where it begins.
            const auto visits = visitsOf(*list_->session()->derived(), id);
            if (visits && *visits != 1) line = visitsText(*visits) + (line.isEmpty() ? "" : " · ") + line;
            const int at = plan.indexOf(id);
            const Section* section = plan.findSection(item->section);
            // The button to go on from here takes the second line.
            if (line.isEmpty() && list_->offersGoOn(id)) line = " ";
            if (section != nullptr && (at == 0 || plan.items[static_cast<std::size_t>(at) - 1].section != section->id))
                line = QString::fromStdString(section->name) + " from here" + (line.isEmpty() ? "" : " · ") + line;
            height = inUnits(heightText(item->kind == ItemKind::returnHome ? Height::aboveHome(plan.return_height_m)
                                                                           : effectiveHeight(plan, *item)));
            if (item->kind == ItemKind::land) height = "to the ground";
            if (item->kind == ItemKind::rings || item->kind == ItemKind::face)
                height = inUnits(QString("%1 to %2 m %3")
                                     .arg(item->pattern->low_m, 0, 'f', 0)
                                     .arg(item->pattern->high_m, 0, 'f', 0)
                                     .arg(refText(effectiveHeight(plan, *item).ref)));
            if (isPattern(item->kind)) stripe = theme.reed;
        } else if (const Fence* fence = plan.findFence(id)) {
            title = fence->kind == FenceKind::keepIn ? "Keep-in fence" : "Keep-out fence";
            line = QString::fromStdString(fence->name);
            height = fence->isCircle() ? inUnits(QString("%1 m round").arg(fence->radius_m, 0, 'f', 0))
                                       : QString("%1 corners").arg(fence->outline.size());
            stripe = theme.plum;
        } else if (const RallyPoint* rally = plan.findRally(id)) {
            title = "Rally point";
            line = QString::fromStdString(rally->name);
            height = inUnits(heightText(rally->height));
            stripe = theme.plum;
        } else if (const Obstacle* obstacle = plan.findObstacle(id)) {
            title = QString("Obstacle: %1").arg(obstacleText(obstacle->kind));
            line = QString::fromStdString(obstacle->name);
            height = inUnits(QString("%1 m high").arg(obstacle->height_m, 0, 'f', 0));
            stripe = theme.vermilion;
        } else if (const Zone* zone = plan.findZone(id)) {
            title = QString("Airspace %1").arg(QString::fromStdString(zone->zone_class));
            line = QString::fromStdString(zone->name);
            height = zone->authorisation.empty() ? "restricted" : "authorised";
            stripe = theme.marigold;
        }
        if (list_->session()->isFrozen(id))
            line = QString("flown or near: stays") + (line.isEmpty() ? "" : " · ") + line;
        if (const QString state = list_->stateOf(id); !state.isEmpty())
            line = state + (line.isEmpty() ? "" : " · ") + line;
        if (stripe.isValid()) p->fillRect(QRect(r.left(), r.top(), 4, r.height()), stripe);
        if (id == list_->active() && id != 0) p->fillRect(QRect(r.right() - 4, r.top(), 5, r.height()), theme.lagoon);
        const int x = r.left() + kBracketRoom;
        p->setPen(ink);
        p->setFont(uiFont(10, true));
        p->drawText(QRect(x, r.top(), 24, r.height()), Qt::AlignCenter, number);
        p->setFont(uiFont(9));
        const int hw = p->fontMetrics().horizontalAdvance(height);
        p->drawText(r.adjusted(0, 0, -12, 0), Qt::AlignRight | Qt::AlignVCenter, height);
        const int text_x = x + 26, text_w = r.right() - 12 - hw - 8 - text_x;
        p->setFont(uiFont(10));
        const QString cut = p->fontMetrics().elidedText(title, Qt::ElideRight, text_w);
        if (line.isEmpty()) {
            p->drawText(QRect(text_x, r.top(), text_w, r.height()), Qt::AlignVCenter, cut);
        } else {
            p->drawText(QRect(text_x, r.top() + 4, text_w, 17), Qt::AlignVCenter, cut);
            p->setFont(uiFont(8));
            p->setPen(quiet);
            p->drawText(QRect(text_x, r.top() + 21, text_w, 15), Qt::AlignVCenter,
                        p->fontMetrics().elidedText(line, Qt::ElideRight, text_w));
        }
        p->setPen(theme.hairline());
        p->drawLine(r.bottomLeft(), r.bottomRight());
        p->restore();
    }

  private:
    Itinerary* list_;
};

}  // namespace

QString actionLine(const Plan& plan, const Item& item) {
    QStringList parts;
    if (item.speed_mps) parts << inUnits(QString("%1 m/s").arg(*item.speed_mps));
    if (item.kind == ItemKind::block || item.kind == ItemKind::corridor)
        parts << QString("overlap %1, sidelap %2 %")
                     .arg(item.pattern->overlap_percent)
                     .arg(item.pattern->sidelap_percent);
    if (item.kind == ItemKind::returnHome) parts << "climb first · land";
    for (const Action& a : item.actions) {
        if (const auto* r = std::get_if<Repeat>(&a))
            parts << QString("repeat from %1 %2")
                         .arg(QString::fromStdString(itemText(plan, r->target)), repeatText(r->count));
        else if (const auto* l = std::get_if<LookAt>(&a))
            parts << "look at " + (l->name.empty() ? QString("a place") : QString::fromStdString(l->name));
        else if (std::holds_alternative<LookAtStop>(a))
            parts << "look-at ends";
        else if (std::holds_alternative<PhotoNow>(a))
            parts << "photo";
        else if (const auto* e = std::get_if<PhotoEvery>(&a))
            parts << (e->distance_m > 0 ? QString("photo every %1 m").arg(e->distance_m, 0, 'f', 1)
                                        : QString("photos stop"));
        else if (const auto* t = std::get_if<PhotoInterval>(&a))
            parts << (t->interval_s > 0 ? QString("photo every %1 s").arg(t->interval_s)
                                        : QString("photos by time stop"));
        else if (const auto* v = std::get_if<Video>(&a))
            parts << (v->on ? "video starts" : "video stops");
        else if (const auto* d = std::get_if<Delay>(&a))
            parts << QString("wait %1 s").arg(d->delay_s);
        else if (const auto* h = std::get_if<SetHeading>(&a))
            parts << QString("nose to %1°").arg(h->heading_deg);
        else if (const auto* s = std::get_if<Servo>(&a))
            parts << QString("servo %1 to %2 µs").arg(s->channel).arg(s->pulse_us);
        else if (const auto* o = std::get_if<Relay>(&a))
            parts << QString("relay %1 %2").arg(o->number).arg(o->on ? "closed" : "opened");
        else if (const auto* g = std::get_if<GimbalPitch>(&a))
            parts << QString("camera %1°").arg(g->pitch_deg);
        else if (const auto* c = std::get_if<RawCommand>(&a))
            parts << QString("command %1").arg(c->command);
    }
    return parts.join(" · ");
}

Itinerary::Itinerary(PlanSession* session, QWidget* parent) : QListWidget(parent), session_(session) {
    setObjectName("itinerary");
    setFrameShape(QFrame::NoFrame);
    setSelectionMode(QAbstractItemView::ExtendedSelection);
    setDragDropMode(QAbstractItemView::InternalMove);
    setDefaultDropAction(Qt::MoveAction);
    setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setUniformItemSizes(true);
    setItemDelegate(new RowPainter(this));
    connect(session_, &PlanSession::planChanged, this, &Itinerary::refresh);
    connect(session_, &PlanSession::selectionChanged, this, &Itinerary::syncSelection);
    connect(session_, &PlanSession::derivedChanged, this, [this] { viewport()->update(); });  // visits
    connect(session_, &PlanSession::frozenChanged, this, [this] { viewport()->update(); });
    connect(this, &QListWidget::itemSelectionChanged, this, [this] {
        if (refreshing_) return;
        std::set<ItemId> ids;
        for (const QListWidgetItem* row : selectedItems()) ids.insert(row->data(kIdRole).value<ItemId>());
        session_->select(ids);
    });
    connect(this, &QListWidget::itemDoubleClicked, this,
            [this](QListWidgetItem* row) { emit chosen(row->data(kIdRole).value<ItemId>()); });
    go_on_button_ = new QPushButton("Go on from here", viewport());
    go_on_button_->setObjectName("go on from here");
    go_on_button_->setFocusPolicy(Qt::NoFocus);
    go_on_button_->setCursor(Qt::ArrowCursor);
    go_on_button_->setFont(uiFont(8, true));
    go_on_button_->setToolTip("The aircraft flies on from this item of the list");
    go_on_button_->hide();
    connect(go_on_button_, &QPushButton::clicked, this, [this] {
        const auto& chosen = session_->selection();
        if (chosen.size() == 1 && go_on_.contains(*chosen.begin())) emit goOnWanted(*chosen.begin());
    });
    refresh();
}

void Itinerary::setTheme(const Theme& theme) {
    theme_ = theme;
    setStyleSheet(
        QString("QListWidget { background: %1; border: none; border-radius: 0; padding: 0; } QPushButton { background: "
                "%2; color: %1; border: none; border-radius: 3px; padding: 0 6px; }")
            .arg(theme.panel.name(), theme.lagoon.name()));
    viewport()->update();
}

void Itinerary::setActive(ItemId id) {
    if (id == active_) return;
    active_ = id;
    viewport()->update();
}

void Itinerary::setStates(std::map<ItemId, QString> states) {
    if (states == states_) return;
    states_ = std::move(states);
    viewport()->update();
}

void Itinerary::setGoOn(std::set<ItemId> items) {
    go_on_ = std::move(items);
    placeGoOn();
}

bool Itinerary::offersGoOn(ItemId id) const {
    return go_on_.contains(id) && session_->selection() == std::set<ItemId>{id};
}

/// Over the second line of the selected row: its height stays to be read.
void Itinerary::placeGoOn() {
    const auto& chosen = session_->selection();
    const int row = chosen.size() == 1 && go_on_.contains(*chosen.begin()) ? rowOf(*chosen.begin()) : -1;
    go_on_button_->setVisible(row >= 0);
    if (row < 0) return;
    const QRect r = visualItemRect(item(row));
    const int x = r.left() + kBracketRoom + 26;
    go_on_button_->setGeometry(x, r.top() + 20, 112, 18);
}

void Itinerary::resizeEvent(QResizeEvent* e) {
    QListWidget::resizeEvent(e);
    placeGoOn();
}

void Itinerary::scrollContentsBy(int dx, int dy) {
    QListWidget::scrollContentsBy(dx, dy);
    placeGoOn();
}

QString Itinerary::stateOf(ItemId id) const {
    const auto at = states_.find(id);
    return at == states_.end() ? QString() : at->second;
}

void Itinerary::refresh() {
    refreshing_ = true;
    const Plan& plan = *session_->plan();
    std::vector<ItemId> ids{kHomeId};
    for (const Item& item : plan.items) ids.push_back(item.id);
    for (const Fence& fence : plan.fences) ids.push_back(fence.id);
    for (const RallyPoint& r : plan.rally) ids.push_back(r.id);
    for (const Obstacle& o : plan.obstacles) ids.push_back(o.id);
    for (const Zone& z : plan.zones) ids.push_back(z.id);
    int number = 0;
    while (count() > static_cast<int>(ids.size())) delete takeItem(count() - 1);
    while (count() < static_cast<int>(ids.size())) addItem(new QListWidgetItem);
    for (std::size_t i = 0; i < ids.size(); ++i) {
        // Most rows stay what they were: only what is another now is touched.
        QListWidgetItem* row = item(static_cast<int>(i));
        const bool is_item = i > 0 && i <= plan.items.size();
        const Item* it = is_item ? &plan.items[i - 1] : nullptr;
        if (it != nullptr) number += it->kind != ItemKind::takeOff && it->kind != ItemKind::returnHome;
        if (row->data(kIdRole).value<ItemId>() != ids[i]) {
            row->setData(kIdRole, ids[i]);
            row->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable |
                          (is_item ? Qt::ItemIsDragEnabled : Qt::NoItemFlags));
        }
        const QString said = it != nullptr ? QString("%1 %2").arg(kindText(it->kind)).arg(number)
                                           : QString::fromStdString(itemText(plan, ids[i]));
        if (row->data(Qt::AccessibleTextRole).toString() != said) row->setData(Qt::AccessibleTextRole, said);
    }
    refreshing_ = false;
    syncSelection();
    viewport()->update();
}

void Itinerary::syncSelection() {
    refreshing_ = true;
    for (int i = 0; i < count(); ++i) {
        const bool on = session_->isSelected(item(i)->data(kIdRole).value<ItemId>());
        if (item(i)->isSelected() != on) item(i)->setSelected(on);
    }
    if (session_->selection().size() == 1)
        if (const int row = rowOf(*session_->selection().begin()); row >= 0) scrollToItem(item(row));
    refreshing_ = false;
    placeGoOn();
}

int Itinerary::rowOf(ItemId id) const {
    for (int i = 0; i < count(); ++i)
        if (item(i)->data(kIdRole).value<ItemId>() == id) return i;
    return -1;
}

void Itinerary::dropEvent(QDropEvent* e) {
    // The plan is the model: the move is made there, and the list follows.
    const QModelIndex under = indexAt(e->position().toPoint());
    int row = under.isValid() ? under.row() : count();
    if (under.isValid() && e->position().y() > visualRect(under).center().y()) ++row;
    e->setDropAction(Qt::IgnoreAction);
    e->accept();
    moveSelectionTo(row);
}

void Itinerary::moveSelectionTo(int row) {
    const std::set<ItemId> moved = session_->selection();
    session_->edit("Reorder", [&](Plan& plan) {
        moveTo(plan, moved, static_cast<std::size_t>(std::clamp(row - 1, 0, static_cast<int>(plan.items.size()))));
    });
}

void Itinerary::shiftSelection(int direction) {
    int first = count(), last = -1;
    for (const ItemId id : session_->selection())
        if (const int index = session_->plan()->indexOf(id); index >= 0) {
            first = std::min(first, index);
            last = std::max(last, index);
        }
    if (last < 0) return;
    moveSelectionTo(direction < 0 ? first : last + 3);  // rows count home; "before the row after the next"
}

void Itinerary::paintEvent(QPaintEvent* e) {
    QListWidget::paintEvent(e);
    QPainter p(viewport());
    p.setRenderHint(QPainter::Antialiasing);
    int depth = 0;
    const Plan& plan = *session_->plan();
    for (std::size_t i = 0; i < plan.items.size(); ++i)
        for (const Action& a : plan.items[i].actions) {
            const auto* repeat = std::get_if<Repeat>(&a);
            if (repeat == nullptr) continue;
            const int from = rowOf(repeat->target), to = static_cast<int>(i) + 1;
            if (to >= count()) continue;
            if (from < 0 || to < 0) continue;
            const QRect top = visualItemRect(item(std::min(from, to))),
                        bottom = visualItemRect(item(std::max(from, to)));
            const int x = 20 - 7 * (depth++ % 2);
            p.setPen(QPen(theme_.ink, 2));
            p.drawPolyline(QPolygon({QPoint(x + 4, top.top() + 8), QPoint(x, top.top() + 12),
                                     QPoint(x, bottom.bottom() - 12), QPoint(x + 4, bottom.bottom() - 8)}));
            const QString text = repeat->count < 0 ? QString("∞") : QString("+%1").arg(repeat->count);
            p.setFont(uiFont(7.5, true));
            const QRect pill(x - 12, (top.top() + bottom.bottom()) / 2 - 8, 24, 16);
            p.setPen(Qt::NoPen);
            p.setBrush(theme_.ink);
            p.drawRoundedRect(pill, 8, 8);
            p.setPen(theme_.panel);
            p.drawText(pill, Qt::AlignCenter, text);
        }
}

}  // namespace anhinga

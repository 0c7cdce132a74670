#include "app/map/MapView.h"

#include <QtWidgets>

#include "core/base/Text.h"
#include "core/geo/Polygon.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {
constexpr double kReach = 11;     // pixels within which a thing is hit
constexpr double kDragStart = 4;  // pixels before a press becomes a drag
constexpr double kMinScale = 2e4, kMaxScale = 4e9;

double toPoint(QPointF a, QPointF b) {
    return std::hypot(a.x() - b.x(), a.y() - b.y());
}
}  // namespace

MapView::MapView(PlanSession* session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("map");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(320, 240);
    connect(session_, &PlanSession::planChanged, this, [this] {
        shape_.clear();
        update();
    });
    connect(session_, &PlanSession::selectionChanged, this, [this] { update(); });
    connect(session_, &PlanSession::derivedChanged, this, [this] {
        rebuildRuns();
        update();
    });
    connect(session_, &PlanSession::terrainChanged, this, [this] {
        std::vector<std::string> imagery;
        for (const std::string& f : session_->plan()->imagery_files)
            imagery.push_back(resolveBeside(session_->path().toStdString(), f));
        base_.load(imagery, session_->terrain());
        showWholePlan();
    });
    connect(&base_, &MapBase::ready, this, [this] {
        ground_ = {};
        if (!base_.problem().isEmpty()) emit message(base_.problem());
        update();
    });
}

void MapView::setTheme(const Theme& theme) {
    theme_ = theme;
    ground_ = {};
    update();
}

void MapView::setTool(MapTool tool) {
    if (tool != tool_) cancelShape();
    tool_ = editable_ ? tool : MapTool::select;
    setCursor(tool_ == MapTool::select ? Qt::ArrowCursor : Qt::CrossCursor);
    emit toolChanged(tool_);
    update();
}

void MapView::setEditable(bool on) {
    editable_ = on;
    if (!on) setTool(MapTool::select);
}

void MapView::setOverlay(MapOverlay overlay) {
    overlay_ = std::move(overlay);
    update();
}

void MapView::setCursorPlace(std::optional<GeoPoint> place) {
    if (place == cursor_) return;
    cursor_ = place;
    update();
}

void MapView::showWholePlan() {
    const Plan& plan = *session_->plan();
    std::vector<GeoPoint> all;
    if (plan.home) all.push_back(plan.home->position);
    for (const Item& item : plan.items) {
        if (hasPosition(item.kind)) all.push_back(item.position);
        all.insert(all.end(), item.block.outline.begin(), item.block.outline.end());
    }
    for (const Fence& f : plan.fences) all.insert(all.end(), f.outline.begin(), f.outline.end());
    if (all.empty() && !session_->terrain()->empty()) {
        const ElevationRaster& r = *session_->terrain()->rasters().front();
        all = {{r.north_deg(), r.west_deg()},
               {r.north_deg() - r.stepLat_deg() * r.height(), r.west_deg() + r.stepLon_deg() * r.width()}};
    }
    if (all.empty()) return;
    const QPointF middle = toMercator(middleOf(all));
    double w = 1e-7, h = 1e-7;
    for (const GeoPoint& p : all) {
        const QPointF m = toMercator(p);
        w = std::max(w, std::abs(std::remainder(m.x() - middle.x(), 1.0)) * 2);
        h = std::max(h, std::abs(m.y() - middle.y()) * 2);
    }
    view_.size = size();
    view_.centre = middle;
    view_.scale = std::clamp(0.84 * std::min(width() / w, height() / h), kMinScale, kMaxScale);
    update();
}

void MapView::showSelection() {
    std::vector<GeoPoint> places;
    for (const ItemId id : session_->selection()) {
        if (id == kHomeId && session_->plan()->home) places.push_back(session_->plan()->home->position);
        if (const Item* item = session_->plan()->find(id)) {
            if (hasPosition(item->kind)) places.push_back(item->position);
            places.insert(places.end(), item->block.outline.begin(), item->block.outline.end());
        }
        if (const Fence* fence = session_->plan()->findFence(id))
            places.insert(places.end(), fence->outline.begin(), fence->outline.end());
    }
    if (!places.empty()) showPlace(middleOf(places));
}

void MapView::showPlace(GeoPoint place) {
    view_.centre = toMercator(place);
    update();
}

void MapView::zoomBy(double factor, QPointF about) {
    const QPointF before = view_.toUnit(about);
    view_.scale = std::clamp(view_.scale * factor, kMinScale, kMaxScale);
    view_.centre += before - view_.toUnit(about);
    update();
}

void MapView::resizeEvent(QResizeEvent*) {
    view_.size = size();
    if (!ever_shown_) showWholePlan();
    ever_shown_ = true;
}

// ---- what is where

ItemId MapView::itemAt(QPointF at) const {
    const Plan& plan = *session_->plan();
    ItemId best = 0;
    double nearest = kReach;
    for (const Item& item : plan.items) {
        if (!hasPosition(item.kind)) continue;
        const double d = toPoint(view_.toScreen(item.position), at);
        if (d < nearest) {
            nearest = d;
            best = item.id;
        }
    }
    if (best == 0 && plan.home && toPoint(view_.toScreen(plan.home->position), at) < kReach) return kHomeId;
    return best;
}

ItemId MapView::shapeAt(QPointF at) const {
    const auto nearEdge = [&](const std::vector<GeoPoint>& outline) {
        Ring ring;
        for (const GeoPoint& g : outline) {
            const QPointF p = view_.toScreen(g);
            ring.push_back({p.x(), p.y()});
        }
        return distanceToRing({at.x(), at.y()}, ring) < 6;
    };
    for (const Item& item : session_->plan()->items)
        if (item.kind == ItemKind::block &&
            (nearEdge(item.block.outline) || polygon(item.block.outline).containsPoint(at, Qt::OddEvenFill)))
            return item.id;
    for (const Fence& fence : session_->plan()->fences)
        if (nearEdge(fence.outline)) return fence.id;
    return 0;
}

std::optional<MapView::Corner> MapView::cornerAt(QPointF at) const {
    for (const ItemId id : session_->selection()) {
        Plan& plan = const_cast<Plan&>(*session_->plan());  // read only here
        const std::vector<GeoPoint>* outline = outlineOf(plan, id);
        if (outline == nullptr) continue;
        for (std::size_t i = 0; i < outline->size(); ++i)
            if (toPoint(view_.toScreen((*outline)[i]), at) < kReach) return Corner{id, i, false};
        for (std::size_t i = 0; i < outline->size(); ++i) {
            const QPointF a = view_.toScreen((*outline)[i]), b = view_.toScreen((*outline)[(i + 1) % outline->size()]);
            if (toPoint(a, b) > 40 && toPoint((a + b) / 2, at) < kReach) return Corner{id, i + 1, true};
        }
    }
    return std::nullopt;
}

std::vector<GeoPoint>* MapView::outlineOf(Plan& plan, ItemId id) const {
    if (Item* item = plan.find(id); item != nullptr && item->kind == ItemKind::block) return &item->block.outline;
    if (Fence* fence = plan.findFence(id)) return &fence->outline;
    return nullptr;
}

std::optional<ItemId> MapView::legAt(QPointF at, GeoPoint* where) const {
    const Path& path = session_->derived()->view.path;
    if (!session_->upToDate()) return std::nullopt;
    for (const PathLeg& leg : path.legs) {
        if (leg.climb || leg.repeat || leg.way_home) continue;
        const PathPoint &a = path.points[leg.from], &b = path.points[leg.to];
        if (a.source == b.source) continue;  // inside a pattern
        const QPointF pa = view_.toScreen(a.position), pb = view_.toScreen(b.position);
        const auto d = distanceToSegment({at.x(), at.y()}, {pa.x(), pa.y()}, {pb.x(), pb.y()});
        if (d.distance_m > 7 || d.along < 0.02 || d.along > 0.98) continue;
        *where = view_.toGeo(pa + (pb - pa) * d.along);
        return leg.source;
    }
    return std::nullopt;
}

// ---- editing

void MapView::addWaypoint(QPointF at) {
    GeoPoint where = view_.toGeo(at);
    const auto before = legAt(at, &where);
    ItemId made = 0;
    session_->edit(before ? "Insert waypoint" : "Add waypoint", [&](Plan& plan) {
        if (!plan.home) plan.home = Home{where, session_->terrain()->sample(where)};
        if (plan.items.empty()) {
            Item up;
            up.id = plan.newId();
            up.kind = ItemKind::takeOff;
            up.height = Height::aboveHome(30);
            plan.items.push_back(up);
        }
        Item item;
        item.id = made = plan.newId();
        item.position = where;
        std::size_t index = plan.items.size();
        if (before) {
            index = static_cast<std::size_t>(plan.indexOf(*before));
        } else {
            // After the selected item, else at the end but before the way home.
            int after = -1;
            for (const ItemId id : session_->selection()) after = std::max(after, plan.indexOf(id));
            if (after >= 0 && plan.items[static_cast<std::size_t>(after)].kind != ItemKind::returnHome &&
                plan.items[static_cast<std::size_t>(after)].kind != ItemKind::land)
                index = static_cast<std::size_t>(after) + 1;
            else
                while (index > 0 && (plan.items[index - 1].kind == ItemKind::returnHome ||
                                     plan.items[index - 1].kind == ItemKind::land))
                    --index;
        }
        plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(index), item);
    });
    session_->select({made});
}

void MapView::finishShape() {
    if (shape_.size() < 3) {
        if (!shape_.empty()) emit message("An area needs at least three corners");
        return;
    }
    const std::vector<GeoPoint> outline = std::exchange(shape_, {});
    if (selfCrossing(toLocal(LocalFrame(middleOf(outline)), outline))) {
        emit message("This outline crosses itself: move its corners apart");
        shape_ = outline;
        update();
        return;
    }
    ItemId made = 0;
    if (tool_ == MapTool::block) {
        session_->edit("Add block", [&](Plan& plan) {
            Item item;
            item.id = made = plan.newId();
            item.kind = ItemKind::block;
            item.height = Height::aboveGround(60);
            item.block.outline = outline;
            std::size_t index = plan.items.size();
            while (index > 0 &&
                   (plan.items[index - 1].kind == ItemKind::returnHome || plan.items[index - 1].kind == ItemKind::land))
                --index;
            plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(index), item);
        });
    } else {
        const bool in = tool_ == MapTool::keepIn;
        session_->edit(in ? "Add keep-in fence" : "Add keep-out fence", [&](Plan& plan) {
            made = plan.newId();
            plan.fences.push_back({made, in ? FenceKind::keepIn : FenceKind::keepOut, "", outline, ""});
        });
    }
    session_->select({made});
    setTool(MapTool::select);
}

void MapView::cancelShape() {
    shape_.clear();
    update();
}

void MapView::moveSelection(GeoPoint from, GeoPoint to) {
    const double dlat = to.lat_deg - from.lat_deg, dlon = wrapLongitude(to.lon_deg - from.lon_deg);
    const auto shift = [&](GeoPoint& p) {
        p.lat_deg = std::clamp(p.lat_deg + dlat, -89.9, 89.9);
        p.lon_deg = wrapLongitude(p.lon_deg + dlon);
    };
    session_->edit(
        "Move",
        [&](Plan& plan) {
            for (const ItemId id : session_->selection()) {
                if (id == kHomeId && plan.home) {
                    shift(plan.home->position);
                    plan.home->amsl_m = session_->terrain()->sample(plan.home->position);
                } else if (Item* item = plan.find(id)) {
                    shift(item->position);
                    for (GeoPoint& p : item->block.outline) shift(p);
                } else if (Fence* fence = plan.findFence(id)) {
                    for (GeoPoint& p : fence->outline) shift(p);
                }
            }
        },
        drag_number_);
}

// ---- events

void MapView::mousePressEvent(QMouseEvent* e) {
    setFocus();
    const QPointF at = e->position();
    pressed_at_ = last_at_ = at;
    moved_ = false;
    toggled_ = 0;
    grabbed_ = view_.toGeo(at);
    ++drag_number_;
    grip_ = Grip::none;
    if (e->button() == Qt::MiddleButton) grip_ = Grip::pan;
    if (e->button() != Qt::LeftButton) return;
    if (!editable_) {
        grip_ = Grip::pan;
        return;
    }
    if (tool_ != MapTool::select) {
        grip_ = Grip::pan;  // a drag pans, a click draws
        return;
    }
    const bool more = (e->modifiers() & (Qt::ControlModifier)) != 0;
    if (const auto corner = cornerAt(at); corner && !more) {
        corner_ = *corner;
        grip_ = Grip::corner;
        return;
    }
    ItemId hit = itemAt(at);
    if (hit == 0) hit = shapeAt(at);
    if (hit != 0) {
        auto selection = session_->selection();
        if (more) {
            toggled_ = hit;
        } else if (!selection.contains(hit)) {
            session_->select({hit});
        }
        grip_ = Grip::items;
        return;
    }
    grip_ = (e->modifiers() & Qt::ShiftModifier) != 0 ? Grip::box : Grip::pan;
}

void MapView::mouseMoveEvent(QMouseEvent* e) {
    const QPointF at = e->position();
    hover_ = at;
    updateStatus(at);
    if (grip_ != Grip::none && !moved_ && toPoint(at, pressed_at_) >= kDragStart) moved_ = true;
    if (moved_) {
        const GeoPoint here = view_.toGeo(at);
        switch (grip_) {
            case Grip::pan:
                view_.centre -= (at - last_at_) / view_.scale;
                break;
            case Grip::items:
                moveSelection(grabbed_, here);
                grabbed_ = here;
                break;
            case Grip::corner:
                session_->edit(
                    corner_.edge ? "Add corner" : "Move corner",
                    [&](Plan& plan) {
                        std::vector<GeoPoint>* outline = outlineOf(plan, corner_.owner);
                        if (outline == nullptr) return;
                        if (corner_.edge)
                            outline->insert(outline->begin() + static_cast<std::ptrdiff_t>(corner_.index), here);
                        else
                            (*outline)[corner_.index] = here;
                    },
                    drag_number_);
                corner_.edge = false;
                break;
            default:
                break;
        }
    }
    last_at_ = at;
    emit hovered(view_.toGeo(at));
    update();
}

void MapView::mouseReleaseEvent(QMouseEvent* e) {
    const QPointF at = e->position();
    const Grip grip = std::exchange(grip_, Grip::none);
    session_->endMerge();
    if (grip == Grip::box) {
        const QRectF box = QRectF(pressed_at_, at).normalized();
        std::set<ItemId> ids;
        for (const Item& item : session_->plan()->items)
            if (hasPosition(item.kind) && box.contains(view_.toScreen(item.position))) ids.insert(item.id);
        session_->select(ids);
        update();
        return;
    }
    if (moved_ || e->button() != Qt::LeftButton) return;
    if (!editable_) {
        emit clicked(view_.toGeo(at));
        return;
    }
    const GeoPoint where = view_.toGeo(at);
    switch (tool_) {
        case MapTool::select:
            if (toggled_ != 0) {
                auto selection = session_->selection();
                if (!selection.erase(toggled_)) selection.insert(toggled_);
                session_->select(selection);
            } else if (grip == Grip::pan) {
                session_->select({});
            }
            break;
        case MapTool::waypoint:
            addWaypoint(at);
            break;
        case MapTool::home:
            session_->edit("Set home", [&](Plan& plan) {
                plan.home = Home{where, session_->terrain()->sample(where)};
            });
            session_->select({kHomeId});
            setTool(MapTool::select);
            break;
        case MapTool::lookAt: {
            const auto selection = session_->selection();
            const ItemId id = selection.size() == 1 ? *selection.begin() : 0;
            session_->edit("Add look-at", [&](Plan& plan) {
                if (Item* item = plan.find(id)) item->actions.push_back(LookAt{where, Height::aboveGround(2), ""});
            });
            setTool(MapTool::select);
            break;
        }
        default:
            if (shape_.size() >= 3 && toPoint(view_.toScreen(shape_.front()), at) < kReach)
                finishShape();
            else
                shape_.push_back(where);
    }
    update();
}

void MapView::mouseDoubleClickEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton || !editable_) return;
    if (!shape_.empty()) return finishShape();
    GeoPoint where;
    if (tool_ == MapTool::select && itemAt(e->position()) == 0 && legAt(e->position(), &where))
        addWaypoint(e->position());
}

void MapView::wheelEvent(QWheelEvent* e) {
    zoomBy(std::pow(1.0015, e->angleDelta().y()), e->position());
    e->accept();
}

void MapView::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Escape) {
        if (!shape_.empty())
            cancelShape();
        else if (tool_ != MapTool::select)
            setTool(MapTool::select);
        else
            session_->select({});
    } else if ((e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) && !shape_.empty()) {
        finishShape();
    } else if (e->key() == Qt::Key_Backspace && !shape_.empty()) {
        shape_.pop_back();
        update();
    } else if (e->key() == Qt::Key_Plus || e->key() == Qt::Key_Equal) {
        zoomBy(1.4, rect().center());
    } else if (e->key() == Qt::Key_Minus) {
        zoomBy(1 / 1.4, rect().center());
    } else if (editable_ && !session_->selection().empty() && e->key() >= Qt::Key_Left && e->key() <= Qt::Key_Down) {
        // Nudge by a metre, ten with Shift.
        const double step = (e->modifiers() & Qt::ShiftModifier) != 0 ? 10 : 1;
        const double bearing = e->key() == Qt::Key_Left    ? 270
                               : e->key() == Qt::Key_Right ? 90
                               : e->key() == Qt::Key_Up    ? 0
                                                           : 180;
        const GeoPoint from = fromMercator(view_.centre);
        moveSelection(from, destination(from, bearing, step));
    } else {
        QWidget::keyPressEvent(e);
    }
}

void MapView::leaveEvent(QEvent*) {
    hover_.reset();
    emit hovered(std::nullopt);
    update();
}

void MapView::contextMenuEvent(QContextMenuEvent* e) {
    if (!editable_) return;
    const QPointF at = e->pos();
    if (const ItemId hit = itemAt(at); hit != 0 && !session_->isSelected(hit)) session_->select({hit});
    QMenu menu(this);
    GeoPoint where;
    if (legAt(at, &where)) menu.addAction("Insert waypoint here", [this, at] { addWaypoint(at); });
    menu.addAction("Set home here", [this, at] {
        const GeoPoint g = view_.toGeo(at);
        session_->edit("Set home", [&](Plan& plan) { plan.home = Home{g, session_->terrain()->sample(g)}; });
    });
    if (!session_->selection().empty())
        for (QAction* a : window()->actions())
            if (a->objectName() == "delete") menu.addAction(a);
    menu.exec(e->globalPos());
}

void MapView::updateStatus(QPointF at) {
    const GeoPoint p = view_.toGeo(at);
    const auto ground = session_->terrain()->sample(p);
    status_ = QString::fromStdString(fmt::format("{:.5f} {:.5f} · ground {}", p.lat_deg, p.lon_deg,
                                                 ground ? fmt::format("{:.0f} m AMSL", *ground) : "unknown"));
    if (!session_->terrain()->empty())
        status_ += QString(" · terrain %1 m grid").arg(session_->terrain()->cell_m(), 0, 'f', 0);
}

void MapView::rebuildRuns() {
    runs_.clear();
    const Derived& d = *session_->derived();
    const Plan& plan = *d.plan;
    const auto& profile = d.view.clearance.profile;
    for (std::size_t i = 0; i + 1 < profile.size(); ++i) {
        if (profile[i].leg != profile[i + 1].leg || d.view.path.legs[profile[i].leg].climb) continue;
        const auto a = profile[i].clearance(), b = profile[i + 1].clearance();
        const double lowest = a && b ? std::min(*a, *b) : 0;
        const int level = !a || !b ? 3 : lowest < plan.clearance_min_m ? 2 : lowest < plan.clearance_margin_m ? 1 : 0;
        const QPointF pa = toMercator(profile[i].place), pb = toMercator(profile[i + 1].place);
        const bool joins = i > 0 && profile[i - 1].leg == profile[i].leg;
        if (!runs_.empty() && runs_.back().level == level && joins)
            runs_.back().b = pb;
        else
            runs_.push_back({pa, pb, level});
    }
}

}  // namespace anhinga

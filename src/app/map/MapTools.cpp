// What the mouse and keys do on the map: the drawing tools of Draft.
#include <QtWidgets>

#include "app/map/MapView.h"
#include "app/widgets/Quantity.h"
#include "core/exchange/Import.h"
#include "core/geo/Polygon.h"
#include "core/plan/Edit.h"

namespace anhinga {

namespace {

constexpr double kDragStart = 4;  // pixels before a press becomes a drag

}  // namespace

void MapView::addWaypoint(QPointF at) {
    GeoPoint where = view_.toGeo(at);
    const auto on_leg = legAt(at, &where);
    ItemId before = on_leg.value_or(0);
    if (before == 0) {
        // After the last selected item, where something may follow it.
        const Plan& plan = *session_->plan();
        int after = -1;
        for (const ItemId id : session_->selection()) after = std::max(after, plan.indexOf(id));
        if (after >= 0 && after + 1 < static_cast<int>(plan.items.size()) &&
            plan.items[static_cast<std::size_t>(after)].kind != ItemKind::land &&
            plan.items[static_cast<std::size_t>(after)].kind != ItemKind::returnHome)
            before = plan.items[static_cast<std::size_t>(after) + 1].id;
    }
    ItemId made = 0;
    session_->edit(on_leg ? "Insert waypoint" : "Add waypoint",
                   [&](Plan& plan) { made = insertWaypoint(plan, where, before, session_->terrain()->sample(where)); });
    session_->select({made});
}

void MapView::finishShape() {
    const bool line = drawsLine(tool_);
    if (tool_ == MapTool::measure) return;
    if (shape_.size() < (line ? 2 : 3)) {
        if (!shape_.empty())
            emit message(line ? "A line needs at least two points" : "An area needs at least three corners");
        return;
    }
    if (!line && selfCrossing(toLocal(LocalFrame(middleOf(shape_)), shape_))) {
        emit message("This outline crosses itself: move its corners apart, or take them back with Backspace");
        return;
    }
    const std::vector<GeoPoint> outline = std::exchange(shape_, {});
    if (hole_of_ != 0) return addHole(outline);
    ItemId made = 0;
    switch (tool_) {
        case MapTool::block:
        case MapTool::corridor:
        case MapTool::face:
        case MapTool::lap:
            made = addPattern(*patternOf(tool_), outline);
            break;
        case MapTool::wire:
        case MapTool::trees:
            session_->edit(line ? "Add wire" : "Add trees", [&](Plan& plan) {
                Obstacle o;
                o.id = made = plan.newId();
                o.kind = line ? ObstacleKind::wire : ObstacleKind::trees;
                o.height_m = line ? 15 : 12;
                o.points = outline;
                plan.obstacles.push_back(std::move(o));
            });
            break;
        default: {
            const bool in = tool_ == MapTool::keepIn;
            session_->edit(in ? "Add keep-in fence" : "Add keep-out fence", [&](Plan& plan) {
                made = plan.newId();
                plan.fences.push_back({made, in ? FenceKind::keepIn : FenceKind::keepOut, "", outline, ""});
            });
        }
    }
    session_->select({made});
    setTool(tool_ == MapTool::face ? MapTool::side : MapTool::select);
}

void MapView::takeSide(GeoPoint where) {
    const auto& selection = session_->selection();
    const Item* face = selection.size() == 1 ? session_->plan()->find(*selection.begin()) : nullptr;
    setTool(MapTool::select);
    if (face == nullptr || face->kind != ItemKind::face || face->pattern->outline.size() < 2) return;
    const LocalFrame frame(middleOf(face->pattern->outline));
    const auto line = toLocal(frame, face->pattern->outline);
    const Vec2 at = frame.toLocal(where);
    // Beside the piece of the line that is nearest.
    std::size_t nearest = 0;
    for (std::size_t k = 1; k + 1 < line.size(); ++k)
        if (distanceToSegment(at, line[k], line[k + 1]).distance_m <
            distanceToSegment(at, line[nearest], line[nearest + 1]).distance_m)
            nearest = k;
    const Vec2 along = line[nearest + 1] - line[nearest], to = at - line[nearest];
    const bool left = along.x * to.y - along.y * to.x > 0;
    if (left == face->pattern->left_side) return;
    session_->edit("Choose side of face", [&, id = face->id](Plan& plan) {
        if (Item* i = plan.find(id)) i->pattern.edit().left_side = left;
    });
}

ItemId MapView::addPattern(ItemKind kind, std::vector<GeoPoint> outline) {
    ItemId made = 0;
    session_->edit(QString("Add %1").arg(QString(kindText(kind)).toLower()), [&](Plan& plan) {
        Item item = patternItem(kind, std::move(outline));
        item.id = made = plan.newId();
        plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(endOfRoute(plan)), std::move(item));
    });
    return made;
}

std::optional<ItemKind> MapView::patternOf(MapTool tool) {
    switch (tool) {
        case MapTool::block:
            return ItemKind::block;
        case MapTool::corridor:
            return ItemKind::corridor;
        case MapTool::rings:
            return ItemKind::rings;
        case MapTool::face:
            return ItemKind::face;
        case MapTool::lap:
            return ItemKind::lap;
        default:
            return std::nullopt;
    }
}

bool MapView::drawsLine(MapTool tool) {
    return tool == MapTool::wire || tool == MapTool::corridor || tool == MapTool::face;
}

bool MapView::drawsArea(MapTool tool) {
    return tool == MapTool::block || tool == MapTool::lap || tool == MapTool::keepIn || tool == MapTool::keepOut ||
           tool == MapTool::trees;
}

std::vector<GeoPoint> MapView::rectangle() const {
    const QRectF box = QRectF(pressed_at_, last_at_).normalized();
    return {view_.toGeo(box.topLeft()), view_.toGeo(box.topRight()), view_.toGeo(box.bottomRight()),
            view_.toGeo(box.bottomLeft())};
}

void MapView::drawHole(ItemId block) {
    setTool(MapTool::block);
    hole_of_ = block;
    emit message("Draw the area that is left out: click its corners, or drag with Shift");
}

void MapView::addHole(std::vector<GeoPoint> outline) {
    const ItemId block = std::exchange(hole_of_, 0);
    const Item* item = session_->plan()->find(block);
    setTool(MapTool::select);
    if (item == nullptr || item->kind != ItemKind::block) return;
    const LocalFrame frame(middleOf(item->pattern->outline));
    const RingIndex area(toLocal(frame, item->pattern->outline));
    for (const Vec2& corner : toLocal(frame, outline))
        if (!area.contains(corner)) return emit message("Not left out: it must lie inside of the Block");
    session_->edit("Leave out area", [&](Plan& plan) {
        if (Item* i = plan.find(block)) i->pattern.edit().holes.push_back(std::move(outline));
    });
    session_->select({block});
}

std::optional<std::pair<ItemId, std::size_t>> MapView::holeAt(QPointF at) const {
    for (const Item& item : session_->plan()->items) {
        if (item.kind != ItemKind::block) continue;
        for (std::size_t k = 0; k < item.pattern->holes.size(); ++k)
            if (polygon(item.pattern->holes[k]).containsPoint(at, Qt::OddEvenFill)) return std::pair{item.id, k};
    }
    return std::nullopt;
}

void MapView::cancelShape() {
    hole_of_ = 0;
    shape_.clear();
    update();
}

void MapView::moveSelection(GeoPoint from, GeoPoint to) {
    const double dlat = to.lat_deg - from.lat_deg, dlon = wrapLongitude(to.lon_deg - from.lon_deg);
    const auto shifted = [&](GeoPoint p) {
        return GeoPoint{std::clamp(p.lat_deg + dlat, -89.9, 89.9), wrapLongitude(p.lon_deg + dlon)};
    };
    session_->edit(
        "Move",
        [&](Plan& plan) {
            Ids ids = session_->selection();
            ids.erase(kHomeId);
            mapPlaces(plan, ids, shifted);
            if (session_->isSelected(kHomeId) && plan.home) {
                const GeoPoint home = shifted(plan.home->position);
                moveHome(plan, home, session_->terrain()->sample(home));
            }
        },
        drag_number_);
}

GeoPoint MapView::snapped(GeoPoint from, GeoPoint to) {
    // Whole multiples of 15 degrees and of a round length that suits the zoom.
    const double step = std::max(1.0, std::pow(10, std::floor(std::log10(view_.metresPerPixel() * 40))));
    const double bearing = std::round(bearing_deg(from, to) / 15) * 15;
    return destination(from, bearing, std::round(distance_m(from, to) / step) * step);
}

void MapView::placePoint(GeoPoint where) {
    ItemId made = 0;
    const char* names[] = {"Add rally point", "Add mast", "Add keep-out circle"};
    const int which = tool_ == MapTool::rally ? 0 : tool_ == MapTool::mast ? 1 : 2;
    session_->edit(names[which], [&](Plan& plan) {
        made = plan.newId();
        if (which == 0) {
            RallyPoint r;
            r.id = made;
            r.position = where;
            plan.rally.push_back(std::move(r));
        } else if (which == 1) {
            Obstacle o;
            o.id = made;
            o.points = {where};
            plan.obstacles.push_back(std::move(o));
        } else {
            Fence f;
            f.id = made;
            f.kind = FenceKind::keepOut;
            f.outline = {where};
            f.radius_m = std::max(5.0, std::round(view_.metresPerPixel() * 60));
            plan.fences.push_back(std::move(f));
        }
    });
    session_->select({made});
    setTool(MapTool::select);
}

// ---- events

void MapView::mousePressEvent(QMouseEvent* e) {
    setFocus();
    const QPointF at = e->position();
    pressed_at_ = last_at_ = at;
    moved_ = false;
    toggled_ = 0;
    grabbed_ = grab_start_ = view_.toGeo(at);
    drag_text_.clear();
    ++drag_number_;
    grip_ = Grip::none;
    if (e->button() == Qt::MiddleButton) grip_ = Grip::pan;
    if (e->button() != Qt::LeftButton) return;
    if (picking_area_) {
        grip_ = Grip::area;
        return;
    }
    if (!editable_) {
        grip_ = Grip::pan;
        return;
    }
    if (tool_ != MapTool::select) {
        // A drag pans, a click draws; with Shift, an area is drawn as a rectangle from corner to corner.
        const bool corners = drawsArea(tool_) && shape_.empty() && (e->modifiers() & Qt::ShiftModifier) != 0;
        grip_ = corners ? Grip::rectangle : Grip::pan;
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
            case Grip::items: {
                GeoPoint to = here;
                if ((e->modifiers() & Qt::ShiftModifier) != 0) to = snapped(grab_start_, here);
                moveSelection(grabbed_, to);
                grabbed_ = to;
                drag_text_ = QString("%1 m · %2°")
                                 .arg(distance_m(grab_start_, to), 0, 'f', distance_m(grab_start_, to) < 100 ? 1 : 0)
                                 .arg(bearing_deg(grab_start_, to), 0, 'f', 0);
                if (const auto& low = session_->derived()->view.clearance.lowest_m)
                    drag_text_ += QString(" · lowest clearance %1 m").arg(*low, 0, 'f', 0);
                break;
            }
            case Grip::corner:
                session_->edit(
                    corner_.edge ? "Add corner" : "Move corner",
                    [&](Plan& plan) {
                        std::vector<GeoPoint>* outline = ringToEdit(plan, corner_.owner, corner_.ring);
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
    drag_text_.clear();
    if (grip == Grip::area) {
        picking_area_ = false;
        setCursor(tool_ == MapTool::select ? Qt::ArrowCursor : Qt::CrossCursor);
        const QRectF box = QRectF(pressed_at_, at).normalized();
        const GeoPoint nw = view_.toGeo(box.topLeft()), se = view_.toGeo(box.bottomRight());
        if (box.width() > 3 && box.height() > 3) emit areaDrawn({se.lat_deg, nw.lon_deg, nw.lat_deg, se.lon_deg});
        update();
        return;
    }
    if (grip == Grip::box) {
        const QRectF box = QRectF(pressed_at_, at).normalized();
        std::set<ItemId> ids;
        for (const Item& item : session_->plan()->items)
            if (hasPosition(item.kind) && box.contains(view_.toScreen(item.position))) ids.insert(item.id);
        for (const RallyPoint& r : session_->plan()->rally)
            if (box.contains(view_.toScreen(r.position))) ids.insert(r.id);
        for (const Obstacle& o : session_->plan()->obstacles)
            if (box.contains(polygon(o.points).boundingRect())) ids.insert(o.id);
        for (const Fence& f : session_->plan()->fences)
            if (box.contains(polygon(f).boundingRect())) ids.insert(f.id);
        for (const Item& item : session_->plan()->items)
            if (isPattern(item.kind) && box.contains(polygon(item.pattern->outline).boundingRect()))
                ids.insert(item.id);
        if ((e->modifiers() & Qt::ControlModifier) != 0)
            ids.insert(session_->selection().begin(), session_->selection().end());
        session_->select(ids);
        update();
        return;
    }
    if (grip == Grip::rectangle && moved_) {
        shape_ = rectangle();
        finishShape();
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
            session_->edit("Set home", [&](Plan& plan) { moveHome(plan, where, session_->terrain()->sample(where)); });
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
        case MapTool::rings:
            session_->select({addPattern(ItemKind::rings, {view_.toGeo(at)})});
            setTool(MapTool::select);
            break;
        case MapTool::side:
            takeSide(where);
            break;
        case MapTool::rally:
        case MapTool::mast:
        case MapTool::circle:
            placePoint(where);
            break;
        default:
            if (tool_ != MapTool::measure && shape_.size() >= 3 && toPoint(view_.toScreen(shape_.front()), at) < kReach)
                finishShape();
            else
                shape_.push_back(!shape_.empty() && (e->modifiers() & Qt::ShiftModifier) != 0
                                     ? snapped(shape_.back(), where)
                                     : where);
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
    if (e->key() == Qt::Key_Escape && picking_area_) {
        picking_area_ = false;
        grip_ = Grip::none;
        setCursor(tool_ == MapTool::select ? Qt::ArrowCursor : Qt::CrossCursor);
        update();
        return;
    }
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
    const QPointF at = e->pos();
    const auto cut = cutAt(at);
    const auto offerSortie = [&](QMenu& to) {
        if (cut)
            to.addAction(QString::fromStdString("Begin a sortie at " + cutText(*session_->plan(), *cut)),
                         [this, cut] { emit sortieWanted(*cut); });
    };
    if (!editable_) {
        QMenu menu(this);
        offerSortie(menu);
        if (!menu.isEmpty()) menu.exec(e->globalPos());
        return;
    }
    if (const ItemId hit = itemAt(at); hit != 0 && !session_->isSelected(hit)) session_->select({hit});
    QMenu menu(this);
    GeoPoint where;
    const GeoPoint here = view_.toGeo(at);
    menu.addAction(legAt(at, &where) ? "Insert waypoint here" : "Add waypoint here", [this, at] { addWaypoint(at); });
    menu.addAction("Set home here", [this, here] {
        session_->edit("Set home", [&](Plan& plan) { moveHome(plan, here, session_->terrain()->sample(here)); });
    });
    if (const auto hole = holeAt(at)) {
        menu.addAction("Remove this left-out area", [this, hole] {
            session_->edit("Remove left-out area", [&](Plan& plan) {
                Item* i = plan.find(hole->first);
                if (i != nullptr && hole->second < i->pattern->holes.size())
                    i->pattern.edit().holes.erase(i->pattern->holes.begin() +
                                                  static_cast<std::ptrdiff_t>(hole->second));
            });
        });
    } else if (const Item* item =
                   session_->plan()->find(session_->selection().size() == 1 ? *session_->selection().begin() : 0);
               item != nullptr && item->kind == ItemKind::block) {
        menu.addAction("Leave an area out of this Block", [this, id = item->id] { drawHole(id); });
        menu.addAction("Fly a lap around this Block", [this, id = item->id] {
            std::optional<ItemId> lap;
            session_->edit("Add lap", [&](Plan& plan) { lap = addLapAround(plan, id); });
            if (lap) session_->select({*lap});
        });
    }
    offerSortie(menu);
    menu.addAction("Copy coordinate", [here] { QApplication::clipboard()->setText(shownCoordinate(here)); });
    menu.addSeparator();
    const bool some = !session_->selection().empty();
    for (const char* name : {"cut", "copy", "paste", "duplicate", "reverse", "delete"})
        for (QAction* a : window()->actions())
            if (a->objectName() == name && (some || a->objectName() == "paste")) menu.addAction(a);
    menu.exec(e->globalPos());
}

}  // namespace anhinga

#include "app/map/MapView.h"

#include <QtWidgets>
#include <bit>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/geo/Polygon.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {
constexpr double kMinScale = 900, kMaxScale = 4e9, kCloseScale = 6e7;
constexpr double kBarHeight_px = 90;  // of what lies over the upper edge, and a label below it
constexpr double kToolsWidth_px = 150;
}  // namespace

MapView::MapView(PlanSession* session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("map");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(320, 240);
    const QVariantList last = QSettings().value("map/view").toList();
    if (last.size() == 3) {
        const GeoPoint place{last[0].toDouble(), last[1].toDouble()};
        if (isValid(place)) view_.centre = toMercator(place);
        if (const double scale = last[2].toDouble(); scale > 0) view_.scale = std::clamp(scale, kMinScale, kMaxScale);
    }
    const auto pictures = [this] {
        std::vector<std::string> files;
        for (const std::string& f : session_->plan()->imagery_files)
            files.push_back(resolveBeside(session_->path().toStdString(), f));
        layers_.setPlanPictures(files);
    };
    connect(session_, &PlanSession::planChanged, this, [this, pictures] {
        shape_.clear();
        pictures();
        update();
    });
    connect(session_, &PlanSession::selectionChanged, this, [this] {
        rebuildRuns();
        update();
    });
    connect(session_, &PlanSession::derivedChanged, this, [this] {
        rebuildRuns();
        tellCover();
        update();
    });
    connect(session_, &PlanSession::counting, this, [this](double share) {
        if (layers_.setCountingShare(share)) update();
    });
    connect(session_, &PlanSession::terrainChanged, this, [this] { layers_.setTerrain(session_->terrain()); });
    connect(session_, &PlanSession::opened, this, [this, pictures] {
        pictures();
        showWholePlan();
    });
    connect(&layers_, &LayerStack::changed, this, [this] {
        still_ = {};
        update();
    });
    connect(&layers_, &LayerStack::listChanged, this, [this] {
        for (const auto& l : layers_.layers())
            if (l->spec().kind == LayerKind::planPicture && l->spec().visible && !l->problem().isEmpty())
                emit message(l->problem());
    });
}

void MapView::setTheme(const Theme& theme) {
    theme_ = theme;
    still_ = {};
    update();
}

void MapView::setTool(MapTool tool) {
    if (tool != tool_ || hole_of_ != 0) cancelShape();
    tool_ = editable_ ? tool : MapTool::select;
    setCursor(tool_ == MapTool::select ? Qt::ArrowCursor : Qt::CrossCursor);
    emit toolChanged(tool_);
    if (tool_ == MapTool::side)
        emit message(
            "Click the side on which it is flown; the camera looks across the line from there. Esc leaves it as it is");
    update();
}

void MapView::setEditable(bool on) {
    editable_ = on;
    if (!on) setTool(MapTool::select);
}

void MapView::setFlown(bool on) {
    if (on == flown_) return;
    flown_ = on;
    rebuildRuns();
    update();
}

const PlanView& MapView::shownView() const {
    return flown_ ? session_->flownView() : session_->derived()->view;
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
    std::vector<GeoPoint> all = placesOfWhole(*session_->plan());
    if (all.empty() && !session_->terrain()->empty()) {
        const ElevationRaster& r = *session_->terrain()->rasters().front();
        all = {{r.north_deg(), r.west_deg()},
               {r.north_deg() - r.stepLat_deg() * r.height(), r.west_deg() + r.stepLon_deg() * r.width()}};
    }
    if (all.empty()) return;
    fit(all, kMaxScale);
}

void MapView::showPlaces(const std::vector<GeoPoint>& places) {
    if (!places.empty()) fit(places, 4 * kCloseScale, kBarHeight_px);
}

void MapView::fit(const std::vector<GeoPoint>& places, double most_scale, double top_px) {
    const QPointF middle = toMercator(middleOf(places));
    double w = 1e-7, h = 1e-7;
    for (const GeoPoint& p : places) {
        const QPointF m = toMercator(p);
        w = std::max(w, std::abs(std::remainder(m.x() - middle.x(), 1.0)) * 2);
        h = std::max(h, std::abs(m.y() - middle.y()) * 2);
    }
    view_.size = size();
    // The tools lie over the left edge.
    const double tools = editable_ && width() > 3 * kToolsWidth_px ? kToolsWidth_px : 0;
    view_.scale = std::clamp(0.84 * std::min((width() - tools) / w, (height() - top_px) / h), kMinScale, most_scale);
    view_.centre = middle - QPointF(tools / 2 / view_.scale, top_px / 2 / view_.scale);
    update();
}

void MapView::showBox(const UnitBox& box) {
    view_.size = size();
    view_.centre = {(box.left + box.right) / 2, (box.top + box.bottom) / 2};
    view_.scale =
        std::clamp(0.9 * std::min(width() / std::max(1e-9, box.width()), height() / std::max(1e-9, box.height())),
                   kMinScale, kMaxScale);
    update();
}

void MapView::rememberView() const {
    const GeoPoint middle = fromMercator(view_.centre);
    QSettings().setValue("map/view", QVariantList{middle.lat_deg, middle.lon_deg, view_.scale});
}

void MapView::pickArea() {
    picking_area_ = true;
    setCursor(Qt::CrossCursor);
    emit message("Draw a rectangle on the map; Esc gives up");
}

void MapView::setFrame(std::optional<GeoBox> frame) {
    if (frame == frame_) return;
    frame_ = frame;
    update();
}

void MapView::showSelection() {
    const std::vector<GeoPoint> places = placesOf(*session_->plan(), session_->selection());
    // What has an extent is shown whole, a point in the middle of what is around it.
    if (places.size() > 1)
        fit(places, std::max(view_.scale, kCloseScale));
    else if (!places.empty())
        showPlace(places.front());
}

void MapView::showPlace(GeoPoint place) {
    view_.centre = toMercator(place);
    update();
}

void MapView::keepInView(GeoPoint place) {
    const QPointF at = view_.toScreen(place);
    const QRectF inner = QRectF(rect()).adjusted(width() * 0.2, height() * 0.2, -width() * 0.2, -height() * 0.2);
    if (inner.contains(at)) return;
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
    for (const RallyPoint& r : plan.rally)
        if (best == 0 && toPoint(view_.toScreen(r.position), at) < kReach) best = r.id;
    for (const Obstacle& o : plan.obstacles)
        if (best == 0 && o.kind == ObstacleKind::mast && toPoint(view_.toScreen(o.points.front()), at) < kReach)
            best = o.id;
    if (best == 0 && plan.home && toPoint(view_.toScreen(plan.home->position), at) < kReach) return kHomeId;
    return best;
}

ItemId MapView::shapeAt(QPointF at) const {
    const auto nearLine = [&](const QPolygonF& line, bool closed) {
        for (int i = closed ? 0 : 1; i < line.size(); ++i) {
            const QPointF a = line[i == 0 ? line.size() - 1 : i - 1], b = line[i];
            if (distanceToSegment({at.x(), at.y()}, {a.x(), a.y()}, {b.x(), b.y()}).distance_m < 6) return true;
        }
        return false;
    };
    const auto nearEdge = [&](const std::vector<GeoPoint>& outline) { return nearLine(polygon(outline), true); };
    for (const Item& item : session_->plan()->items)
        if (isPattern(item.kind)) {
            const QPolygonF outline = polygon(item.pattern->outline);
            if (nearLine(outline, hasArea(item.kind)) ||
                (item.kind == ItemKind::block && outline.containsPoint(at, Qt::OddEvenFill)) ||
                (item.kind == ItemKind::rings && !outline.isEmpty() && toPoint(outline[0], at) < kReach))
                return item.id;
        }
    for (const Obstacle& o : session_->plan()->obstacles)
        if (o.kind != ObstacleKind::mast && nearLine(polygon(o.points), o.kind == ObstacleKind::trees)) return o.id;
    for (const Fence& fence : session_->plan()->fences)
        if (nearLine(polygon(fence), true)) return fence.id;
    for (const Zone& z : session_->plan()->zones)
        if (nearEdge(z.outline)) return z.id;
    return 0;
}

std::optional<MapView::Corner> MapView::cornerAt(QPointF at) const {
    for (const ItemId id : session_->selection()) {
        const Plan& plan = *session_->plan();
        const auto rings = ringsOf(plan, id);
        for (std::size_t r = 0; r < rings.size(); ++r) {
            const std::vector<GeoPoint>& ring = *rings[r];
            for (std::size_t i = 0; i < ring.size(); ++i)
                if (toPoint(view_.toScreen(ring[i]), at) < kReach) return Corner{id, i, false, r};
            if (ring.size() < 2) continue;
            const std::size_t edges = ring.size() - (outlineIsLine(plan, id) ? 1 : 0);
            for (std::size_t i = 0; i < edges; ++i) {
                const QPointF a = view_.toScreen(ring[i]), b = view_.toScreen(ring[(i + 1) % ring.size()]);
                if (toPoint(a, b) > 40 && toPoint((a + b) / 2, at) < kReach) return Corner{id, i + 1, true, r};
            }
        }
    }
    return std::nullopt;
}

const std::vector<GeoPoint>* MapView::outlineOf(const Plan& plan, ItemId id) {
    if (const Item* item = plan.find(id); item != nullptr && isPattern(item->kind)) return &item->pattern->outline;
    if (const Fence* fence = plan.findFence(id); fence != nullptr && !fence->isCircle()) return &fence->outline;
    if (const Obstacle* o = plan.findObstacle(id); o != nullptr && o->kind != ObstacleKind::mast) return &o->points;
    return nullptr;
}

std::vector<const std::vector<GeoPoint>*> MapView::ringsOf(const Plan& plan, ItemId id) {
    std::vector<const std::vector<GeoPoint>*> rings;
    if (const auto* outline = outlineOf(plan, id)) rings.push_back(outline);
    if (const Item* item = plan.find(id); item != nullptr && item->kind == ItemKind::block)
        for (const auto& hole : item->pattern->holes) rings.push_back(&hole);
    return rings;
}

std::vector<GeoPoint>* MapView::ringToEdit(Plan& plan, ItemId id, std::size_t ring) {
    if (Item* item = plan.find(id); item != nullptr && isPattern(item->kind)) {
        Pattern& pattern = item->pattern.edit();
        if (ring == 0) return &pattern.outline;
        return ring <= pattern.holes.size() ? &pattern.holes[ring - 1] : nullptr;
    }
    return const_cast<std::vector<GeoPoint>*>(outlineOf(plan, id));
}

bool MapView::outlineIsLine(const Plan& plan, ItemId id) {
    const Item* item = plan.find(id);
    const Obstacle* o = plan.findObstacle(id);
    return (item != nullptr && isPattern(item->kind) && !hasArea(item->kind)) ||
           (o != nullptr && o->kind == ObstacleKind::wire);
}

std::optional<ItemId> MapView::legAt(QPointF at, GeoPoint* where) const {
    const Path& path = session_->derived()->view.path;
    if (session_->derived()->plan != session_->plan()) return std::nullopt;
    for (const PathLeg& leg : path.legs) {
        if (leg.climb || leg.repeat || leg.way_home || leg.item_from == leg.source) continue;
        const QPointF from = view_.toScreen(path.points[leg.from].position),
                      to = view_.toScreen(path.points[leg.to].position);
        if (toPoint(at, from) < kReach || toPoint(at, to) < kReach) continue;  // the points themselves
        for (std::size_t i = leg.line_from + 1; i < leg.line_to; ++i) {
            const QPointF pa = view_.toScreen(path.line[i - 1].position), pb = view_.toScreen(path.line[i].position);
            const auto d = distanceToSegment({at.x(), at.y()}, {pa.x(), pa.y()}, {pb.x(), pb.y()});
            if (d.distance_m > 7) continue;
            *where = view_.toGeo(pa + (pb - pa) * d.along);
            return leg.source;
        }
    }
    return std::nullopt;
}

void MapView::updateStatus(QPointF at) {
    const GeoPoint p = view_.toGeo(at);
    const auto ground = session_->terrain()->sample(p);
    status_ = shownCoordinate(p) + inUnits(" · ground " + (ground ? fmt::format("{:.0f} m AMSL", *ground) : "unknown"));
    if (!session_->terrain()->empty())
        status_ += QString(" · terrain %1 m grid").arg(session_->terrain()->cell_m(), 0, 'f', 0);
}

void MapView::rebuildRuns() {
    std::vector<Run> before = std::move(runs_);
    runs_.clear();
    std::vector<std::vector<GeoPoint>> lines;  // of the runs
    const std::uint64_t still_before = still_runs_;
    ++runs_made_;
    const Derived& d = *session_->derived();
    const Plan& plan = *d.plan;
    const PlanView& view = shownView();
    // Change of direction (radians) below which a point of the line is not needed.
    constexpr double kStraight = 0.02;
    const double lat_scale = plan.home ? 1 / std::max(0.05, std::cos(plan.home->position.lat_deg * M_PI / 180)) : 1;
    // A leg moves with either of its ends, and its corner with the end of the leg before.
    const auto& legs = view.path.legs;
    std::vector<bool> moves(legs.size(), false);
    for (std::size_t k = 0; k < legs.size(); ++k) {
        const bool touched = session_->isSelected(legs[k].source) || session_->isSelected(legs[k].item_from) ||
                             session_->isSelected(view.path.points[legs[k].to].source);
        if (!touched) continue;
        moves[k] = true;
        if (k + 1 < legs.size()) moves[k + 1] = true;
    }
    still_runs_ = 14695981039346656037ULL;
    const auto mix = [this](double value) {
        still_runs_ = (still_runs_ ^ std::bit_cast<std::uint64_t>(value)) * 1099511628211ULL;
    };
    for (const auto* profile : {&view.clearance.profile, &view.clearance.repeats}) {
        const bool repeat = profile == &view.clearance.repeats;
        std::vector<GeoPoint> line;  // of the run being built
        bool moving = false;
        int level = -1;
        const auto close = [&] {
            if (line.size() > 1) {
                Run run{{}, std::max(level, 0), repeat, moving};
                if (!moving) {
                    mix(level * 2 + repeat);
                    for (const GeoPoint& g : line) {
                        mix(g.lat_deg);
                        mix(g.lon_deg);
                    }
                }
                runs_.push_back(std::move(run));
                lines.push_back(std::move(line));
            }
            line.clear();
            level = -1;
        };
        for (std::size_t i = 0; i < profile->size(); ++i) {
            const ProfileSample& s = (*profile)[i];
            if (view.path.legs[s.leg].climb) {
                close();
                continue;
            }
            const bool starts = i == 0 || (*profile)[i - 1].leg != s.leg;
            if (line.empty() || (starts && (repeat || moves[s.leg] != moving))) {
                close();
                moving = moves[s.leg];
                line.push_back(s.place);
                continue;
            }
            const auto a = (*profile)[i - 1].clearance(), b = s.clearance();
            const double lowest = a && b ? std::min(*a, *b) : 0;
            const int now = !a || !b ? 3 : lowest < plan.clearance_min_m ? 2 : lowest < plan.clearance_margin_m ? 1 : 0;
            if (level != -1 && now != level) {
                const GeoPoint last = line.back();
                close();
                line.push_back(last);
            }
            level = now;
            if (line.size() > 1) {
                const GeoPoint &p = line[line.size() - 2], &q = line.back();
                const double ux = q.lon_deg - p.lon_deg, uy = (q.lat_deg - p.lat_deg) * lat_scale;
                const double vx = s.place.lon_deg - q.lon_deg, vy = (s.place.lat_deg - q.lat_deg) * lat_scale;
                const double along = ux * vx + uy * vy;
                if (along > 0 && std::abs(ux * vy - uy * vx) < kStraight * along) {
                    line.back() = s.place;
                    continue;
                }
            }
            if (!(line.back() == s.place)) line.push_back(s.place);
        }
        close();
    }
    for (const Item& item : plan.items) {
        if (session_->isSelected(item.id)) continue;
        mix(item.position.lat_deg);
        mix(item.position.lon_deg);
    }
    // What did not move keeps its points on the map.
    std::erase_if(before, [](const Run& r) { return r.at_selection; });
    std::size_t next = 0;
    strokes_ = 0;
    for (std::size_t i = 0; i < runs_.size(); ++i) {
        Run& run = runs_[i];
        if (!run.at_selection && still_runs_ == still_before && next < before.size() &&
            before[next].points.size() == static_cast<int>(lines[i].size())) {
            run.points = std::move(before[next].points);
        } else {
            run.points.reserve(static_cast<int>(lines[i].size()));
            for (const GeoPoint& g : lines[i]) run.points << toMercator(g);
        }
        next += !run.at_selection;
        strokes_ += static_cast<std::size_t>(run.points.size());
    }
}

}  // namespace anhinga

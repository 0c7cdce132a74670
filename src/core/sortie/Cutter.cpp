#include "core/sortie/Cutter.h"

#include <algorithm>
#include <cmath>

#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

constexpr double kFenceMargin_m = 5;
constexpr double kSameHeight_m = 1, kSamePlace_m = 0.05;

const RouteNav* navOf(const RouteStep& step) {
    return std::get_if<RouteNav>(&step.what);
}

}  // namespace

Cutter::Cutter(const Plan& plan, const Route& whole, const Terrain* terrain)
    : plan_(plan),
      whole_(whole),
      terrain_(terrain),
      frame_(plan.home ? plan.home->position : GeoPoint{}),
      transit_(plan.fences, frame_, kFenceMargin_m) {
    const auto& steps = whole.steps;
    // The take-off is flown by every sortie, the landing at the end by the last alone.
    const RouteNav* first = steps.empty() ? nullptr : navOf(steps.front());
    if (first != nullptr && first->kind == ItemKind::takeOff) {
        up_ = 1;
        while (up_ < steps.size() && navOf(steps[up_]) == nullptr) ++up_;
    }
    down_ = steps.size();
    for (std::size_t k = steps.size(); k-- > up_;) {
        const RouteNav* nav = navOf(steps[k]);
        if (nav == nullptr) continue;
        if (nav->kind != ItemKind::land && nav->kind != ItemKind::returnHome) break;
        down_ = k;
    }
    for (std::size_t k = 0; k < steps.size(); ++k) first_step_.try_emplace(steps[k].source, k);
    findLoops();
}

std::optional<CutPlace> Cutter::placeOf(const Cut& cut) const {
    const auto at = first_step_.find(cut.item);
    if (at == first_step_.end()) return std::nullopt;
    CutPlace place;
    place.cut = cut;
    place.begin = place.end = at->second;
    const PatternFlight* flight = whole_.flightOf(cut.item);
    if (cut.photo > 0) {
        if (flight == nullptr || !onPhoto(*flight, static_cast<std::size_t>(cut.photo) - 1, place)) return std::nullopt;
    } else if (cut.line > 1) {
        if (flight == nullptr || static_cast<std::size_t>(cut.line) > flight->spans.size()) return std::nullopt;
        const auto line = static_cast<std::size_t>(cut.line) - 1;
        place.first_photo = flight->spans[line].first_photo;
        place.begin = stepOfPoint(cut.item, flight->spans[line].first_point);
        place.end = afterActions(stepOfPoint(cut.item, flight->spans[line - 1].last_point));
    }
    const bool something = firstNav(up_) < place.end || (place.on_the_way && place.end > up_);
    if (!something || place.begin >= down_ || inLoop(place.end) || inLoop(place.begin)) return std::nullopt;
    return place;
}

std::vector<CutPlace> Cutter::placesOf(const std::vector<Cut>& cuts) const {
    std::vector<CutPlace> places;
    for (const Cut& cut : cuts)
        if (const auto place = placeOf(cut)) places.push_back(*place);
    std::stable_sort(places.begin(), places.end(), [](const CutPlace& a, const CutPlace& b) { return a.before(b); });
    const auto same = [](const CutPlace& a, const CutPlace& b) {
        return a.begin == b.begin && !a.on_the_way && !b.on_the_way;
    };
    places.erase(std::unique(places.begin(), places.end(), same), places.end());
    return places;
}

Sortie Cutter::part(const std::optional<CutPlace>& from, const std::optional<CutPlace>& to) const {
    const auto& steps = whole_.steps;
    Sortie sortie;
    Route& route = sortie.route;
    route.patterns = whole_.patterns;
    if (plan_.home) sortie.place = plan_.home->position;
    std::size_t begin = 0, end = to ? to->end : steps.size();
    OngoingActions doing;
    if (from) {
        sortie.from = from->cut;
        begin = from->begin;
        for (std::size_t k = 0; k < begin; ++k)
            if (const auto* action = std::get_if<Action>(&steps[k].what)) doing.note(*action);
        route.steps.insert(route.steps.end(), steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(up_));
        sortie.place = from->on_the_way ? from->on_the_way->position : navOf(steps[begin])->position;
        beginPart(*from, doing, route);
        if (!from->on_the_way) ++begin;  // its first place is flown to already
    }
    for (std::size_t k = begin; k < end; ++k) {
        if (const auto* action = std::get_if<Action>(&steps[k].what)) doing.note(*action);
        route.steps.push_back(steps[k]);
    }
    if (to) endPart(*to, doing, route);
    tell(from, to, sortie);
    return sortie;
}

std::vector<Cut> Cutter::candidates(bool within_lines) const {
    std::vector<Cut> cuts;
    ItemId last = 0;
    for (std::size_t k = up_; k < down_; ++k) {
        const ItemId id = whole_.steps[k].source;
        if (id == last || navOf(whole_.steps[k]) == nullptr) continue;
        last = id;
        cuts.push_back({id, 0, 0});
        const PatternFlight* flight = whole_.flightOf(id);
        if (flight == nullptr) continue;
        for (std::size_t line = 0; line < flight->spans.size(); ++line) {
            if (line > 0) cuts.push_back({id, static_cast<int>(line) + 1, 0});
            const LineSpan& span = flight->spans[line];
            if (within_lines)
                for (std::size_t photo = 1; photo < span.photos; ++photo)
                    cuts.push_back({id, 0, static_cast<int>(span.first_photo + photo) + 1});
        }
    }
    std::erase_if(cuts, [&](const Cut& cut) { return !placeOf(cut); });
    return cuts;
}

std::size_t Cutter::firstNav(std::size_t from) const {
    while (from < whole_.steps.size() && navOf(whole_.steps[from]) == nullptr) ++from;
    return from;
}

std::size_t Cutter::stepOfPoint(ItemId item, std::size_t point) const {
    std::size_t k = first_step_.at(item);
    for (std::size_t n = 0; k < whole_.steps.size(); ++k)
        if (navOf(whole_.steps[k]) != nullptr && n++ == point) break;
    return k;
}

void Cutter::findLoops() {
    for (std::size_t k = 0; k < whole_.steps.size(); ++k) {
        const auto* action = std::get_if<Action>(&whole_.steps[k].what);
        const auto* repeat = action != nullptr ? std::get_if<Repeat>(action) : nullptr;
        if (repeat == nullptr) continue;
        const auto at = first_step_.find(repeat->target);
        if (at != first_step_.end()) loops_.emplace_back(std::min(at->second, k), std::max(at->second, k));
    }
}

bool Cutter::inLoop(std::size_t step) const {
    return std::any_of(loops_.begin(), loops_.end(),
                       [&](const auto& loop) { return step > loop.first && step <= loop.second; });
}

bool Cutter::onPhoto(const PatternFlight& flight, std::size_t photo, CutPlace& place) const {
    const auto span = std::find_if(flight.spans.begin(), flight.spans.end(), [&](const LineSpan& s) {
        return photo >= s.first_photo && photo < s.first_photo + s.photos;
    });
    if (span == flight.spans.end()) return false;
    const PlannedPhoto& p = flight.photos[photo];
    const auto amslOfPoint = [&](std::size_t k) {
        return amslOf(plan_, terrain_, flight.points[k].place, flight.points[k].height).value_or(0);
    };
    const auto local = [&](GeoPoint g) { return frame_.toLocal(g); };
    const Vec2 at = local(p.place);
    double nearest = INFINITY, share = 0, run = 0;
    std::size_t leg = span->first_point;
    for (std::size_t k = span->first_point; k < span->last_point; ++k) {
        const Vec2 a = local(flight.points[k].place), b = local(flight.points[k + 1].place);
        const double za = amslOfPoint(k), zb = amslOfPoint(k + 1), z = p.amsl_m.value_or(0);
        const double run2 = dot(b - a, b - a) + (zb - za) * (zb - za);
        const double f = run2 > 0 ? std::clamp((dot(at - a, b - a) + (z - za) * (zb - za)) / run2, 0.0, 1.0) : 0;
        const Vec2 off = at - (a + (b - a) * f);
        const double d = std::hypot(length(off), p.amsl_m ? z - (za + (zb - za) * f) : 0);
        if (d >= nearest - 1e-6) continue;
        nearest = d;
        share = f;
        run = std::sqrt(run2);
        leg = k;
    }
    const PatternPoint &a = flight.points[leg], &b = flight.points[std::min(leg + 1, flight.points.size() - 1)];
    const bool at_begin = share * run < kSamePlace_m, at_end = (1 - share) * run < kSamePlace_m;
    if (at_begin || at_end) {
        const std::size_t point = at_begin ? leg : leg + 1;
        // All that is taken at this point belongs to the later part.
        while (photo > span->first_photo && samePlace(flight.photos[photo - 1], p)) --photo;
        place.first_photo = photo;
        place.begin = stepOfPoint(place.cut.item, point);
        place.end = place.begin;
        if (photo > span->first_photo) {
            // What lies before it on its leg is the earlier part's, which flies up to here.
            place.fly_to = *navOf(whole_.steps[place.begin]);
        } else if (span != flight.spans.begin()) {
            place.begin = stepOfPoint(place.cut.item, span->first_point);
            place.end = afterActions(stepOfPoint(place.cut.item, (span - 1)->last_point));
        } else {
            place.begin = place.end = first_step_.at(place.cut.item);
        }
        return true;
    }
    place.first_photo = photo;
    place.begin = stepOfPoint(place.cut.item, leg + 1);
    place.end = place.begin;
    RouteNav nav = *navOf(whole_.steps[place.begin]);
    nav.position = p.place;
    nav.height = a.height.ref == b.height.ref
                     ? Height{a.height.value_m + (b.height.value_m - a.height.value_m) * share, a.height.ref}
                     : Height::amsl(p.amsl_m.value_or(0));
    place.on_the_way = place.fly_to = nav;
    return true;
}

bool Cutter::samePlace(const PlannedPhoto& a, const PlannedPhoto& b) {
    return distance_m(a.place, b.place) < kSamePlace_m &&
           std::abs(a.amsl_m.value_or(0) - b.amsl_m.value_or(0)) < kSamePlace_m;
}

double Cutter::heightOverHome(GeoPoint at, Height height) const {
    const auto over = converted(plan_, terrain_, at, height, HeightRef::home);
    return over ? over->value_m : -INFINITY;
}

RouteNav Cutter::way(GeoPoint at, double height_m) const {
    RouteNav nav;
    nav.position = at;
    nav.height = Height::aboveHome(height_m);
    nav.speed_mps = plan_.defaults.speed_mps;
    nav.acceptance_m = plan_.defaults.acceptance_m;
    return nav;
}

std::vector<GeoPoint> Cutter::around(GeoPoint from, GeoPoint to) const {
    std::vector<GeoPoint> places;
    if (const auto by = transit_.between(frame_.toLocal(from), frame_.toLocal(to)))
        for (const Vec2& p : *by) places.push_back(frame_.toGeo(p));
    return places;
}

void Cutter::beginPart(const CutPlace& from, const OngoingActions& doing, Route& route) const {
    const RouteStep& first = whole_.steps[from.begin];
    const RouteNav nav = from.on_the_way ? *from.on_the_way : *navOf(first);
    const ItemId source = up_ > 0 ? whole_.steps.front().source : first.source;
    if (plan_.home) {
        const double own = heightOverHome(nav.position, nav.height);
        const double height =
            std::max({plan_.return_height_m, own,
                      up_ > 0 ? heightOverHome(plan_.home->position, navOf(whole_.steps[0])->height) : 0});
        const auto by = around(plan_.home->position, nav.position);
        const GeoPoint next = by.empty() ? nav.position : by.front();
        if (distance_m(plan_.home->position, next) > plan_.traits.first_waypoint_max_m)
            route.steps.push_back({source, way(plan_.home->position, height)});
        for (const GeoPoint& place : by) route.steps.push_back({source, way(place, height)});
        if (height > own + kSameHeight_m) route.steps.push_back({source, way(nav.position, height)});
    }
    route.steps.push_back({first.source, nav});
    for (const Action& action : doing.taken()) route.steps.push_back({first.source, action});
}

void Cutter::endPart(const CutPlace& to, const OngoingActions& doing, Route& route) const {
    const ItemId source = to.fly_to || to.end == 0 ? to.cut.item : whole_.steps[to.end - 1].source;
    if (to.fly_to) route.steps.push_back({source, *to.fly_to});
    for (const Action& action : doing.ended()) route.steps.push_back({source, action});
    const ItemId home = down_ < whole_.steps.size() ? whole_.steps[down_].source : source;
    RouteNav back;
    back.kind = ItemKind::returnHome;
    back.height = Height::aboveHome(plan_.return_height_m);
    back.speed_mps = plan_.defaults.speed_mps;
    back.acceptance_m = plan_.defaults.acceptance_m;
    if (plan_.home) {
        back.position = plan_.home->position;
        const RouteNav* last = nullptr;
        for (const RouteStep& step : route.steps)
            if (navOf(step) != nullptr) last = navOf(step);
        const auto by = last != nullptr ? around(last->position, back.position) : std::vector<GeoPoint>{};
        if (!by.empty()) {
            const double height = std::max(plan_.return_height_m, heightOverHome(last->position, last->height));
            const GeoPoint over = last->position;
            route.steps.push_back({home, way(over, height)});
            for (const GeoPoint& place : by) route.steps.push_back({home, way(place, height)});
        }
    }
    route.steps.push_back({home, back});
}

void Cutter::tell(const std::optional<CutPlace>& from, const std::optional<CutPlace>& to, Sortie& sortie) const {
    const std::size_t begin = from ? from->begin : up_;
    // Two cuts on one leg have no point between them, but photos.
    const std::size_t end = std::max(to ? to->end : down_, from && from->on_the_way ? begin + 1 : begin);
    std::vector<std::string> names;
    for (std::size_t k = begin; k < end;) {
        const ItemId id = whole_.steps[k].source;
        std::string name = cutText(plan_, {id, 0, 0});
        if (const PatternFlight* flight = whole_.flightOf(id)) {
            const auto share = shareOf(id, *flight, from, to);
            sortie.photos += share.photos;
            if (sortie.first_photo.item == 0) sortie.first_photo = {id, 0, share.first_photo + 1};
            if (share.whole) sortie.route.area_m2 += flight->area_m2;
            if (!share.text.empty()) name += ", " + share.text;
        }
        names.push_back(std::move(name));
        while (k < end && whole_.steps[k].source == id) ++k;
    }
    sortie.route.photos = static_cast<std::size_t>(sortie.photos);
    if (names.empty()) return;
    sortie.text = names.size() == 1   ? names.front()
                  : names.size() == 2 ? names.front() + " and " + names.back()
                                      : names.front() + " to " + names.back();
}

Cutter::Share Cutter::shareOf(ItemId id, const PatternFlight& flight, const std::optional<CutPlace>& from,
                              const std::optional<CutPlace>& to) const {
    Share share;
    std::size_t first = 0, last = flight.photos.size();  // photos
    int line = 1, line_last = flight.lines;
    const auto lineOf = [&](int photo) {
        int n = 0;
        for (const LineSpan& s : flight.spans)
            if (static_cast<std::size_t>(photo - 1) >= s.first_photo) ++n;
        return n;
    };
    bool by_photo = false;
    if (from && from->cut.item == id) {
        first = from->first_photo;
        line = from->cut.photo > 0 ? lineOf(from->cut.photo) : std::max(1, from->cut.line);
        by_photo |= from->cut.photo > 0;
    }
    if (to && to->cut.item == id) {
        last = std::max(first, to->first_photo);
        line_last = to->cut.photo > 0 ? lineOf(to->cut.photo) : to->cut.line - 1;
        by_photo |= to->cut.photo > 0;
    }
    share.photos = static_cast<int>(last - first);
    share.first_photo = static_cast<int>(first);
    share.whole = first == 0 && last == flight.photos.size() && line == 1 && line_last == flight.lines;
    if (share.whole) return share;
    if (by_photo)
        share.text = fmt::format("photos {} to {}", first + 1, last);
    else if (line_last > line)
        share.text = fmt::format("lines {} to {}", line, line_last);
    else
        share.text = fmt::format("line {}", line);
    return share;
}

}  // namespace anhinga

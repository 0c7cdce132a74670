// Plan and route -> sorties: where a cut lies among the steps, and what each part needs around it.
#include "core/sortie/Sorties.h"

#include <algorithm>
#include <cmath>

#include "core/geo/Polygon.h"
#include "core/pattern/Transit.h"

namespace anhinga {

namespace {

constexpr double kFenceMargin_m = 5;
constexpr double kSameHeight_m = 1, kSamePlace_m = 0.05;

/// A cut among the steps of the whole route: the earlier part ends before `end`, the later begins at `begin`. A cut on
/// the way between two points has that place as `on_the_way`, from which the later part begins.
struct Place {
    Cut cut;
    std::size_t end = 0, begin = 0;
    std::optional<RouteNav> on_the_way;
    std::optional<RouteNav> fly_to;  // by the earlier part, after `end`
    std::size_t first_photo = 0;     // of its pattern, that the later part takes
    /// Earlier in the flight.
    bool before(const Place& o) const {
        const auto rank = [](const Place& p) { return std::tuple(p.begin, !p.on_the_way.has_value(), p.first_photo); };
        return rank(*this) < rank(o);
    }
};

/// What actions on the way have set.
struct Doing {
    std::optional<GimbalPitch> gimbal;
    std::optional<LookAt> look;
    double photo_distance_m = 0, photo_interval_s = 0;
    bool video = false;

    void note(const Action& action) {
        if (const auto* g = std::get_if<GimbalPitch>(&action))
            gimbal = *g;
        else if (const auto* l = std::get_if<LookAt>(&action))
            look = *l;
        else if (std::holds_alternative<LookAtStop>(action))
            look.reset();
        else if (const auto* d = std::get_if<PhotoEvery>(&action))
            photo_distance_m = d->distance_m;
        else if (const auto* t = std::get_if<PhotoInterval>(&action))
            photo_interval_s = t->interval_s;
        else if (const auto* v = std::get_if<Video>(&action))
            video = v->on;
    }
    std::vector<Action> taken() const {
        std::vector<Action> actions;
        if (gimbal) actions.emplace_back(*gimbal);
        if (look) actions.emplace_back(*look);
        if (photo_distance_m > 0) actions.emplace_back(PhotoEvery{photo_distance_m});
        if (photo_interval_s > 0) actions.emplace_back(PhotoInterval{photo_interval_s});
        if (video) actions.emplace_back(Video{true});
        return actions;
    }
    std::vector<Action> ended() const {
        std::vector<Action> actions;
        if (photo_distance_m > 0) actions.emplace_back(PhotoEvery{0});
        if (photo_interval_s > 0) actions.emplace_back(PhotoInterval{0});
        if (video) actions.emplace_back(Video{false});
        if (look) actions.emplace_back(LookAtStop{});
        return actions;
    }
};

const RouteNav* navOf(const RouteStep& step) {
    return std::get_if<RouteNav>(&step.what);
}

class Cutter {
  public:
    Cutter(const Plan& plan, const Route& whole, const Terrain* terrain)
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

    std::optional<Place> placeOf(const Cut& cut) const {
        const auto at = first_step_.find(cut.item);
        if (at == first_step_.end()) return std::nullopt;
        Place place;
        place.cut = cut;
        place.begin = place.end = at->second;
        const PatternFlight* flight = whole_.flightOf(cut.item);
        if (cut.photo > 0) {
            if (flight == nullptr || !onPhoto(*flight, static_cast<std::size_t>(cut.photo) - 1, place))
                return std::nullopt;
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

    std::vector<Place> placesOf(const std::vector<Cut>& cuts) const {
        std::vector<Place> places;
        for (const Cut& cut : cuts)
            if (const auto place = placeOf(cut)) places.push_back(*place);
        std::stable_sort(places.begin(), places.end(), [](const Place& a, const Place& b) { return a.before(b); });
        const auto same = [](const Place& a, const Place& b) {
            return a.begin == b.begin && !a.on_the_way && !b.on_the_way;
        };
        places.erase(std::unique(places.begin(), places.end(), same), places.end());
        return places;
    }

    /// The part from one cut to the next; nothing for the beginning and the end of the whole.
    Sortie part(const std::optional<Place>& from, const std::optional<Place>& to) const {
        const auto& steps = whole_.steps;
        Sortie sortie;
        Route& route = sortie.route;
        route.patterns = whole_.patterns;
        if (plan_.home) sortie.place = plan_.home->position;
        std::size_t begin = 0, end = to ? to->end : steps.size();
        Doing doing;
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

    /// Item of every step at which a part may begin, and lines within patterns; in the order they are flown.
    std::vector<Cut> candidates(bool within_lines) const {
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

  private:
    std::size_t firstNav(std::size_t from) const {
        while (from < whole_.steps.size() && navOf(whole_.steps[from]) == nullptr) ++from;
        return from;
    }
    /// The step after `nav` that is flown to next.
    std::size_t afterActions(std::size_t nav) const { return firstNav(nav + 1); }
    std::size_t stepOfPoint(ItemId item, std::size_t point) const {
        std::size_t k = first_step_.at(item);
        for (std::size_t n = 0; k < whole_.steps.size(); ++k)
            if (navOf(whole_.steps[k]) != nullptr && n++ == point) break;
        return k;
    }

    /// From the target of a repeat to the repeat, or from it to what it skips to, nothing is cut.
    void findLoops() {
        for (std::size_t k = 0; k < whole_.steps.size(); ++k) {
            const auto* action = std::get_if<Action>(&whole_.steps[k].what);
            const auto* repeat = action != nullptr ? std::get_if<Repeat>(action) : nullptr;
            if (repeat == nullptr) continue;
            const auto at = first_step_.find(repeat->target);
            if (at != first_step_.end()) loops_.emplace_back(std::min(at->second, k), std::max(at->second, k));
        }
    }
    bool inLoop(std::size_t step) const {
        return std::any_of(loops_.begin(), loops_.end(),
                           [&](const auto& loop) { return step > loop.first && step <= loop.second; });
    }

    /// The place of a photo among the steps: at a point, or on the way between two of its line.
    bool onPhoto(const PatternFlight& flight, std::size_t photo, Place& place) const {
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

    static bool samePlace(const PlannedPhoto& a, const PlannedPhoto& b) {
        return distance_m(a.place, b.place) < kSamePlace_m &&
               std::abs(a.amsl_m.value_or(0) - b.amsl_m.value_or(0)) < kSamePlace_m;
    }

    double heightOverHome(GeoPoint at, Height height) const {
        const auto over = converted(plan_, terrain_, at, height, HeightRef::home);
        return over ? over->value_m : -INFINITY;
    }
    RouteNav way(GeoPoint at, double height_m) const {
        RouteNav nav;
        nav.position = at;
        nav.height = Height::aboveHome(height_m);
        nav.speed_mps = plan_.defaults.speed_mps;
        nav.acceptance_m = plan_.defaults.acceptance_m;
        return nav;
    }
    /// The places by which fences are gone around.
    std::vector<GeoPoint> around(GeoPoint from, GeoPoint to) const {
        std::vector<GeoPoint> places;
        if (const auto by = transit_.between(frame_.toLocal(from), frame_.toLocal(to)))
            for (const Vec2& p : *by) places.push_back(frame_.toGeo(p));
        return places;
    }

    void beginPart(const Place& from, const Doing& doing, Route& route) const {
        const RouteStep& first = whole_.steps[from.begin];
        const RouteNav nav = from.on_the_way ? *from.on_the_way : *navOf(first);
        const ItemId source = up_ > 0 ? whole_.steps.front().source : first.source;
        if (plan_.home) {
            const double own = heightOverHome(nav.position, nav.height);
            const double height =
                std::max({plan_.return_height_m, own, up_ > 0 ? navOf(whole_.steps[0])->height.value_m : 0});
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

    void endPart(const Place& to, const Doing& doing, Route& route) const {
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

    /// Name, photos and area of a part.
    void tell(const std::optional<Place>& from, const std::optional<Place>& to, Sortie& sortie) const {
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

    struct Share {
        int photos = 0, first_photo = 0;
        bool whole = true;
        std::string text;
    };
    Share shareOf(ItemId id, const PatternFlight& flight, const std::optional<Place>& from,
                  const std::optional<Place>& to) const {
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

    const Plan& plan_;
    const Route& whole_;
    const Terrain* terrain_;
    LocalFrame frame_;
    Transit transit_;
    std::size_t up_ = 0, down_ = 0;  // steps of the take-off; first step of the landing
    std::unordered_map<ItemId, std::size_t> first_step_;
    std::vector<std::pair<std::size_t, std::size_t>> loops_;
};

}  // namespace

std::string cutText(const Plan& plan, const Cut& cut) {
    const Item* item = plan.find(cut.item);
    const std::string name = item != nullptr && !item->name.empty() ? item->name : itemText(plan, cut.item);
    return cut.photo > 0  ? fmt::format("{} from photo {}", name, cut.photo)
           : cut.line > 1 ? fmt::format("{} from line {}", name, cut.line)
                          : name;
}

void addCut(Plan& plan, const Cut& cut) {
    if (std::find(plan.cuts.begin(), plan.cuts.end(), cut) != plan.cuts.end()) return;
    plan.cuts.push_back(cut);
    // By item; within one, lines and photos keep the order they came in: how they are flown is known to the route
    // alone.
    const ItemIndex index = indexItems(plan);
    const auto rank = [&](const Cut& c) {
        const auto at = index.find(c.item);
        return at == index.end() ? plan.items.size() : at->second;
    };
    std::stable_sort(plan.cuts.begin(), plan.cuts.end(), [&](const Cut& a, const Cut& b) { return rank(a) < rank(b); });
}

std::optional<Cut> resumeCut(const PlanView& flown, std::optional<GeoPoint> last_photo,
                             std::optional<double> last_photo_amsl_m, std::optional<int> reached) {
    if (!flown.mission) return std::nullopt;
    const auto& sources = flown.mission->source;
    if (last_photo) {
        std::optional<Cut> cut;
        double nearest = INFINITY;
        for (const OpenedPattern& o : flown.route.patterns) {
            if (std::find(sources.begin(), sources.end(), o.item.id) == sources.end()) continue;
            const double reach = std::max(10.0, 1.5 * o.flight->photo_spacing_m);
            for (std::size_t i = 0; i < o.flight->photos.size(); ++i) {
                const PlannedPhoto& photo = o.flight->photos[i];
                const double up = photo.amsl_m && last_photo_amsl_m ? *photo.amsl_m - *last_photo_amsl_m : 0;
                const double d = std::hypot(distance_m(photo.place, *last_photo), up);
                if (d >= std::min(nearest, reach)) continue;
                nearest = d;
                cut = Cut{o.item.id, 0, i == 0 ? 0 : static_cast<int>(i) + 1};
            }
        }
        if (cut) return cut;
    }
    if (!reached) return std::nullopt;
    const auto& items = flown.mission->items;
    for (auto k = static_cast<std::size_t>(std::max(0, *reached)) + 1; k < items.size(); ++k)
        if (isNavigation(items[k].command) && items[k].command != cmd::returnHome && items[k].command != cmd::land)
            return Cut{sources[k], 0, 0};
    return std::nullopt;
}

std::vector<Cut> usableCuts(const Plan& plan, const Route& whole, const Terrain* terrain) {
    std::vector<Cut> cuts;
    for (const Place& place : Cutter(plan, whole, terrain).placesOf(plan.cuts)) cuts.push_back(place.cut);
    return cuts;
}

std::vector<Sortie> sortiesOf(const Plan& plan, const Route& whole, const Terrain* terrain) {
    const Cutter cutter(plan, whole, terrain);
    const auto places = cutter.placesOf(plan.cuts);
    std::vector<Sortie> sorties;
    std::optional<Place> from;
    for (std::size_t k = 0; k <= places.size(); ++k) {
        const std::optional<Place> to = k < places.size() ? std::optional(places[k]) : std::nullopt;
        sorties.push_back(cutter.part(from, to));
        sorties.back().number = static_cast<int>(k) + 1;
        from = to;
    }
    return sorties;
}

namespace {

/// Looks for cuts one sortie after the other: as far as one battery and one list carry.
class Search {
  public:
    Search(const Plan& plan, const Route& whole, std::shared_ptr<const Terrain> terrain, const CutOptions& options)
        : plan_(plan), terrain_(std::move(terrain)), options_(options), cutter_(plan, whole, terrain_.get()) {}

    Result<std::vector<Cut>> run() {
        std::vector<Cut> cuts = options_.kept;
        const auto kept = cutter_.placesOf(cuts);
        std::optional<Place> from = kept.empty() ? std::nullopt : std::optional(kept.back());
        const auto coarse = cutter_.placesOf(cutter_.candidates(false)),
                   fine = cutter_.placesOf(cutter_.candidates(true));
        std::size_t guess = 0, fine_guess = 0;
        for (constexpr int kMostSorties = 500; static_cast<int>(cuts.size()) < kMostSorties;) {
            const auto whole = fits(from, std::nullopt);
            if (!whole) return tl::unexpected(whole.error());
            if (*whole) return cuts;
            auto next = furthest(coarse, from, guess);
            if (!next) return tl::unexpected(next.error());
            // Within a line where not even one is carried, or where its end would leave most of a battery unused.
            if (!*next || spare_percent_ > kWorthMore_percent) {
                const auto further = furthest(fine, from, fine_guess);
                if (!further) return tl::unexpected(further.error());
                const auto done = [&](const Place& to) { return rank(fine, to) - (from ? rank(fine, *from) : 0); };
                if (*further && (!*next || done(**further) > 2 * done(**next))) next = further;
            }
            if (!*next)
                return fail("{} needs more than one battery or more items than the autopilot holds, and cannot be cut",
                            from ? cutText(plan_, from->cut) : std::string("the beginning of the plan"));
            cuts.push_back((*next)->cut);
            from = *next;
        }
        return fail("more than 500 sorties would be needed: a larger battery or less to do is needed");
    }

  private:
    /// The last candidate after `from` up to which one sortie carries; nothing when it does not reach the first.
    Result<std::optional<Place>> furthest(const std::vector<Place>& places, const std::optional<Place>& from,
                                          std::size_t& guess) {
        std::vector<Place> ahead;
        double spare = 0;  // of the battery, after the last that fits
        for (const Place& place : places)
            if (!from || from->before(place)) ahead.push_back(place);
        // As many as the sortie before carried are likely right: from there by doubled steps, then by halves.
        std::size_t good = 0, bad = ahead.size() + 1;  // counted from 1; 0: none
        for (std::size_t step = 1, at = std::min(guess, ahead.size()); bad - good > 1;) {
            if (at <= good || at >= bad) at = good + (bad - good) / 2;
            const auto fit = fits(from, ahead[at - 1]);
            if (!fit) return tl::unexpected(fit.error());
            if (*fit) spare = spare_percent_;
            (*fit ? good : bad) = at;
            at = *fit ? good + step : (bad > step ? bad - step : 0);
            step *= 2;
            if (options_.progress)
                options_.progress(1 - static_cast<double>(ahead.size() - good) / static_cast<double>(places.size()));
        }
        guess = good;
        spare_percent_ = spare;
        if (good == 0) return std::optional<Place>();
        return std::optional<Place>(ahead[good - 1]);
    }
    /// How many photos and items lie before a place.
    static std::ptrdiff_t rank(const std::vector<Place>& fine, const Place& place) {
        return std::count_if(fine.begin(), fine.end(), [&](const Place& p) { return p.before(place); });
    }

    Result<bool> fits(const std::optional<Place>& from, const std::optional<Place>& to) {
        if (options_.stop.stop_requested()) return fail("stopped");
        const Sortie sortie = cutter_.part(from, to);
        const auto mission = compileMission(plan_, sortie.route);
        if (!mission) return tl::unexpected(mission.error());
        if (static_cast<int>(mission->items.size()) > plan_.traits.item_limit) return false;
        RehearseOptions options;
        options.wind = options_.wind;
        options.stop = options_.stop;
        const auto flown = rehearse(plan_, *mission, terrain_, options);
        if (!flown) return tl::unexpected(flown.error());
        spare_percent_ = flown->energy_left_percent - plan_.vehicle.reserve_percent;
        return flown->landed && !flown->reached_reserve && flown->energy_left_percent >= plan_.vehicle.reserve_percent;
    }

    const Plan& plan_;
    std::shared_ptr<const Terrain> terrain_;
    const CutOptions& options_;
    Cutter cutter_;
    static constexpr double kWorthMore_percent = 10;
    double spare_percent_ = 0;  // of the battery over the reserve, of what was flown last
};

}  // namespace

Result<std::vector<Cut>> suggestCuts(const Plan& plan, const Route& whole, std::shared_ptr<const Terrain> terrain,
                                     const CutOptions& options) {
    return Search(plan, whole, std::move(terrain), options).run();
}

std::optional<std::vector<FlownSortiePtr>> flySorties(const Plan& plan, const Route& whole,
                                                      std::shared_ptr<const Terrain> terrain, Wind wind,
                                                      const std::stop_token& stop) {
    std::vector<FlownSortiePtr> out;
    auto sorties = sortiesOf(plan, whole, terrain.get());
    if (sorties.size() < 2) return out;
    for (Sortie& sortie : sorties) {
        auto flown = std::make_shared<FlownSortie>();
        flown->view = viewOf(plan, sortie.route, terrain.get());
        flown->sortie = std::move(sortie);
        std::optional<EnergyForecast> energy;
        if (flown->view.mission) {
            RehearseOptions options;
            options.wind = wind;
            options.stop = stop;
            auto r = rehearse(plan, *flown->view.mission, terrain, options);
            if (r) {
                energy = EnergyForecast{r->energy_left_percent, r->reached_reserve, r->reserve_item};
                flown->rehearsal = std::make_shared<const Rehearsal>(std::move(*r));
            } else {
                flown->not_rehearsed = r.error().message;
            }
        }
        if (stop.stop_requested()) return std::nullopt;
        flown->findings = check({plan, flown->view, terrain.get(), energy, wind.speed_mps});
        out.push_back(std::move(flown));
    }
    return out;
}

std::vector<Finding> withSorties(const Plan& plan, std::vector<Finding> of_whole,
                                 const std::vector<FlownSortiePtr>& sorties) {
    const std::size_t n = of_whole.size();
    for (const Cut& cut : plan.cuts) {
        const auto made = [&](const FlownSortiePtr& flown) { return flown->sortie.from == cut; };
        if (std::any_of(sorties.begin(), sorties.end(), made)) continue;
        of_whole.push_back(
            {Severity::warn,
             "sortie-cut",
             cut.item,
             fmt::format("no sortie can begin at {}: there is no such place, it lies inside a repeat, or "
                         "nothing is flown before it",
                         cutText(plan, cut)),
             {},
             {{"Remove this cut", [cut](Plan& p) { std::erase(p.cuts, cut); }}}});
    }
    for (const FlownSortiePtr& flown : sorties)
        for (const Finding& f : flown->findings) {
            const auto known = std::find_if(
                of_whole.begin(), of_whole.begin() + static_cast<std::ptrdiff_t>(n),
                [&](const Finding& w) { return w.rule == f.rule && w.item == f.item && w.message == f.message; });
            if (known != of_whole.begin() + static_cast<std::ptrdiff_t>(n)) continue;
            of_whole.push_back(f);
            of_whole.back().message = fmt::format("Sortie {}: {}", flown->sortie.number, f.message);
        }
    std::stable_sort(of_whole.begin(), of_whole.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return of_whole;
}

}  // namespace anhinga

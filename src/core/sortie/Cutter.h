// Inside core/sortie only: where cuts lie among the steps of a route, and what each part needs around it.
#pragma once

#include <tuple>
#include <unordered_map>

#include "core/pattern/Transit.h"
#include "core/sortie/Sorties.h"

namespace anhinga {

/// A cut among the steps of the whole route: the earlier part ends before `end`, the later begins at `begin`. A cut on
/// the way between two points has that place as `on_the_way`, from which the later part begins.
struct CutPlace {
    Cut cut;
    std::size_t end = 0, begin = 0;
    std::optional<RouteNav> on_the_way;
    std::optional<RouteNav> fly_to;  // by the earlier part, after `end`
    std::size_t first_photo = 0;     // of its pattern, that the later part takes
    /// Earlier in the flight.
    bool before(const CutPlace& o) const {
        const auto rank = [](const CutPlace& p) {
            return std::tuple(p.begin, !p.on_the_way.has_value(), p.first_photo);
        };
        return rank(*this) < rank(o);
    }
};

/// What actions on the way have set.
struct OngoingActions {
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

/// Cuts a route: finds the places of cuts, and makes each part whole.
class Cutter {
  public:
    Cutter(const Plan& plan, const Route& whole, const Terrain* terrain);

    std::optional<CutPlace> placeOf(const Cut& cut) const;

    std::vector<CutPlace> placesOf(const std::vector<Cut>& cuts) const;

    /// The part from one cut to the next; nothing for the beginning and the end of the whole.
    Sortie part(const std::optional<CutPlace>& from, const std::optional<CutPlace>& to) const;

    /// Item of every step at which a part may begin, and lines within patterns; in the order they are flown.
    std::vector<Cut> candidates(bool within_lines) const;

  private:
    std::size_t firstNav(std::size_t from) const;
    /// The step after `nav` that is flown to next.
    std::size_t afterActions(std::size_t nav) const { return firstNav(nav + 1); }
    std::size_t stepOfPoint(ItemId item, std::size_t point) const;

    /// From the target of a repeat to the repeat, or from it to what it skips to, nothing is cut.
    void findLoops();
    bool inLoop(std::size_t step) const;

    /// The place of a photo among the steps: at a point, or on the way between two of its line.
    bool onPhoto(const PatternFlight& flight, std::size_t photo, CutPlace& place) const;

    static bool samePlace(const PlannedPhoto& a, const PlannedPhoto& b);

    double heightOverHome(GeoPoint at, Height height) const;
    RouteNav way(GeoPoint at, double height_m) const;
    /// The places by which fences are gone around.
    std::vector<GeoPoint> around(GeoPoint from, GeoPoint to) const;

    void beginPart(const CutPlace& from, const OngoingActions& doing, Route& route) const;

    void endPart(const CutPlace& to, const OngoingActions& doing, Route& route) const;

    /// Name, photos and area of a part.
    void tell(const std::optional<CutPlace>& from, const std::optional<CutPlace>& to, Sortie& sortie) const;

    struct Share {
        int photos = 0, first_photo = 0;
        bool whole = true;
        std::string text;
    };
    Share shareOf(ItemId id, const PatternFlight& flight, const std::optional<CutPlace>& from,
                  const std::optional<CutPlace>& to) const;

    const Plan& plan_;
    const Route& whole_;
    const Terrain* terrain_;
    LocalFrame frame_;
    Transit transit_;
    std::size_t up_ = 0, down_ = 0;  // steps of the take-off; first step of the landing
    std::unordered_map<ItemId, std::size_t> first_step_;
    std::vector<std::pair<std::size_t, std::size_t>> loops_;
};

}  // namespace anhinga

// A plan flown in several sorties: cut between items, lines of a pattern or photos, each part with a way out and a way
// home of its own; and where to cut so that every part fits one battery and the autopilot's list.
#pragma once

#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/check/Check.h"
#include "core/flight/Rehearse.h"

namespace anhinga {

/// One part of a plan, as it is flown.
struct Sortie {
    int number = 1;    // counted from 1
    Cut from;          // where it begins; item 0 for the first
    GeoPoint place;    // the same on the map; home for the first
    Route route;       // with its way out and its way home
    std::string text;  // what of the plan it is: "Quarry, lines 9 to 16"
    int photos = 0;    // planned in it, over all patterns
    Cut first_photo;   // of the first pattern it flies in part or whole: its first photo there
};

/// The cuts that can be made, in the order they are flown: those whose item, line or photo there is, outside of repeats
/// and not before anything is done. The rest is left out.
std::vector<Cut> usableCuts(const Plan& plan, const Route& whole, const Terrain* terrain);

/// The parts between the plan's cuts, one more than there are usable cuts. `whole` is the route of the plan.
/// Every sortie but the first climbs out with the plan's take-off and comes in over its first place at the return
/// height or that place's own, whichever is higher; every sortie but the last returns home. Both ways go around fences.
/// Speed, gimbal, look-at, photos and video are as they would be in the whole.
std::vector<Sortie> sortiesOf(const Plan& plan, const Route& whole, const Terrain* terrain);

/// The plan with one more cut, at its place among the others; a cut there already stays.
void addCut(Plan& plan, const Cut& cut);
/// "Quarry from line 9", "Waypoint 4".
std::string cutText(const Plan& plan, const Cut& cut);

/// Where to go on after a flight of a part ended early: at the photo taken last, so that no gap is left, else at the
/// item on the way to which it was. `reached` is the mission item reached last. Nothing when neither tells.
std::optional<Cut> resumeCut(const PlanView& flown, std::optional<GeoPoint> last_photo,
                             std::optional<double> last_photo_amsl_m, std::optional<int> reached);

struct CutOptions {
    Wind wind;
    /// Cuts that are kept: what lies before the last of them is not cut anew.
    std::vector<Cut> kept = {};
    /// Told the share done, 0..1, now and then.
    std::function<void(double)> progress = {};
    std::stop_token stop = {};
};
/// The fewest cuts, at line ends and items where one can, so that every sortie lands above the reserve and holds no
/// more items than the autopilot. Each is rehearsed. Fails with the reason where a part that cannot be cut needs more
/// than one battery, home's height is unknown, or it was stopped. No cuts when the whole fits.
Result<std::vector<Cut>> suggestCuts(const Plan& plan, const Route& whole, std::shared_ptr<const Terrain> terrain,
                                     const CutOptions& options = {});

/// What a rehearsal says about energy and fences.
EnergyForecast energyOf(const Rehearsal& rehearsal);
/// One sortie checked and rehearsed on its own.
struct FlownSortie {
    Sortie sortie;
    PlanView view;
    std::shared_ptr<const Rehearsal> rehearsal;  // null with the reason in `not_rehearsed`
    std::string not_rehearsed;
    std::vector<Finding> findings;
};
using FlownSortiePtr = std::shared_ptr<const FlownSortie>;
/// All sorties of a plan that has cuts, rehearsed; nothing when stopped.
std::optional<std::vector<FlownSortiePtr>> flySorties(const Plan& plan, const Route& whole,
                                                      std::shared_ptr<const Terrain> terrain, Wind wind,
                                                      const std::stop_token& stop = {});
/// What the sorties add to the findings of the whole: "Sortie 2: ...", and cuts that cannot be made. The most severe
/// first.
std::vector<Finding> withSorties(const Plan& plan, std::vector<Finding> of_whole,
                                 const std::vector<FlownSortiePtr>& sorties);

}  // namespace anhinga

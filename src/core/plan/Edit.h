// Edits of a plan as plain functions: what the tools of Draft do, without a window. Distances in metres, angles in
// degrees clockwise. Ids that are not in the plan are ignored. Heights keep their number unless said otherwise.
#pragma once

#include <functional>
#include <set>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/plan/Plan.h"

namespace anhinga {

using Ids = std::set<ItemId>;

/// Applies `map` to every place of the selected things: points of items, corners of areas, supports, home, and the
/// places that look-ats of selected items look at stay where they are.
void mapPlaces(Plan& plan, const Ids& ids, const std::function<GeoPoint(GeoPoint)>& map);
/// Every place of the selected things, look-ats left out.
std::vector<GeoPoint> placesOf(const Plan& plan, const Ids& ids);

/// Every place by which a plan is looked at as a whole: home, items, fences, rally points; obstacles only when there is
/// nothing else, since they may lie far around.
std::vector<GeoPoint> placesOfWhole(const Plan& plan);

/// Mean of those places: what is rotated and scaled about. It stays where it is under both, so that turning back is
/// turning back.
GeoPoint pivotOf(const Plan& plan, const Ids& ids);

void moveBy(Plan& plan, const Ids& ids, double bearing_deg, double distance_m);
void rotateBy(Plan& plan, const Ids& ids, GeoPoint about, double angle_deg);
void scaleBy(Plan& plan, const Ids& ids, GeoPoint about, double factor);

/// Home to a place, with its height AMSL when known. Heights above home keep their numbers; what they were set against
/// is remembered, so that a home higher or lower than before is a finding.
void moveHome(Plan& plan, GeoPoint place, std::optional<double> amsl_m);
/// Everything of the plan by the same step, look-ats included.
void moveWholePlan(Plan& plan, double bearing_deg, double distance_m);

/// A waypoint before `before` (0: at the end, but before a last landing or return). Makes home and take-off in an empty
/// plan. Returns its id.
/// Index at which a new last item goes: before the landing or return home that ends the itinerary.
std::size_t endOfRoute(const Plan& plan);
/// A pattern over `outline` with the numbers that suit its kind; it has no identity yet.
Item patternItem(ItemKind kind, std::vector<GeoPoint> outline);

/// A lap around the outline of a Block, as high as it, right after it; its id. Nothing when there is no such Block.
std::optional<ItemId> addLapAround(Plan& plan, ItemId block);

ItemId insertWaypoint(Plan& plan, GeoPoint place, ItemId before, std::optional<double> ground_amsl_m);
/// Removes items, fences and whatever else has these ids; repeats that lose their target stay and are a finding.
void remove(Plan& plan, const Ids& ids);
/// Copies of the selected items after the last of them, of other things at the end of their list; all moved by
/// (bearing, distance). Repeats among the copies go to the copies. Returns the new ids.
Ids duplicate(Plan& plan, const Ids& ids, double bearing_deg, double distance_m);
/// Order of the selected items turned round among their own places; actions stay with their items.
void reverse(Plan& plan, const Ids& ids);
/// Selected items one place earlier (-1) or later (+1), keeping their order.
void shift(Plan& plan, const Ids& ids, int by);
/// Selected items, in their order, to before the item at `index` of the present list.
void moveTo(Plan& plan, const Ids& ids, std::size_t index);

enum class Bulk { set, add, scale };
/// One value of many items at once. Inherited values become the item's own. Scaling multiplies by `value`.
void changeHeights(Plan& plan, const Ids& ids, Bulk how, double value);
void changeSpeeds(Plan& plan, const Ids& ids, Bulk how, double value);

/// The selected things as text for the clipboard (a plan file that holds only them), and back: pasted with new ids
/// after the last selected item of `after`, or at the end. Repeats to items that were not copied are left out.
std::string copyText(const Plan& plan, const Ids& ids);
Result<Ids> pasteText(Plan& plan, const std::string& text, const Ids& after);

/// Puts items into a new section of this name, or (empty name) out of any; sections without items are dropped.
void setSection(Plan& plan, const Ids& ids, const std::string& name);

}  // namespace anhinga

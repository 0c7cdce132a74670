// What a rehearsal says of its items, one by one, and of winds it was not rehearsed in.
#pragma once

#include <stop_token>
#include <vector>

#include "core/flight/Rehearse.h"

namespace anhinga {

/// One flying of an item: the stretch of the flight that leads to it and is spent there. The points of a pattern are
/// one pass.
struct ItemPass {
    ItemId item = 0;
    int pass = 1, of = 1;                  // which flying of this item, of how many
    double from_s = 0, to_s = 0;           // from when on it is flown to; until the next is
    std::optional<double> arrives_s = {};  // at its first point; nothing when it never does
    int photos = 0;
    double left_percent = 0;              // of the battery, at the end
    std::optional<double> lowest_m = {};  // over known ground
};
std::vector<ItemPass> passesOf(const Rehearsal& rehearsal, const FlightProgram& program);
/// The pass under way at a time; nothing before the first and of an empty list.
const ItemPass* passAt(const std::vector<ItemPass>& passes, double t_s);

/// The same flight in a wind from each of eight directions.
struct WindTry {
    Wind wind;
    bool landed = false, reached_reserve = false;
    double left_percent = 0, duration_s = 0;
};
/// From north, clockwise; fewer when stopped. Shear, gusts and seed are those of `like`.
std::vector<WindTry> tryWinds(const Plan& plan, const FlightProgram& program,
                              const std::shared_ptr<const Terrain>& terrain, double speed_mps,
                              const RehearseOptions& like);
/// That which leaves the least; nothing of an empty list.
const WindTry* worstWind(const std::vector<WindTry>& tries);

}  // namespace anhinga

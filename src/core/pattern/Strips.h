// Parallel lines over an area, and an order to fly them in. Everything on a plane in metres.
#pragma once

#include <vector>

#include "core/geo/Polygon.h"

namespace anhinga {

/// One straight line of a Block: from `from` to `to`, in flying direction.
struct Strip {
    Vec2 from, to;
    double length_m() const { return length(to - from); }
};

/// How lines are laid over an area.
struct StripLayout {
    double heading_rad = 0;  // clockwise from north
    double spacing_m = 50;   // between lines, at most
    double half_m = 25;      // a line covers what is no further than this from it
    double beyond_m = 0;     // lines go on so far past the last of the area they cover
    double unit_m = 0;       // lengths are rounded up to a multiple of it; 0: not
    int start_corner = 0;    // 0 to 3
    double nudge_across_m = 0;
    bool one_of_many = false;  // tried beside others: an outline in very many pieces is looked at less closely
};

/// Lines over `rings` (an outline and its holes, even-odd) in flying order: the area is cut into cells that are flown
/// back and forth, the cells ordered so that little is flown between them. Empty when there would be more than
/// `most_lines`.
std::vector<Strip> layStrips(const std::vector<Ring>& rings, const StripLayout& layout, std::size_t most_lines);

/// Length of the lines and of the straight ways between them.
double flownLength_m(const std::vector<Strip>& strips);

/// The heading out of 180 whole degrees at which least is flown.
double bestHeading_deg(const std::vector<Ring>& rings, StripLayout layout, std::size_t most_lines);

}  // namespace anhinga

#include "core/terrain/Relief.h"

#include <cmath>
#include <limits>
#include <unordered_map>

namespace anhinga {

std::vector<std::int8_t> shadedRelief(const Terrain& terrain, const UnitBox& box, int width, int height,
                                      const std::stop_token& stop) {
    std::vector<std::int8_t> shade(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), 0);
    if (terrain.empty()) return shade;
    constexpr double kExaggerate = 1.6;
    constexpr double kFlat = 0.7071;  // light on level ground: sin 45 degrees
    for (int y = 0; y < height; ++y) {
        if (stop.stop_requested()) return {};
        const double my = box.top + box.height() * (y + 0.5) / height;
        const double lat = fromUnitSquare({0.5, my}).lat_deg, lat_cos = std::cos(lat * M_PI / 180);
        const double pixel_m = box.width() / width * 2 * M_PI * 6378137.0 * lat_cos;
        const double step_m = std::max({terrain.cell_m(), pixel_m, 5.0});
        const double dlat = step_m / 111320.0, dlon = dlat / lat_cos;
        for (int x = 0; x < width; ++x) {
            const double lon = wrapLongitude((box.left + box.width() * (x + 0.5) / width - 0.5) * 360);
            const auto w = terrain.sample({lat, wrapLongitude(lon - dlon)});
            if (!w) continue;
            const auto e = terrain.sample({lat, wrapLongitude(lon + dlon)});
            const auto s = terrain.sample({lat - dlat, lon}), n = terrain.sample({lat + dlat, lon});
            if (!e || !s || !n) continue;
            const double gx = (*e - *w) / (2 * step_m) * kExaggerate, gy = (*n - *s) / (2 * step_m) * kExaggerate;
            const double light = std::max(0.0, (gx * 0.5 - gy * 0.5 + kFlat) / std::sqrt(1 + gx * gx + gy * gy));
            const double k = light < kFlat ? light / kFlat - 1 : (light - kFlat) / (1 - kFlat);
            shade[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)] =
                static_cast<std::int8_t>(std::lround(std::clamp(k, -1.0, 1.0) * 127));
        }
    }
    return shade;
}

double contourInterval_m(double metres_per_pixel) {
    // About one line each 10 pixels on a slope of 1 in 4.
    const double wanted = std::clamp(metres_per_pixel * 10 / 4, 0.5, 5000.0);
    for (double power = 1;; power *= 10)
        for (const double m : {1.0, 2.0, 5.0})
            if (m * power >= wanted) return m * power;
}

namespace {

/// Pieces of one level being joined end to end. Every end lies on an edge of the grid, which has a number.
class Joiner {
  public:
    void add(std::uint64_t from, std::uint64_t to, UnitPoint a, UnitPoint b) { pieces_.push_back({from, to, a, b}); }
    void finish(double amsl_m, std::vector<Contour>& out) {
        std::unordered_multimap<std::uint64_t, std::size_t> ends;
        for (std::size_t i = 0; i < pieces_.size(); ++i) {
            ends.emplace(pieces_[i].from, i);
            ends.emplace(pieces_[i].to, i);
        }
        std::vector<bool> used(pieces_.size(), false);
        const auto follow = [&](std::uint64_t at, std::vector<UnitPoint>& line) {
            for (;;) {
                const auto [begin, end] = ends.equal_range(at);
                auto next = begin;
                while (next != end && used[next->second]) ++next;
                if (next == end) return at;
                const Piece& p = pieces_[next->second];
                used[next->second] = true;
                line.push_back(p.from == at ? p.b : p.a);
                at = p.from == at ? p.to : p.from;
            }
        };
        for (std::size_t i = 0; i < pieces_.size(); ++i) {
            if (used[i]) continue;
            used[i] = true;
            std::vector<UnitPoint> ahead{pieces_[i].a, pieces_[i].b}, back;
            const std::uint64_t last = follow(pieces_[i].to, ahead);
            const bool closed = last == pieces_[i].from && ahead.size() > 3;
            if (!closed) follow(pieces_[i].from, back);
            Contour line{amsl_m, closed, {back.rbegin(), back.rend()}};
            line.points.insert(line.points.end(), ahead.begin(), closed ? ahead.end() - 1 : ahead.end());
            out.push_back(std::move(line));
        }
        pieces_.clear();
    }

  private:
    struct Piece {
        std::uint64_t from, to;
        UnitPoint a, b;
    };
    std::vector<Piece> pieces_;
};

}  // namespace

std::vector<Contour> contours(const Terrain& terrain, const UnitBox& box, int columns, int rows, double interval_m,
                              const std::stop_token& stop) {
    std::vector<Contour> lines;
    if (!(interval_m > 0) || columns < 2 || rows < 2 || terrain.empty()) return lines;
    const auto knot = [&](int x, int y) {
        return UnitPoint{box.left + box.width() * x / (columns - 1), box.top + box.height() * y / (rows - 1)};
    };
    std::vector<double> height(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows));
    const auto index = [&](int x, int y) {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(x);
    };
    double low = INFINITY, high = -INFINITY;
    for (int y = 0; y < rows; ++y) {
        if (stop.stop_requested()) return {};
        for (int x = 0; x < columns; ++x) {
            const auto h = terrain.sample(fromUnitSquare(knot(x, y)));
            height[index(x, y)] = h.value_or(std::numeric_limits<double>::quiet_NaN());
            if (!h) continue;
            low = std::min(low, *h);
            high = std::max(high, *h);
        }
    }
    Joiner joiner;
    for (double level = std::ceil(low / interval_m) * interval_m; level <= high; level += interval_m) {
        if (stop.stop_requested()) return {};
        for (int y = 0; y + 1 < rows; ++y)
            for (int x = 0; x + 1 < columns; ++x) {
                // Corners clockwise from the north-west, edges after their first corner.
                const std::size_t corner[4] = {index(x, y), index(x + 1, y), index(x + 1, y + 1), index(x, y + 1)};
                const UnitPoint place[4] = {knot(x, y), knot(x + 1, y), knot(x + 1, y + 1), knot(x, y + 1)};
                double h[4];
                bool above[4], known = true;
                for (int i = 0; i < 4; ++i) {
                    h[i] = height[corner[i]];
                    known &= !std::isnan(h[i]);
                    above[i] = h[i] >= level;
                }
                if (!known || (above[0] == above[1] && above[1] == above[2] && above[2] == above[3])) continue;
                std::uint64_t edge[4];
                UnitPoint at[4];
                int crossed[4], n = 0;
                for (int i = 0; i < 4; ++i) {
                    const int j = (i + 1) % 4;
                    if (above[i] == above[j]) continue;
                    // An edge has one number from both its squares: its lower corner, and whether it runs south.
                    edge[i] = 2 * std::min(corner[i], corner[j]) + (i % 2 == 1 ? 1 : 0);
                    const double t = (level - h[i]) / (h[j] - h[i]);
                    at[i] = {place[i].x + (place[j].x - place[i].x) * t, place[i].y + (place[j].y - place[i].y) * t};
                    crossed[n++] = i;
                }
                const auto join = [&](int a, int b) { joiner.add(edge[a], edge[b], at[a], at[b]); };
                if (n == 2) {
                    join(crossed[0], crossed[1]);
                } else {  // a saddle: its middle says which corners hang together
                    const bool middle = (h[0] + h[1] + h[2] + h[3]) / 4 >= level;
                    if (middle == above[0]) {
                        join(0, 1);
                        join(2, 3);
                    } else {
                        join(3, 0);
                        join(1, 2);
                    }
                }
            }
        joiner.finish(level, lines);
    }
    return lines;
}

}  // namespace anhinga

#include "core/pattern/Strips.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace anhinga {

namespace {

/// An interval along a line (u), and which line it is on.
struct Span {
    double from = 0, to = 0;
    std::size_t line = 0;
};

void mergeSpans(std::vector<Span>& spans, double gap) {
    std::sort(spans.begin(), spans.end(), [](const Span& a, const Span& b) { return a.from < b.from; });
    std::vector<Span> merged;
    for (const Span& s : spans) {
        if (!merged.empty() && s.from <= merged.back().to + gap)
            merged.back().to = std::max(merged.back().to, s.to);
        else
            merged.push_back(s);
    }
    spans = std::move(merged);
}

/// What the area reaches along u inside each strip of v: the shadow of an area is the shadow of its edges, and of its
/// chords along the borders of the strip.
class Shadows {
  public:
    Shadows(const std::vector<Ring>& rings, double low, double step, std::size_t count, double half)
        : low_(low), step_(step), count_(count), half_(half), spans_(count) {
        std::vector<std::vector<double>> lower(count), upper(count);
        for (const Ring& ring : rings)
            for (std::size_t k = 0; k < ring.size(); ++k) {
                const Vec2 a = ring[k], b = ring[(k + 1) % ring.size()];
                const double v0 = std::min(a.y, b.y), v1 = std::max(a.y, b.y);
                // Strips whose border or inside this edge touches.
                const auto first = static_cast<std::ptrdiff_t>(std::floor((v0 - half_ - low_) / step_)) - 1;
                const auto last = static_cast<std::ptrdiff_t>(std::ceil((v1 + half_ - low_) / step_)) + 1;
                for (std::ptrdiff_t i = std::max<std::ptrdiff_t>(0, first);
                     i <= std::min<std::ptrdiff_t>(last, static_cast<std::ptrdiff_t>(count_) - 1); ++i)
                    touch(static_cast<std::size_t>(i), a, b, lower, upper);
            }
        for (std::size_t i = 0; i < count_; ++i)
            for (auto* cuts : {&lower[i], &upper[i]}) {
                std::sort(cuts->begin(), cuts->end());
                for (std::size_t k = 0; k + 1 < cuts->size(); k += 2)
                    spans_[i].push_back({(*cuts)[k], (*cuts)[k + 1], i});
            }
    }
    double middle(std::size_t i) const { return low_ + step_ * (static_cast<double>(i) + 0.5); }
    std::vector<std::vector<Span>>& spans() { return spans_; }

  private:
    void touch(std::size_t i, Vec2 a, Vec2 b, std::vector<std::vector<double>>& lower,
               std::vector<std::vector<double>>& upper) {
        const double v0 = middle(i) - half_, v1 = middle(i) + half_;
        const auto cut = [&](double v, std::vector<double>& cuts) {
            if ((a.y > v) != (b.y > v)) cuts.push_back(a.x + (b.x - a.x) * (v - a.y) / (b.y - a.y));
        };
        cut(v0, lower[i]);
        cut(v1, upper[i]);
        const double from = std::min(a.y, b.y), to = std::max(a.y, b.y);
        if (to < v0 || from > v1) return;
        const auto at = [&](double v) { return a.x + (b.x - a.x) * (v - a.y) / (b.y - a.y); };
        double ua = a.x, ub = b.x;
        if (to > from) {
            const double va = std::clamp(a.y, v0, v1), vb = std::clamp(b.y, v0, v1);
            ua = at(va);
            ub = at(vb);
        }
        spans_[i].push_back({std::min(ua, ub), std::max(ua, ub), i});
    }

    double low_, step_;
    std::size_t count_;
    double half_;
    std::vector<std::vector<Span>> spans_;
};

/// Spans flown back and forth one after the other, on neighbouring lines.
struct Cell {
    std::vector<Span> spans;
    /// Ways to fly it: bit 0 from its last line, bit 1 the first line towards smaller u.
    static constexpr int kWays = 4;
};

/// Neighbouring spans belong to one cell where each overlaps nothing but the other.
std::vector<Cell> cellsOf(const std::vector<std::vector<Span>>& lines) {
    std::vector<Cell> cells;
    std::vector<std::size_t> open;  // cell of each span of the line before
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const auto overlaps = [](const Span& a, const Span& b) { return a.from < b.to && b.from < a.to; };
        std::vector<std::size_t> now(lines[i].size());
        for (std::size_t k = 0; k < lines[i].size(); ++k) {
            std::size_t found = 0, partner = 0;
            if (i > 0)
                for (std::size_t m = 0; m < lines[i - 1].size(); ++m)
                    if (overlaps(lines[i][k], lines[i - 1][m])) {
                        ++found;
                        partner = m;
                    }
            if (found == 1)
                found = static_cast<std::size_t>(std::count_if(lines[i].begin(), lines[i].end(), [&](const Span& s) {
                    return overlaps(s, lines[i - 1][partner]);
                }));
            if (found == 1) {
                now[k] = open[partner];
            } else {
                now[k] = cells.size();
                cells.emplace_back();
            }
            cells[now[k]].spans.push_back(lines[i][k]);
        }
        open = std::move(now);
    }
    return cells;
}

class CellOrder {
  public:
    /// `effort`: how much may be looked at.
    CellOrder(std::vector<Cell> cells, const std::vector<double>& v, Vec2 start, long effort)
        : cells_(std::move(cells)), v_(v), effort_(effort) {
        ends_.resize(cells_.size());
        for (std::size_t c = 0; c < cells_.size(); ++c)
            for (int way = 0; way < Cell::kWays; ++way) {
                const auto strips = flown(c, way);
                ends_[c][static_cast<std::size_t>(way)] = {strips.front().from, strips.back().to,
                                                           flownLength_m(strips)};
            }
        start_ = start;
    }

    std::vector<Strip> run() {
        std::vector<std::size_t> order = nearestFirst();
        improve(order);
        std::vector<int> ways;
        cost(order, &ways);
        std::vector<Strip> out;
        for (std::size_t i = 0; i < order.size(); ++i) {
            const auto strips = flown(order[i], ways[i]);
            out.insert(out.end(), strips.begin(), strips.end());
        }
        return out;
    }

  private:
    struct Ends {
        Vec2 first, last;
        double length_m = 0;
    };

    std::vector<Strip> flown(std::size_t c, int way) const {
        const auto& spans = cells_[c].spans;
        std::vector<Strip> strips;
        strips.reserve(spans.size());
        bool back = (way & 2) != 0;
        for (std::size_t i = 0; i < spans.size(); ++i) {
            const Span& s = spans[(way & 1) != 0 ? spans.size() - 1 - i : i];
            const Vec2 a{s.from, v_[s.line]}, b{s.to, v_[s.line]};
            strips.push_back(back ? Strip{b, a} : Strip{a, b});
            back = !back;
        }
        return strips;
    }

    std::vector<std::size_t> nearestFirst() const {
        std::vector<std::size_t> order;
        std::vector<bool> done(cells_.size(), false);
        Vec2 at = start_;
        for (std::size_t n = 0; n < cells_.size(); ++n) {
            double best = INFINITY;
            std::size_t cell = 0;
            Vec2 end;
            for (std::size_t c = 0; c < cells_.size(); ++c) {
                if (done[c]) continue;
                for (const Ends& e : ends_[c])
                    if (const double d = length(e.first - at); d < best - 1e-9) {
                        best = d;
                        cell = c;
                        end = e.last;
                    }
            }
            done[cell] = true;
            order.push_back(cell);
            at = end;
        }
        return order;
    }

    /// Least length over all ways to fly cells in this order, by dynamic programming.
    double cost(const std::vector<std::size_t>& order, std::vector<int>* ways = nullptr) const {
        std::array<double, Cell::kWays> least{};
        std::vector<std::array<int, Cell::kWays>> came(ways != nullptr ? order.size() : 0);
        for (std::size_t i = 0; i < order.size(); ++i) {
            std::array<double, Cell::kWays> now{};
            for (int w = 0; w < Cell::kWays; ++w) {
                const Ends& e = ends_[order[i]][static_cast<std::size_t>(w)];
                double best = INFINITY;
                int from = 0;
                if (i == 0) {
                    best = length(e.first - start_) * kStartWeight;
                } else {
                    for (int b = 0; b < Cell::kWays; ++b) {
                        const double d = least[static_cast<std::size_t>(b)] +
                                         length(e.first - ends_[order[i - 1]][static_cast<std::size_t>(b)].last);
                        if (d < best) {
                            best = d;
                            from = b;
                        }
                    }
                }
                now[static_cast<std::size_t>(w)] = best + e.length_m;
                if (ways != nullptr) came[i][static_cast<std::size_t>(w)] = from;
            }
            least = now;
        }
        const auto best = std::min_element(least.begin(), least.end());
        if (ways != nullptr && !order.empty()) {
            ways->assign(order.size(), 0);
            int w = static_cast<int>(best - least.begin());
            for (std::size_t i = order.size(); i-- > 0;) {
                (*ways)[i] = w;
                w = came[i][static_cast<std::size_t>(w)];
            }
        }
        return *best;
    }

    /// Moves single cells and turns stretches around while that shortens the way. The work is bounded.
    void improve(std::vector<std::size_t>& order) const {
        const std::size_t n = order.size();
        if (n < 3) return;
        double now = cost(order);
        long budget = effort_ / static_cast<long>(n * 16);  // evaluations
        bool better = true;
        while (better && budget > 0) {
            better = false;
            for (std::size_t i = 0; i < n && budget > 0; ++i)
                for (std::size_t j = 0; j < n && budget > 0; ++j) {
                    if (i == j) continue;
                    std::vector<std::size_t> tried = order;
                    if (j > i) {
                        std::reverse(tried.begin() + static_cast<std::ptrdiff_t>(i),
                                     tried.begin() + static_cast<std::ptrdiff_t>(j) + 1);
                        --budget;
                        if (const double c = cost(tried); c < now - 1e-6) {
                            now = c;
                            order = tried;
                            better = true;
                        }
                        tried = order;
                    }
                    const std::size_t cell = tried[i];
                    tried.erase(tried.begin() + static_cast<std::ptrdiff_t>(i));
                    tried.insert(tried.begin() + static_cast<std::ptrdiff_t>(j), cell);
                    --budget;
                    if (const double c = cost(tried); c < now - 1e-6) {
                        now = c;
                        order = tried;
                        better = true;
                    }
                }
        }
    }

    /// The chosen corner is where the flight begins, as far as a cell reaches it.
    static constexpr double kStartWeight = 0.25;
    std::vector<Cell> cells_;
    const std::vector<double>& v_;
    long effort_;
    std::vector<std::array<Ends, Cell::kWays>> ends_;
    Vec2 start_;
};

}  // namespace

std::vector<Strip> layStrips(const std::vector<Ring>& rings, const StripLayout& layout, std::size_t most_lines) {
    if (rings.empty() || rings.front().size() < 3 || !(layout.spacing_m > 0)) return {};
    // u runs along the lines, v across them.
    const Vec2 along{std::sin(layout.heading_rad), std::cos(layout.heading_rad)};
    const Vec2 across{along.y, -along.x};
    std::vector<Ring> turned;
    double low = INFINITY, high = -INFINITY, left = INFINITY, right = -INFINITY;
    for (const Ring& ring : rings) {
        turned.emplace_back();
        for (const Vec2& p : ring) turned.back().push_back({dot(p, along), dot(p, across)});
    }
    for (const Vec2& p : turned.front()) {
        low = std::min(low, p.y);
        high = std::max(high, p.y);
        left = std::min(left, p.x);
        right = std::max(right, p.x);
    }
    // Lines that cover no more than their share begin half a spacing inside; wider ones begin as far outside as they
    // still show something. Spread evenly: never further apart than asked.
    const double outside = std::max(0.0, layout.half_m - layout.spacing_m / 2);
    const double range = high - low + 2 * outside;
    const double count = std::max(1.0, std::ceil(range / layout.spacing_m - 1e-9));
    if (!(count <= static_cast<double>(most_lines))) return {};
    const double step = range / count;
    const double first = low - outside + std::fmod(layout.nudge_across_m, step);
    const double half = std::max(layout.half_m, step / 2);
    const auto n = static_cast<std::size_t>(count);
    Shadows shadows(turned, first, step, n, half);
    std::vector<double> v(n);
    std::size_t total = 0;
    for (std::size_t i = 0; i < n; ++i) {
        v[i] = shadows.middle(i);
        auto& spans = shadows.spans()[i];
        for (Span& s : spans) {
            s.from -= layout.beyond_m;
            s.to += layout.beyond_m;
        }
        // A gap shorter than the way to the next line and back is flown through.
        mergeSpans(spans, std::max(step, layout.unit_m));
        for (Span& s : spans) {
            s.line = i;
            if (!(layout.unit_m > 0)) continue;
            const double whole = std::max(1.0, std::ceil((s.to - s.from) / layout.unit_m - 1e-6)) * layout.unit_m;
            const double more = (whole - (s.to - s.from)) / 2;
            s.from -= more;
            s.to += more;
        }
        total += spans.size();
    }
    if (total > most_lines) return {};
    const bool far = layout.start_corner == 2 || layout.start_corner == 3;
    const bool end = layout.start_corner == 1 || layout.start_corner == 2;
    const Vec2 start{end ? right : left, far ? high : low};
    std::vector<Cell> cells = cellsOf(shadows.spans());
    // Of an outline that falls into very many pieces a heading is judged by less.
    constexpr std::size_t kVeryMany = 30;
    constexpr long kEffort = 4000000, kSmallEffort = 200000;
    const long effort = layout.one_of_many && cells.size() > kVeryMany ? kSmallEffort : kEffort;
    std::vector<Strip> strips = CellOrder(std::move(cells), v, start, effort).run();
    for (Strip& s : strips) {
        s.from = along * s.from.x + across * s.from.y;
        s.to = along * s.to.x + across * s.to.y;
    }
    return strips;
}

double flownLength_m(const std::vector<Strip>& strips) {
    double sum = 0;
    for (std::size_t i = 0; i < strips.size(); ++i) {
        sum += strips[i].length_m();
        if (i > 0) sum += length(strips[i].from - strips[i - 1].to);
    }
    return sum;
}

double bestHeading_deg(const std::vector<Ring>& rings, StripLayout layout, std::size_t most_lines) {
    double best = INFINITY, heading = 0;
    layout.one_of_many = true;
    for (int deg = 0; deg < 180; ++deg) {
        layout.heading_rad = deg * M_PI / 180;
        const auto strips = layStrips(rings, layout, most_lines);
        if (strips.empty()) continue;
        if (const double run = flownLength_m(strips); run < best - 1e-6) {
            best = run;
            heading = deg;
        }
    }
    return heading;
}

}  // namespace anhinga

#include "core/analysis/Pyramid.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace anhinga {

namespace {
constexpr std::pair<double, double> kNone{std::numeric_limits<double>::infinity(),
                                          -std::numeric_limits<double>::infinity()};

void take(std::pair<double, double>& sum, double low, double high) {
    sum.first = std::min(sum.first, low);
    sum.second = std::max(sum.second, high);
}

/// First sample not before t, looked for near a guess: columns follow each other evenly.
std::size_t seek(const std::vector<double>& ts, double t, std::size_t guess) {
    const std::size_t n = ts.size();
    guess = std::min(guess, n);
    std::size_t low = guess, high = guess, step = 1;
    if (guess < n && ts[guess] < t) {
        while (high < n && ts[high] < t) {
            low = high;
            high += step;
            step *= 2;
        }
        high = std::min(high, n);
    } else {
        while (low > 0 && ts[low - 1] >= t) {
            high = low - 1;
            low = low > step ? low - step : 0;
            step *= 2;
        }
    }
    return static_cast<std::size_t>(
        std::lower_bound(ts.begin() + static_cast<long>(low), ts.begin() + static_cast<long>(high), t) - ts.begin());
}
}  // namespace

Pyramid::Pyramid(const Channel& channel) : channel_(&channel) {
    const auto& v = channel.value;
    if (v.size() < 2 * kBlock) return;
    std::vector<std::pair<double, double>> level((v.size() + kBlock - 1) / kBlock, kNone);
    for (std::size_t i = 0; i < v.size(); ++i)
        if (std::isfinite(v[i])) take(level[i / kBlock], v[i], v[i]);
    levels_.push_back(std::move(level));
    while (levels_.back().size() >= 2 * kFactor) {
        const auto& below = levels_.back();
        std::vector<std::pair<double, double>> above((below.size() + kFactor - 1) / kFactor, kNone);
        for (std::size_t i = 0; i < below.size(); ++i) take(above[i / kFactor], below[i].first, below[i].second);
        levels_.push_back(std::move(above));
    }
}

Pyramid::Extremes Pyramid::between(std::size_t first, std::size_t last) const {
    auto sum = kNone;
    if (channel_ == nullptr) return {};
    last = std::min(last, channel_->value.size());
    const auto samples = [&](std::size_t a, std::size_t b) {
        for (std::size_t i = a; i < b; ++i)
            if (std::isfinite(channel_->value[i])) take(sum, channel_->value[i], channel_->value[i]);
    };
    std::size_t a = (first + kBlock - 1) / kBlock, b = last / kBlock;  // whole blocks
    if (levels_.empty() || a >= b) {
        samples(first, last);
    } else {
        samples(first, a * kBlock);
        samples(b * kBlock, last);
        for (std::size_t level = 0; level < levels_.size() && a < b; ++level) {
            const auto& cells = levels_[level];
            const std::size_t up_a = (a + kFactor - 1) / kFactor, up_b = b / kFactor;
            const bool top = level + 1 == levels_.size() || up_a >= up_b;
            const std::size_t left = top ? b : up_a * kFactor, right = top ? b : up_b * kFactor;
            for (std::size_t i = a; i < left; ++i) take(sum, cells[i].first, cells[i].second);
            for (std::size_t i = right; i < b; ++i) take(sum, cells[i].first, cells[i].second);
            if (top) break;
            a = up_a;
            b = up_b;
        }
    }
    return {sum.first, sum.second, sum.first <= sum.second};
}

void Pyramid::columns(double from_s, double to_s, int columns, std::vector<Column>& out) const {
    out.assign(static_cast<std::size_t>(std::max(0, columns)), {});
    if (channel_ == nullptr || channel_->t_s.empty() || !(to_s > from_s)) return;
    const auto& ts = channel_->t_s;
    const double width = (to_s - from_s) / columns;
    std::size_t first = static_cast<std::size_t>(std::lower_bound(ts.begin(), ts.end(), from_s) - ts.begin()), wide = 1;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const std::size_t last = seek(ts, from_s + static_cast<double>(i + 1) * width, first + wide);
        wide = last - first;
        Column& c = out[i];
        c.first = first;
        c.last = last;
        if (last > first) {
            const Extremes e = between(first, last);
            c.lowest = e.lowest;
            c.highest = e.highest;
            if (!e.any) c.last = c.first;
        }
        first = last;
    }
}

std::size_t Pyramid::bytes() const {
    std::size_t sum = 0;
    for (const auto& level : levels_) sum += level.size() * sizeof(level[0]);
    return sum;
}

}  // namespace anhinga

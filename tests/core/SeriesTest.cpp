// Numbers about channels: statistics, grids, fitted lines, pyramids, relations.
#include <catch2/catch.hpp>

#include <random>

#include "SyntheticFlight.h"
#include "core/analysis/Pyramid.h"
#include "core/analysis/Series.h"
#include "core/review/Relation.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("statistics, percentiles and fitted lines of known numbers", "[analysis][series]") {
    Channel c;
    for (int i = 0; i < 100; ++i) c.add(i, i);
    c.add(100, NAN);
    const Stats s = statsOf(c, 10, 19);
    CHECK(s.count == 10);
    CHECK(s.mean == Approx(14.5));
    CHECK(s.lowest == 10);
    CHECK(s.highest_s == 19);
    CHECK(s.deviation == Approx(3.0277).epsilon(1e-3));
    CHECK(statsOf(c, 200, 300).count == 0);
    CHECK(percentile({1, 2, 3, 4, NAN}, 50) == Approx(2.5));
    CHECK(percentile({5}, 95) == 5);
    CHECK(std::isnan(percentile({NAN}, 50)));
    const FittedLine line = fitLine({0, 1, 2, 3, NAN}, {1, 3, 5, 7, 0});
    CHECK(line.slope == Approx(2));
    CHECK(line.offset == Approx(1));
    CHECK(line.r == Approx(1));
    CHECK(correlation({1, 2, 3, 4}, {4, 3, 2, 1}) == Approx(-1));
    CHECK(correlation({1, 1, 1, 1}, {4, 3, 2, 1}) == 0);
    CHECK(correlation({1, 2}, {1, 2}) == 0);
}

TEST_CASE("a grid holds the last value for so long and no longer", "[analysis][series]") {
    Channel c;
    c.add(0.2, 1);
    c.add(0.7, 3);
    c.add(8.5, 5);
    const auto g = onGrid(c, 0, 1, 10, 3);
    CHECK(g[0] == Approx(2));
    CHECK(g[1] == 3);
    CHECK(g[3] == 3);
    CHECK(std::isnan(g[5]));
    CHECK(g[8] == 5);
    CHECK(sampleRate_hz(Channel{}) == 0);
}

TEST_CASE("the resolution of a channel is its smallest step", "[analysis][series]") {
    Channel c;
    for (int i = 0; i < 200; ++i) c.add(i, std::round(50 * std::sin(i)) * 0.25);
    CHECK(resolutionOf(c) == Approx(0.25));
    c.add(300, NAN);
    c.value[0] += 1e-15;
    CHECK(resolutionOf(c) == Approx(0.25));
    Channel flat;
    CHECK(resolutionOf(flat) == 0);
    flat.add(0, 5);
    flat.add(1, 5);
    CHECK(resolutionOf(flat) == 0);
}

TEST_CASE("shaking is what is left without slow movement", "[analysis][series]") {
    Channel c;
    for (int i = 0; i < 5000; ++i) {
        const double t = i / 250.0;
        c.add(t, 20 * std::sin(0.3 * t) + std::sqrt(2.0) * 3 * std::sin(2 * M_PI * 60 * t));
    }
    const Channel s = shakingOf(c, 0.2, 1);
    REQUIRE(s.t_s.size() >= 19);
    for (std::size_t i = 1; i + 1 < s.value.size(); ++i) CHECK(s.value[i] == Approx(3).epsilon(0.05));
    c.value[2500] = NAN;  // must not stay in the sums
    const Channel again = shakingOf(c, 0.2, 1);
    CHECK(again.value.back() == Approx(3).epsilon(0.1));
}

TEST_CASE("a pyramid gives the very extremes of any stretch", "[analysis][pyramid]") {
    std::mt19937 random(7);
    std::normal_distribution<double> normal(0, 1);
    for (const std::size_t n :
         {std::size_t{0}, std::size_t{1}, std::size_t{31}, std::size_t{33}, std::size_t{1000}, std::size_t{70001}}) {
        Channel c;
        for (std::size_t i = 0; i < n; ++i)
            c.add(static_cast<double>(i) * 0.01 + (i % 7 == 0 ? 0.003 : 0), i % 97 == 5 ? NAN : normal(random));
        const Pyramid p(c);
        for (int round = 0; round < 200 && n > 0; ++round) {
            std::size_t a = random() % n, b = random() % (n + 1);
            if (a > b) std::swap(a, b);
            double low = INFINITY, high = -INFINITY;
            for (std::size_t i = a; i < b; ++i)
                if (std::isfinite(c.value[i])) {
                    low = std::min(low, c.value[i]);
                    high = std::max(high, c.value[i]);
                }
            const auto e = p.between(a, b);
            REQUIRE(e.any == (low <= high));
            if (e.any) {
                REQUIRE(e.lowest == low);
                REQUIRE(e.highest == high);
            }
        }
        std::vector<Pyramid::Column> columns;
        p.columns(-1, static_cast<double>(n) * 0.01 + 1, 333, columns);
        REQUIRE(columns.size() == 333);
        std::size_t sum = 0, last = 0;
        for (const auto& col : columns) {
            REQUIRE(col.first >= last);
            sum += col.last - col.first;
            last = std::max(last, col.last);
        }
        // Columns of nothing but gaps count for none.
        CHECK(sum <= n);
        CHECK(sum + n / 97 + 2 >= n);
        if (n == 70001) CHECK(static_cast<double>(p.bytes()) < 0.15 * 16 * static_cast<double>(n));
    }
    Pyramid nothing;
    std::vector<Pyramid::Column> columns;
    nothing.columns(0, 1, 10, columns);
    CHECK(columns.size() == 10);
    CHECK_FALSE(nothing.between(0, 10).any);
}

TEST_CASE("one channel against another, with and without turns", "[review][relation]") {
    const FlightLog log = syntheticFlight(3);
    const Channel &throttle = *log.find("throttle.percent"), &current = *log.find("battery.current_a");
    const Stretch whole{log.firstTime(), log.firstTime() + log.duration_s()};
    const auto steady = relationOf(log, throttle, current, whole, true),
               all = relationOf(log, throttle, current, whole, false);
    REQUIRE(steady);
    REQUIRE(all);
    CHECK(steady->line.r > 0.9);
    CHECK(steady->left_out > 0);
    CHECK(all->left_out == 0);
    CHECK(all->x.size() > steady->x.size());
    CHECK(all->x.size() <= 4000);
    CHECK_FALSE(relationOf(log, throttle, Channel{}, whole, false));
    CHECK_FALSE(relationOf(log, throttle, current, {0, 0}, false));
    const auto h = histogramOf(throttle, whole, 40);
    REQUIRE(h);
    std::size_t sum = 0;
    for (const std::size_t n : h->count) sum += n;
    CHECK(sum == h->stats.count);
    CHECK(h->p5 <= h->p50);
    CHECK(h->p50 <= h->p95);
    Channel flat;
    flat.add(1, 4);
    flat.add(2, 4);
    REQUIRE(histogramOf(flat, {0, 5}));
    CHECK(histogramOf(flat, {0, 5})->count == std::vector<std::size_t>{2});
    CHECK_FALSE(histogramOf(flat, {7, 9}));
}

TEST_CASE("height over distance has the slope of what was flown", "[review][relation]") {
    FlightLog log;
    GeoPoint at{47.31, -20.12};
    for (int i = 0; i <= 200; ++i) {
        log.channel("position.lat_deg", "deg").add(i, at.lat_deg);
        log.channel("position.lon_deg", "deg").add(i, at.lon_deg);
        log.channel("position.height_amsl_m", "m").add(i, 50 + 0.1 * 5 * i);
        log.channel("position.height_ground_m", "m").add(i, 30);
        at = destination(at, 30, 5);
    }
    const auto d = heightOverDistance(log, {0, 200});
    REQUIRE(d);
    CHECK(d->amsl);
    CHECK(d->length_m == Approx(1000).epsilon(0.001));
    CHECK(d->climbed_m == Approx(100).epsilon(0.02));
    CHECK(d->steepest_percent == Approx(10).epsilon(0.02));
    CHECK(d->ground_m.size() == d->height_m.size());
    CHECK(d->ground_m[10] == Approx(d->height_m[10] - 30));
    CHECK_FALSE(heightOverDistance(log, {300, 400}));
    CHECK_FALSE(heightOverDistance(FlightLog{}, {0, 1}));
}

// The drawn traces themselves: styles, holes, both themes, many plots, colours of the track by value, the panel of
// legs.
#include <catch2/catch.hpp>

#include "Driver.h"
#include "app/debrief/TraceBand.h"
#include "app/widgets/TrackColours.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// A band of its own on a made-up log.
struct Band {
    TraceModel model;
    TraceBand band{&model};
    std::shared_ptr<FlightLog> log = std::make_shared<FlightLog>();
    Band() {
        QSettings().clear();
        for (int i = 0; i <= 400; ++i) {
            const double t = i * 0.25;
            if (t < 40 || t > 60) log->channel("position.height_home_m", "m").add(t, 20 + 10 * std::sin(t / 5));
            log->channel("throttle.percent", "%").add(t, i % 40 < 20 ? 40 : 60);
        }
        for (int i = 0; i < 200000; ++i) log->channel("imu.gyro_x_dps", "deg/s").add(i * 0.0005, std::sin(i * 0.3) * 5);
        log->modes = {{0, "hold"}, {30, "mission"}};
        log->events = {{10, "armed", ""}, {50, "message", "hello"}};
        log->findSessions({});
        band.resize(900, 300);
        band.setTheme(Theme::light());
        model.setLog(log);
    }
    void draw(std::initializer_list<Trace> traces) {
        model.setTraces(traces);
        // A long channel is read beside the window.
        REQUIRE(until(20'000, [&] {
            return std::none_of(traces.begin(), traces.end(), [&](const Trace& t) { return model.waitsFor(t); });
        }));
        image = band.grab().toImage();
    }
    /// How many pixels of a plot are close to a colour; a smooth line may lie between two rows.
    int pixels(const QColor& c, int plot = 0) const {
        int n = 0;
        const QRect r = band.plotRect(plot).toRect();
        for (int y = r.top() + 20; y < r.bottom() - 1; ++y)
            for (int x = r.left() + 1; x < r.right() - 1; ++x) {
                const QColor p = image.pixelColor(x, y);
                n +=
                    std::abs(p.red() - c.red()) + std::abs(p.green() - c.green()) + std::abs(p.blue() - c.blue()) < 140;
            }
        return n;
    }
    QImage image;
};

Trace trace(const char* name, Trace::Style style = Trace::line, bool right = false, int plot = 0) {
    Trace t;
    t.name = name;
    t.style = style;
    t.right = right;
    t.plot = plot;
    return t;
}

}  // namespace

TEST_CASE("lines, steps and points draw what is there, and nothing across a hole", "[ui][traces][drawing]") {
    Band b;
    b.model.setCursor(-50);  // out of the way
    b.draw({trace("position.height_home_m")});
    const QColor colour = b.band.colourOf(0);
    const int line = b.pixels(colour);
    CHECK(line > 400);
    // Where nothing was recorded nothing is drawn.
    int in_hole = 0;
    const QRect r = b.band.plotRect(0).toRect();
    for (int x = static_cast<int>(b.band.xOf(43)); x < static_cast<int>(b.band.xOf(57)); ++x)
        for (int y = r.top() + 20; y < r.bottom() - 1; ++y) {
            const QColor p = b.image.pixelColor(x, y);
            in_hole += std::abs(p.red() - colour.red()) + std::abs(p.green() - colour.green()) +
                           std::abs(p.blue() - colour.blue()) <
                       60;
        }
    CHECK(in_hole == 0);
    b.draw({trace("throttle.percent", Trace::steps)});
    const int steps = b.pixels(colour);
    b.draw({trace("throttle.percent", Trace::points)});
    const int points = b.pixels(colour);
    CHECK(steps > 500);
    CHECK(points > 200);
    b.draw({trace("imu.gyro_x_dps")});
    CHECK(b.pixels(colour) > 20000);  // dense: extremes fill the band
    const auto range = b.band.valueRange(0, false);
    CHECK(range.first < -5);
    CHECK(range.second > 5);
    CHECK(range.second < 7);
    b.draw({trace("imu.gyro_x_dps", Trace::points)});
    CHECK(b.pixels(colour) > 500);
}

TEST_CASE("axes, plots and themes; what a log has not is said, not drawn", "[ui][traces][drawing]") {
    Band b;
    b.draw({trace("position.height_home_m"), trace("throttle.percent", Trace::line, true),
            trace("imu.gyro_x_dps", Trace::line, false, 1), trace("no.such_thing", Trace::line, false, 2)});
    CHECK(b.model.plots() == 3);
    CHECK(b.band.plotRect(0).bottom() < b.band.plotRect(1).top());
    CHECK(b.band.plotRect(2).bottom() < b.band.height());
    CHECK(b.band.valueRange(0, true).second > 59);
    CHECK(b.band.valueRange(1, true) == std::pair(0.0, 1.0));
    CHECK(b.band.timeAt(b.band.xOf(33)) == Approx(33));
    CHECK(b.band.plotRect(0).right() < b.band.width() - 40);  // room for the right axis
    b.draw({trace("position.height_home_m")});
    CHECK(b.band.plotRect(0).right() > b.band.width() - 20);
    const QImage light = b.image;
    b.band.setTheme(Theme::dark());
    b.draw({trace("position.height_home_m")});
    CHECK(light.pixelColor(3, 3).lightness() > 200);
    CHECK(b.image.pixelColor(3, 3).lightness() < 60);
    // Smoothing narrows what is drawn.
    Trace smooth = trace("imu.gyro_x_dps");
    b.draw({smooth});
    const auto raw = b.band.valueRange(0, false);
    smooth.smooth_s = 1;
    b.draw({smooth});
    const auto mean = b.band.valueRange(0, false);
    CHECK(mean.second - mean.first < (raw.second - raw.first) / 4);
    // Colours in turn, or as chosen.
    smooth.colour = 3;
    b.draw({smooth});
    CHECK(b.band.colourOf(0) == Theme::dark().plum);
    b.model.setLog(nullptr);
    CHECK_FALSE(b.band.grab().isNull());
}

TEST_CASE("zoomed between two samples the line is still there", "[ui][traces][drawing]") {
    Band b;
    b.draw({trace("throttle.percent")});
    b.model.setCursor(-50);
    b.model.setView({10.26, 10.45});
    b.image = b.band.grab().toImage();
    CHECK(b.pixels(b.band.colourOf(0)) > 300);
    b.model.setView({1e6, 1e6 + 1});
    b.image = b.band.grab().toImage();
    CHECK(b.pixels(b.band.colourOf(0)) == 0);
    b.model.setView({-1e9, 1e9});
    CHECK_FALSE(b.band.grab().isNull());
}

TEST_CASE("colours by value: seven classes over the middle nine tenths, holes of their own", "[ui][track]") {
    std::vector<double> values;
    for (int i = 0; i < 1000; ++i) values.push_back(i);
    const TrackColours c = coloursByValue(values, "speed  m/s", Theme::light());
    CHECK(c.title == "speed  m/s");
    REQUIRE(c.classes.size() == 7);
    REQUIRE(c.of.size() == values.size());
    CHECK(c.classes.front().text.startsWith("from "));
    CHECK(c.classes.back().text.startsWith("below "));
    CHECK(c.classes[c.of.front()].colour == Theme::light().lagoon);
    CHECK(c.classes[c.of.back()].colour == Theme::light().vermilion);
    values[10] = NAN;
    const TrackColours holed = coloursByValue(values, "x", Theme::light());
    CHECK(holed.classes.size() == 8);
    CHECK(holed.classes[holed.of[10]].text == "no value");
    CHECK(coloursByValue({NAN, NAN}, "x", Theme::light()).classes.empty());
    const TrackColours flat = coloursByValue({3, 3, 3}, "x", Theme::light());
    CHECK(flat.of.size() == 3);
    CHECK(flat.classes.size() == 7);
}

// What is drawn of a log, without a window: traces, plots, view and its history, formulas, presets, sessions.
#include <catch2/catch.hpp>

#include <QSettings>
#include <QSignalSpy>
#include <atomic>
#include <cmath>
#include <thread>

#include "session/TraceModel.h"
#include "session/Until.h"

using namespace anhinga;
using testing::until;

namespace {

LogPtr sample() {
    auto log = std::make_shared<FlightLog>();
    for (int i = 0; i <= 1000; ++i) {
        const double t = 50 + i * 0.1 + (i > 500 ? 400 : 0);
        log->channel("position.lat_deg", "deg").add(t, 47.31 + i * 1e-6);
        log->channel("position.lon_deg", "deg").add(t, -20.12);
        log->channel("position.height_home_m", "m").add(t, 10 + 5 * std::sin(t));
        log->channel("battery.voltage_v", "V").add(t, 16 - i * 0.001);
        log->channel("battery.current_a", "A").add(t, 12);
    }
    log->findSessions({});
    return log;
}

Trace named(const char* name, bool right = false, int plot = 0) {
    Trace t;
    t.name = name;
    t.right = right;
    t.plot = plot;
    return t;
}

struct Fresh {
    Fresh() { QSettings().clear(); }
};

}  // namespace

TEST_CASE("traces are added, taken away and close up their plots", "[session][traces]") {
    const Fresh fresh;
    TraceModel m;
    m.setLog(sample());
    QSignalSpy changed(&m, &TraceModel::tracesChanged);
    m.toggle("position.height_home_m", false);
    m.toggle("battery.voltage_v", true, 2);
    CHECK(changed.count() == 2);
    REQUIRE(m.traces().size() == 2);
    CHECK(m.plots() == 2);  // plot 3 closed up
    CHECK(m.traces()[1].plot == 1);
    CHECK(m.traces()[1].right);
    m.toggle("position.height_home_m", false);
    REQUIRE(m.traces().size() == 1);
    CHECK(m.traces()[0].plot == 0);
    Trace t = m.traces()[0];
    t.smooth_s = 2;
    t.style = Trace::steps;
    m.change(0, t);
    CHECK(m.traces()[0].style == Trace::steps);
    m.change(9, t);
    m.remove(9);
    m.remove(0);
    CHECK(m.traces().empty());
    CHECK(m.plots() == 1);
    m.setTraces({named("a", false, 99), named("b", false, -5)});
    CHECK(m.plots() == 2);
    CHECK(m.channelOf(m.traces()[0]) == nullptr);
    std::vector<Pyramid::Column> columns;
    m.pyramidOf(m.traces()[0]).columns(0, 1, 5, columns);
    CHECK(columns.size() == 5);
}

TEST_CASE("smoothing is a mean around each sample", "[session][traces]") {
    const Fresh fresh;
    TraceModel m;
    m.setLog(sample());
    Trace t = named("position.height_home_m");
    t.smooth_s = 10;
    const Channel* smooth = m.channelOf(t);
    REQUIRE(smooth != nullptr);
    CHECK(smooth->value.size() == 1001);
    double expected = 0;
    int n = 0;
    const Channel& raw = *m.channel("position.height_home_m");
    for (std::size_t i = 0; i < raw.t_s.size(); ++i)
        if (std::abs(raw.t_s[i] - raw.t_s[300]) <= 5) {
            expected += raw.value[i];
            ++n;
        }
    CHECK(smooth->value[300] == Approx(expected / n));
    CHECK(m.channelOf(t) == smooth);  // kept
}

TEST_CASE("a long channel is read beside the window: meanwhile nothing is drawn, then it is", "[session][traces]") {
    const Fresh fresh;
    constexpr std::size_t kMany = TraceModel::kLongChannel + 50'000;
    std::atomic<int> read = 0;
    std::atomic<std::thread::id> reader;
    const auto log = [&](double value) {
        auto out = std::make_shared<FlightLog>();
        out->setSpan(0, 150);
        const auto fill = [&read, &reader, value](std::size_t count) {
            return [&read, &reader, value, count](Channel& c) {
                ++read;
                if (count == kMany) reader = std::this_thread::get_id();
                for (std::size_t i = 0; i < count; ++i) c.add(static_cast<double>(i) * 1e-3, value);
            };
        };
        out->promise("imu.gyro_x_dps", "deg/s", kMany, fill(kMany));
        out->promise("battery.voltage_v", "V", 1000, fill(1000));
        return LogPtr(out);
    };
    TraceModel m;
    int told = 0;
    QObject::connect(&m, &TraceModel::tracesChanged, &m, [&] { ++told; });
    m.setLog(log(3));
    Trace gyro, battery;
    gyro.name = "imu.gyro_x_dps";
    battery.name = "battery.voltage_v";
    m.setTraces({gyro, battery});
    CHECK(m.waitsFor(gyro));
    CHECK(m.channelOf(gyro) == nullptr);
    CHECK_FALSE(m.waitsFor(battery));  // a short one is there at once
    REQUIRE(m.channelOf(battery) != nullptr);
    const int before = told;
    REQUIRE(until(10'000, [&] { return !m.waitsFor(gyro); }));
    CHECK(told > before);
    REQUIRE(m.channelOf(gyro) != nullptr);
    CHECK(m.channelOf(gyro)->value.size() == kMany);
    CHECK(reader.load() != std::this_thread::get_id());
    std::vector<Pyramid::Column> columns;
    m.pyramidOf(gyro).columns(0, 150, 10, columns);
    CHECK(columns[5].highest == 3);
    // Smoothed, and of the flight beside.
    gyro.smooth_s = 1;
    m.change(0, gyro);
    CHECK(m.waitsFor(gyro));
    m.setBeside(BesideLog{log(8), "other", 0});
    CHECK(m.besideOf(gyro) == nullptr);
    REQUIRE(until(10'000, [&] { return !m.waitsFor(gyro) && m.besideOf(gyro) != nullptr; }));
    CHECK(m.channelOf(gyro)->value[70'000] == Approx(3));
    CHECK(m.besideOf(gyro)->value[70'000] == Approx(8));
    m.besidePyramidOf(gyro).columns(0, 150, 10, columns);
    CHECK(columns[5].highest == Approx(8));
    // Another log before the first was read: only its own is heard.
    m.setLog(log(5));
    m.setLog(log(6));
    CHECK_FALSE(m.beside());
    REQUIRE(until(10'000, [&] { return !m.waitsFor(gyro); }));
    CHECK(m.channelOf(gyro)->value[70'000] == Approx(6));
}

TEST_CASE("the view zooms about a time, goes back and shows all", "[session][traces]") {
    const Fresh fresh;
    TraceModel m;
    m.setLog(sample());
    const Stretch all = m.view();
    CHECK(all.from_s == Approx(50));
    CHECK_FALSE(m.canGoBack());
    m.setView({100, 110});
    m.setView({102, 104});
    CHECK(m.canGoBack());
    m.back();
    CHECK(m.view().from_s == 100);
    m.zoom(0.5, 100);
    CHECK(m.view().from_s == Approx(100));
    CHECK(m.view().to_s == Approx(105));
    m.pan(3);
    CHECK(m.view().from_s == Approx(103));
    m.back();
    CHECK(m.view().from_s == Approx(all.from_s));
    m.back();
    m.setView({5, 5});
    m.setView({NAN, 7});
    CHECK(m.view().to_s == Approx(all.to_s));
    m.setView({60, 61});
    m.showAll();
    CHECK(m.view().length_s() == Approx(all.length_s()));
    m.back();
    CHECK(m.view().from_s == 60);
    for (int i = 0; i < 300; ++i) m.zoom(0.5, 60.5);
    CHECK(m.view().length_s() > 0);
    for (int i = 0; i < 300; ++i) m.zoom(2, 60.5);
    CHECK(m.view().length_s() < 2 * all.length_s());
}

TEST_CASE("a session of the log is a whole of its own", "[session][traces]") {
    const Fresh fresh;
    TraceModel m;
    const LogPtr log = sample();
    REQUIRE(log->sessions.size() == 2);
    m.setLog(log);
    QSignalSpy changed(&m, &TraceModel::sessionChanged);
    m.setSecondCursor(60);
    m.setSession(1);
    CHECK(changed.count() == 1);
    CHECK(m.session() == 1);
    CHECK(m.whole().from_s == Approx(log->sessions[1].from_s));
    CHECK(m.view().to_s == Approx(log->sessions[1].to_s));
    CHECK(m.cursor() >= m.whole().from_s);
    CHECK_FALSE(m.secondCursor());
    m.setSession(7);
    CHECK(m.session() == -1);
    m.setLog(nullptr);
    CHECK(m.channel("position.lat_deg") == nullptr);
    m.usePreset("Height");
    m.showAll();
}

TEST_CASE("formulas and favourites are remembered; a wrong formula changes nothing", "[session][traces][formula]") {
    const Fresh fresh;
    {
        TraceModel m;
        FormulaError error;
        CHECK_FALSE(m.setFormula({"p", "1"}, error));  // no log
        m.setLog(sample());
        CHECK_FALSE(m.setFormula({"", "battery.voltage_v"}, error));
        CHECK_FALSE(m.setFormula({"battery.voltage_v", "battery.current_a"}, error));
        CHECK(error.message.find("log itself") != std::string::npos);
        CHECK_FALSE(m.setFormula({"power", "battery.voltage_v * battery.curent_a"}, error));
        CHECK(error.at == 20);
        CHECK(m.formulas().empty());
        REQUIRE(m.setFormula({"power", "battery.voltage_v * battery.current_a"}, error));
        REQUIRE(m.channel("power") != nullptr);
        CHECK(m.channel("power")->unit == "W");
        CHECK(m.channel("power")->value[0] == Approx(192));
        m.toggle("power", true);
        REQUIRE(m.setFormula({"power", "battery.voltage_v * 2"}, error));  // another one of that name
        CHECK(m.formulas().size() == 1);
        CHECK(m.channelOf(m.traces()[0])->value[0] == Approx(32));
        m.setFavourite("power", true);
        m.setFavourite("battery.voltage_v", true);
        m.setFavourite("power", false);
    }
    TraceModel again;
    CHECK(again.favourites() == QStringList{"battery.voltage_v"});
    REQUIRE(again.formulas().size() == 1);
    CHECK(again.formulas()[0].formula == "battery.voltage_v * 2");
    again.setLog(sample());
    CHECK(again.channel("power")->unit == "V");
    again.toggle("power", false);
    again.removeFormula("power");
    CHECK(again.traces().empty());
    CHECK(again.channel("power") == nullptr);
    // A log without the channels: the formula stays, but gives nothing.
    FormulaError error;
    REQUIRE(again.setFormula({"v", "battery.voltage_v + 1"}, error));
    auto other = std::make_shared<FlightLog>();
    other->channel("baro.height_m", "m").add(0, 1);
    again.setLog(other);
    CHECK(again.channel("v") == nullptr);
    CHECK(again.formulas().size() == 1);
}

TEST_CASE("presets draw what the log has of them", "[session][traces]") {
    const Fresh fresh;
    TraceModel m;
    CHECK(TraceModel::presets().size() >= 7);
    CHECK_FALSE(m.hasPreset("Battery"));
    m.setLog(sample());
    CHECK(m.hasPreset("Battery"));
    CHECK(m.hasPreset("Height"));
    CHECK_FALSE(m.hasPreset("Vibration"));
    CHECK_FALSE(m.hasPreset("nonsense"));
    m.usePreset("Battery");
    REQUIRE(m.traces().size() == 2);
    CHECK(m.traces()[0].name == "battery.voltage_v");
    CHECK(m.traces()[1].right);
    m.usePreset("Vibration");  // nothing of it: what is drawn stays
    CHECK(m.traces().size() == 2);
}

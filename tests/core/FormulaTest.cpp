// Formula channels: values, units, and errors that point at their character.
#include <catch2/catch.hpp>

#include <random>

#include "core/analysis/Formula.h"

using namespace anhinga;

namespace {

FlightLog sample() {
    FlightLog log;
    for (int i = 0; i <= 1000; ++i) {
        const double t = i * 0.1;
        log.channel("battery.voltage_v", "V").add(t, 16 - 0.01 * t);
        log.channel("attitude.yaw_deg", "deg").add(t, std::fmod(350 + 3 * t, 360.0));
        log.channel("position.height_home_m", "m").add(t, 5 * t);
        log.channel("IMU#1.GyrX", "rad/s").add(t, std::sin(t));
        if (i % 10 == 0) log.channel("battery.current_a", "A").add(t, 10 + t);
    }
    log.channel("odd name.x y", "m").add(0, 1);
    log.channel("odd name.x y", "m").add(100, 1);
    log.channel("empty.one", "m");
    return log;
}

Channel given(const std::string& formula) {
    const FlightLog log = sample();
    Channel out;
    FormulaError error;
    INFO(formula);
    const bool good = evaluateFormula(log, formula, out, error);
    INFO(error.message << " at " << error.at);
    REQUIRE(good);
    REQUIRE(out.t_s.size() == out.value.size());
    return out;
}
FormulaError refused(const std::string& formula) {
    const FlightLog log = sample();
    Channel out;
    out.add(1, 2);
    FormulaError error;
    INFO(formula);
    REQUIRE_FALSE(evaluateFormula(log, formula, out, error));
    CHECK(out.value.size() == 1);  // left as it was
    CHECK_FALSE(error.message.empty());
    CHECK(error.length >= 1);
    return error;
}

}  // namespace

TEST_CASE("arithmetic over channels of different rates, with units", "[analysis][formula]") {
    const Channel power = given("battery.voltage_v * battery.current_a");
    CHECK(power.unit == "W");
    CHECK(power.t_s.size() == 1001);  // the faster one's times
    CHECK(power.value[505] == Approx((16 - 0.01 * 50.5) * (10 + 50.5)).epsilon(1e-9));
    CHECK(given("position.height_home_m / 5 + 1").value[100] == Approx(11));
    CHECK(given("position.height_home_m / 5 + 1").unit == "m");
    CHECK(given("2 ^ 3 ^ 2 + 0 * battery.voltage_v / battery.voltage_v").value[0] == Approx(512));
    CHECK(given("-battery.voltage_v ^ 2").value[0] == Approx(-256));
    CHECK(given("-battery.voltage_v ^ 2").unit == "V2");
    CHECK(given("(1 + 2) * 3 - 4 / 2 + position.height_home_m * 0").value[7] == Approx(7));
    CHECK(given("sqrt(position.height_home_m ^ 2)").unit == "m");
    CHECK(given("\"odd name.x y\" * 2").value[0] == 2);
    CHECK(given("IMU#1.GyrX * 2").unit == "rad/s");
    CHECK(given("max(position.height_home_m, 100)").value[10] == 100);
    CHECK(given("hypot(position.height_home_m, position.height_home_m)").value[20] == Approx(10 * std::sqrt(2.0)));
    CHECK(given("sin(attitude.yaw_deg)").value[0] == Approx(std::sin(350 * M_PI / 180)));
    CHECK(given("atan2(battery.voltage_v, battery.voltage_v)").value[3] == Approx(45));
    CHECK(given("1e2 * position.height_home_m + .5").value[0] == Approx(0.5));
    CHECK(given("abs(-pi) * battery.voltage_v").value[0] == Approx(M_PI * 16));
}

TEST_CASE("functions over time", "[analysis][formula]") {
    const Channel climb = given("derivative(position.height_home_m)");
    CHECK(climb.unit == "m/s");
    CHECK(climb.value[500] == Approx(5));
    CHECK(climb.value.front() == Approx(5));
    const Channel way = given("integral(derivative(position.height_home_m))");
    CHECK(way.unit == "m");
    CHECK(way.value.back() == Approx(500).epsilon(0.001));
    const Channel lagged = given("lag(position.height_home_m, 2)");
    CHECK(lagged.value[500] == Approx(5 * 48));
    CHECK(std::isnan(lagged.value[5]));
    const Channel mean = given("mean(position.height_home_m, 1)");
    CHECK(mean.value[500] == Approx(5 * (50 - 0.45)).epsilon(1e-6));
    CHECK(given("deviation(battery.voltage_v * 0 + 3, 5)").value[600] == Approx(0).margin(1e-9));
    CHECK(given("unwrap(attitude.yaw_deg)").value.back() == Approx(350 + 300));
    const Channel slow = given("lowpass(IMU#1.GyrX, 0.01)");
    CHECK(std::abs(slow.value[900]) < 0.3);
    CHECK(slow.unit == "rad/s");
}

TEST_CASE("errors point at their character", "[analysis][formula]") {
    CHECK(refused("").at == 0);
    CHECK(refused("battery.voltage_v + position.height_home_m").at == 18);
    CHECK(refused("battery.voltage_v + position.height_home_m").message.find("units differ") != std::string::npos);
    const FormulaError unknown = refused("2 * battery.volts + 1");
    CHECK(unknown.at == 4);
    CHECK(unknown.length == 13);
    CHECK(unknown.message.find("battery.volts") != std::string::npos);
    CHECK(refused("battery.voltage_v + (1 + 2").at == 20);
    CHECK(refused("battery.voltage_v $ 2").at == 18);
    CHECK(refused("battery.voltage_v +").message.find("missing") != std::string::npos);
    CHECK(refused("wobble(battery.voltage_v)").at == 0);
    CHECK(refused("mean(battery.voltage_v)").message.find("takes 2 values") != std::string::npos);
    CHECK(refused("mean(battery.voltage_v, 0)").at == 24);
    CHECK(refused("mean(battery.voltage_v, battery.current_a)").at == 24);
    CHECK(refused("derivative(3) * battery.voltage_v").at == 11);
    CHECK(refused("sin(battery.voltage_v)").at == 4);
    CHECK(refused("log(battery.voltage_v)").at == 4);
    CHECK(refused("sqrt(battery.voltage_v)").at == 5);
    CHECK(refused("battery.voltage_v ^ 0.3").at == 18);
    CHECK(refused("battery.voltage_v ^ battery.current_a").at == 18);
    CHECK(refused("1 + 2").message.find("no channel") != std::string::npos);
    CHECK(refused("empty.one * 1").message.find("no values") != std::string::npos);
    CHECK(refused("\"battery.voltage_v").message.find("quote") != std::string::npos);
    CHECK(refused(std::string(5000, '1')).message.find("longer") != std::string::npos);
    CHECK(refused("battery.voltage_v * " + std::string(500, '(') + "1" + std::string(500, ')'))
              .message.find("brackets") != std::string::npos);
    CHECK(refused("battery.voltage_v * " + std::string(500, '-') + "1").message.find("brackets") != std::string::npos);
}

TEST_CASE("no text makes the parser fall", "[analysis][formula]") {
    const FlightLog log = sample();
    const char* const parts[] = {"battery.voltage_v",
                                 "(",
                                 ")",
                                 "+",
                                 "-",
                                 "*",
                                 "/",
                                 "^",
                                 "mean(",
                                 "lag(",
                                 ",",
                                 "1",
                                 "1e",
                                 ".",
                                 "\"",
                                 "pi",
                                 "sin(",
                                 " ",
                                 "#",
                                 "é",
                                 "attitude.yaw_deg",
                                 "derivative(",
                                 "0",
                                 "[",
                                 "]"};
    std::mt19937 random(11);
    int good = 0;
    for (int i = 0; i < 4000; ++i) {
        std::string formula;
        const auto n = 1 + random() % 9;
        for (unsigned k = 0; k < n; ++k) formula += parts[random() % std::size(parts)];
        Channel out;
        FormulaError error;
        if (evaluateFormula(log, formula, out, error)) {
            ++good;
            REQUIRE(out.value.size() == out.t_s.size());
        } else {
            INFO(formula);
            REQUIRE_FALSE(error.message.empty());
            REQUIRE(error.at <= formula.size());
        }
    }
    CHECK(good > 20);
    CHECK(formulaFunctions().size() >= 15);
    CHECK(channelsIn("mean(a.b, 2) + \"c d\" * pi - e1[0]") == std::vector<std::string>{"a.b", "c d", "e1[0]"});
}

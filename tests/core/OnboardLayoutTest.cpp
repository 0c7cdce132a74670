// Self-describing logs laid out as autopilots of family 3 write them, with their units and multipliers: what was flown
// is known, and what is read is held against it.
#include <catch2/catch.hpp>

#include "LogWriters.h"
#include "core/geo/Geo.h"
#include "core/logio/LogReader.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

constexpr double kGpsWeek = 2446, kWeek_s = 604800, kFirst_s = 12;  // the first record, seconds since power-on
constexpr double kPowerOn_s = 604770;                               // in that week: it ends while the log runs
constexpr double kGpsStart = 315964800 + kGpsWeek * kWeek_s + kPowerOn_s + kFirst_s - 18;

struct FlownTruth {
    double lat, lng, amsl, home, roll, pitch, yaw, throttle, volts, amps, used_mah, used_wh;
};
constexpr double kFlownGround = 24.5;
FlownTruth flownAt(double t) {
    const double up = std::clamp((t - 40) * 2, 0.0, 50.0), out = std::max(0.0, t - 65);
    return {47.3 + out * 4e-5,
            -20.1 - out * 3e-5,
            kFlownGround + up,
            up,
            5 * std::sin(t / 7),
            -3 * std::cos(t / 5),
            std::fmod(t * 3, 360),
            0.42,
            16.4 - t / 300,
            8 + t / 60,
            t * 2.5,
            t * 0.04};
}

/// Writes the records that say how to read the others.
class Layout {
  public:
    SelfWriter w;
    Layout() {
        w.format(160, "UNIT", "QbZ", "TimeUS,Id,Label");
        w.format(161, "MULT", "Qbd", "TimeUS,Id,Mult");
        w.format(162, "FMTU", "QBNN", "TimeUS,FmtType,UnitIds,MultIds");
        const std::pair<char, const char*> units[] = {{'-', ""},           {'?', "UNKNOWN"}, {'A', "A"},
                                                      {'a', "Ah"},         {'d', "deg"},     {'D', "deglatitude"},
                                                      {'E', "rad/s"},      {'G', "Gauss"},   {'h', "degheading"},
                                                      {'m', "m"},          {'n', "m/s"},     {'o', "m/s/s"},
                                                      {'O', "degC"},       {'%', "%"},       {'P', "Pa"},
                                                      {'S', "satellites"}, {'s', "s"},       {'U', "deglongitude"},
                                                      {'v', "V"},          {'w', "Ohm"},     {'X', "W.h"},
                                                      {'Y', "us"},         {'z', "Hz"},      {'#', "instance"}};
        for (const auto& [id, label] : units) w.record(160, {0.0, double(id), std::string(label)});
        const std::pair<char, double> by[] = {{'-', 0},    {'?', 1},    {'2', 100},  {'1', 10},
                                              {'0', 1},    {'A', 0.1},  {'B', 0.01}, {'C', 1e-3},
                                              {'D', 1e-4}, {'E', 1e-5}, {'F', 1e-6}, {'G', 1e-7}};
        for (const auto& [id, mult] : by) w.record(161, {0.0, double(id), mult});
    }
    void kind(int id, const char* name, const char* types, const char* labels, const char* units, const char* mults) {
        w.format(id, name, types, labels);
        if (*units != '\0') w.record(162, {0.0, double(id), std::string(units), std::string(mults)});
    }
    void parameter(double t, const char* name, double value) {
        w.record(64, {t * 1e6, std::string(name), value, value});
    }
};

void common(Layout& l, bool units) {
    const auto said = [&](const char* text) { return units ? text : ""; };
    l.kind(64, "PARM", "QNff", "TimeUS,Name,Value,Default", said("s---"), said("F---"));
    l.kind(71, "GPS", "QBBIHBcLLeffffB", "TimeUS,I,Status,GMS,GWk,NSats,HDop,Lat,Lng,Alt,Spd,GCrs,VZ,Yaw,U",
           said("s#-s-S-DUmnhnh-"), said("F--C-0BGGB000--"));
    l.kind(72, "MAG", "QBhhhhhhhhhBI", "TimeUS,I,MagX,MagY,MagZ,OfsX,OfsY,OfsZ,MOX,MOY,MOZ,Health,S",
           said("s#GGGGGGGGG-s"), said("F-CCCCCCCCC-F"));
    l.kind(73, "BAT", "QBfffffcfB", "TimeUS,Inst,Volt,VoltR,Curr,CurrTot,EnrgTot,Temp,Res,RemPct", said("s#vvAaXOw%"),
           said("F-000C0?00"));
    l.kind(74, "ATT", "QccccCCCC", "TimeUS,DesRoll,Roll,DesPitch,Pitch,DesYaw,Yaw,ErrRP,ErrYaw", said("sddddhhdh"),
           said("FBBBBBBBB"));
    l.kind(75, "POS", "QLLfff", "TimeUS,Lat,Lng,Alt,RelHomeAlt,RelOriginAlt", said("sDUmmm"), said("FGG000"));
    l.kind(76, "MODE", "QMBB", "TimeUS,Mode,ModeNum,Rsn", said("s---"), said("F---"));
    l.kind(77, "ARM", "QBIBB", "TimeUS,ArmState,ArmChecks,Forced,Method", said("s----"), said("F----"));
    l.kind(78, "ERR", "QBB", "TimeUS,Subsys,ECode", said("s--"), said("F--"));
    l.kind(79, "RCOU", "QHHHHHH", "TimeUS,C1,C2,C3,C4,C5,C6", said("sYYYYYY"), said("F------"));
    l.kind(80, "CAM", "QIHLLeeeccC", "TimeUS,GPSTime,GPSWeek,Lat,Lng,Alt,RelAlt,GPSAlt,Roll,Pitch,Yaw",
           said("s--DUmmmddd"), said("F--GGBBBBBB"));
    l.kind(81, "IMU", "QBffffff", "TimeUS,I,GyrX,GyrY,GyrZ,AccX,AccY,AccZ", said("s#EEEooo"), said("F-000000"));
}

/// GPS before its fix, and all the rest from the first second; two receivers, of which the second is used.
void fly(Layout& l, double until_s) {
    for (double t = kFirst_s; t <= until_s; t += 0.2) {
        const double us = t * 1e6;
        const FlownTruth f = flownAt(t);
        const bool fix = t >= 25;
        double in_week = kPowerOn_s + t, week = kGpsWeek;
        if (in_week >= kWeek_s) {
            in_week -= kWeek_s;
            ++week;
        }
        l.w.record(71, {us, 0.0, 1.0, 0.0, 0.0, 0.0, 99.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0});
        l.w.record(71, {us, 1.0, fix ? 3.0 : 1.0, fix ? std::round(in_week * 1000) : 0, fix ? week : 0, 14.0, 0.75,
                        fix ? f.lat : 0, fix ? f.lng : 0, fix ? f.amsl : 0, 4.5, 10.0, -0.5, 0.0, 1.0});
        l.w.record(72, {us, 0.0, 210.0, -40.0, 420.0, 5.0, 6.0, 7.0, 0.0, 0.0, 0.0, 1.0, us});
        l.w.record(73, {us, 0.0, f.volts, f.volts, f.amps, f.used_mah, f.used_wh, 31.0, 0.02, 88.0});
        l.w.record(74, {us, f.roll, f.roll, f.pitch, f.pitch, f.yaw, f.yaw, 0.0, 0.0});
        l.w.record(75, {us, fix ? f.lat : 0, fix ? f.lng : 0, f.amsl, f.home, f.home});
        l.w.record(79, {us, 1200 + 100 * std::sin(t), 1400.0, 1600 + 10 * std::cos(t), 1300 + t, 0.0, 0.0});
        l.w.record(81, {us, 0.0, 0.1, -0.2, 0.3, 0.5, 0.25, -9.8});
    }
}

LogPtr laidOut(const std::string& bytes) {
    const auto log = readLog(bytes, "sample");
    if (!log) FAIL(log.error().message);
    return *log;
}
double valueAt(const LogPtr& log, const char* name, double t) {
    const Channel* c = log->find(name);
    INFO(name);
    REQUIRE(c != nullptr);
    REQUIRE_FALSE(c->value.empty());
    return c->at(t).value_or(NAN);
}
bool tellsOf(const LogPtr& log, const std::string& words) {
    return std::any_of(log->events.begin(), log->events.end(),
                       [&](const LogEvent& e) { return e.text.find(words) != std::string::npos; });
}

}  // namespace

TEST_CASE("rotors of family 3: every figure in its unit, with the file's units and without",
          "[logio][selfdescribing][layout]") {
    for (const bool units : {true, false}) {
        INFO((units ? "units in the file" : "no units"));
        Layout l;
        common(l, units);
        l.kind(90, "CTUN", "Qffffffefffhh", "TimeUS,ThI,ABst,ThO,ThH,DAlt,Alt,BAlt,DSAlt,SAlt,TAlt,DCRt,CRt",
               units ? "s----mmmmmmnn" : "", units ? "F----00B000BB" : "");
        l.parameter(12, "FRAME_CLASS", 1);
        l.parameter(12, "WPNAV_SPEED", 500);
        const double functions[] = {36, 33, 34, 35, 0, 70};  // motor 4 is on the first output
        for (int i = 0; i < 6; ++i) l.parameter(12, fmt::format("SERVO{}_FUNCTION", i + 1).c_str(), functions[i]);
        l.parameter(12, "MOT_PWM_MIN", 1100);
        l.parameter(12, "MOT_PWM_MAX", 1900);
        l.w.record(77, {38e6, 1.0, 0.0, 0.0, 0.0});
        const std::pair<double, double> modes[] = {{12, 2}, {39, 3}, {70, 17}, {75, 21}, {80, 27}, {85, 18}};
        for (const auto& [t, mode] : modes) l.w.record(76, {t * 1e6, mode, mode, 0.0});
        fly(l, 100);
        for (double t = kFirst_s; t <= 100; t += 0.2)
            l.w.record(90, {t * 1e6, 0.0, 0.0, flownAt(t).throttle, 0.4, flownAt(t).home, flownAt(t).home,
                            flownAt(t).home, 0.0, 0.0, 0.0, 50.0, 50.0});
        l.parameter(60, "WPNAV_SPEED", 800);
        l.w.record(78, {74e6, 8.0, 1.0});
        l.w.record(78, {79e6, 8.0, 0.0});
        for (double t = 66; t < 70; t += 1)
            l.w.record(80, {t * 1e6, 1000.0, kGpsWeek, flownAt(t).lat, flownAt(t).lng, flownAt(t).amsl, 50.0,
                            flownAt(t).amsl, 0.0, 0.0, 0.0});
        l.w.record(77, {95e6, 0.0, 0.0, 0.0, 0.0});
        const LogPtr log = laidOut(l.w.binary);
        CHECK(log->damaged_bytes == 0);
        CHECK(std::abs(log->start_unix_s - kGpsStart) < 0.1);
        for (const double t : {45.0, 60.0, 90.0}) {
            const FlownTruth f = flownAt(t);
            const double s = t - kFirst_s;
            INFO("at " << t);
            CHECK(distance_m({valueAt(log, "position.lat_deg", s), valueAt(log, "position.lon_deg", s)},
                             {f.lat, f.lng}) < 0.5);
            CHECK(distance_m({valueAt(log, "gps.lat_deg", s), valueAt(log, "gps.lon_deg", s)}, {f.lat, f.lng}) < 0.5);
            CHECK(std::abs(valueAt(log, "position.height_amsl_m", s) - f.amsl) < 0.1);
            CHECK(std::abs(valueAt(log, "position.height_home_m", s) - f.home) < 0.1);
            CHECK(std::abs(valueAt(log, "attitude.roll_deg", s) - f.roll) < 0.5);
            CHECK(std::abs(valueAt(log, "attitude.yaw_deg", s) - f.yaw) < 0.7);
            CHECK(std::abs(valueAt(log, "mag.field_ut", s) - 0.1 * std::hypot(210, 40, 420)) < 0.1);
            CHECK(std::abs(valueAt(log, "mag.x_ut", s) - 21) < 0.1);
            CHECK(std::abs(valueAt(log, "battery.voltage_v", s) - f.volts) < 0.01);
            CHECK(std::abs(valueAt(log, "battery.current_a", s) - f.amps) < 0.01);
            CHECK(std::abs(valueAt(log, "battery.used_mah", s) - f.used_mah) < 0.1);
            CHECK(std::abs(valueAt(log, "battery.used_wh", s) - f.used_wh) < 0.01);
            CHECK(std::abs(valueAt(log, "battery.left_percent", s) - 88) < 1);
            CHECK(std::abs(valueAt(log, "throttle.percent", s) - 42) < 1);
            CHECK(std::abs(valueAt(log, "imu.gyro_x_dps", s) - 0.1 * 180 / M_PI) < 0.01);
            CHECK(std::abs(valueAt(log, "imu.accel_z_mps2", s) + 9.8) < 0.01);
            CHECK(valueAt(log, "velocity.climb_mps", s) == Approx(0.5));  // it is stored downwards
            CHECK(valueAt(log, "velocity.ground_mps", s) == Approx(4.5));
            CHECK(std::abs(valueAt(log, "gps.hdop", s) - 0.75) < 0.01);
            CHECK(std::abs(valueAt(log, "motor.4", s) - (1200 + 100 * std::sin(t) - 1100) / 8) < 1);
            CHECK(std::abs(valueAt(log, "motor.1", s) - (1400 - 1100) / 8.0) < 1);
            CHECK(std::abs(valueAt(log, "motor.3", s) - (1300 + t - 1100) / 8) < 1);
        }
        CHECK_FALSE(log->has("motor.5"));
        CHECK_FALSE(log->has("motor.6"));
        // No place is known before the fix.
        CHECK(log->find("position.lat_deg")->t_s.front() == Approx(25 - kFirst_s).margin(0.25));
        CHECK(*std::min_element(log->find("position.lat_deg")->value.begin(),
                                log->find("position.lat_deg")->value.end()) > 47);
        std::vector<std::string> words;
        for (const ModeChange& m : log->modes) words.push_back(m.name);
        CHECK(words == std::vector<std::string>{"height hold", "mission", "stop", "return", "start by throwing"});
        for (std::size_t i = 0; i < log->modes.size() && i < 4; ++i)
            CHECK(std::abs(log->modes[i].t_s - (modes[i].first - kFirst_s)) < 0.2);
        REQUIRE(log->sessions.size() == 1);
        CHECK(log->sessions[0].armed_s == Approx(57).margin(0.2));
        CHECK(log->sessions[0].distance_m < 200);
        CHECK(std::count_if(log->events.begin(), log->events.end(),
                            [](const LogEvent& e) { return e.kind == "photo"; }) == 4);
        CHECK(tellsOf(log, "WPNAV_SPEED changed: 800, was 500"));
        CHECK(tellsOf(log, "failsafe: ground station (1)"));
        CHECK(tellsOf(log, "failsafe: ground station, over"));
    }
}

TEST_CASE("second sensors, sticks, rotor speeds, wind, home and places of photos", "[logio][selfdescribing][layout]") {
    for (const bool units : {true, false}) {
        INFO((units ? "units in the file" : "no units"));
        const auto said = [&](const char* text) { return units ? text : ""; };
        Layout l;
        common(l, units);
        l.kind(100, "RCIN", "QHHHHH", "TimeUS,C1,C2,C3,C4,C5", said("sYYYYY"), said("F-----"));
        l.kind(101, "ESC", "QBfffffcHH", "TimeUS,Instance,RPM,RawRPM,Volt,Curr,Temp,CTot,MotTemp,Err", "", "");
        l.kind(102, "XKF2", "QBffff", "TimeUS,C,AX,AY,VWN,VWE", said("s#--nn"), said("F-CC00"));
        l.kind(103, "ORGN", "QBLLe", "TimeUS,Type,Lat,Lng,Alt", said("s-DUm"), said("F-GGB"));
        l.kind(104, "GPA", "QBCCCCBIH", "TimeUS,I,VDop,HAcc,VAcc,SAcc,VV,SMS,Delta", said("s#mmmnsss"),
               said("F-BBBBCF-"));
        l.parameter(12, "RC1_MIN", 1000);
        l.parameter(12, "RC1_TRIM", 1500);
        l.parameter(12, "RC1_MAX", 2000);
        l.parameter(12, "RC2_REVERSED", 1);
        l.parameter(12, "RCMAP_THROTTLE", 5);
        fly(l, 60);
        for (double t = kFirst_s; t <= 60; t += 0.2) {
            const double us = t * 1e6;
            l.w.record(72, {us, 1.0, 300.0, 0.0, 400.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, us});
            l.w.record(73, {us, 1.0, 12.25, 12.25, 2.5, 40.0, 0.5, 31.0, 0.02, 71.0});
            l.w.record(81, {us, 1.0, 0.2, 0.0, 0.0, 0.0, 0.0, -9.5});
            l.w.record(100, {us, 1750.0, 1750.0, 1500.0, 1250.0, 1300.0});
            l.w.record(101, {us, 0.0, 5400.0, 5400.0, 16.0, 4.0, 40.0, 100.0, 0.0, 0.0});
            l.w.record(101, {us, 3.0, 5200.0, 5200.0, 16.0, 4.0, 40.0, 100.0, 0.0, 0.0});
            // A westerly blows east.
            l.w.record(102, {us, 0.0, 0.0, 0.0, 0.0, 6.0});
            l.w.record(104, {us, 0.0, 0.0, 9.0, 0.0, 0.0, 1.0, 0.0, 0.0});
            l.w.record(104, {us, 1.0, 0.0, 0.65, 0.0, 0.0, 1.0, 0.0, 0.0});
        }
        l.w.record(103, {26e6, 0.0, 47.0, -20.0, 1.0});
        l.w.record(103, {27e6, 1.0, 47.3, -20.1, 24.5});
        l.w.record(80, {50e6, 1000.0, kGpsWeek, 47.31, -20.11, 66.5, 40.0, 66.5, 0.0, 0.0, 0.0});
        l.parameter(55, "RC1_TRIM", 1510);
        const LogPtr log = laidOut(l.w.binary);
        const std::pair<const char*, double> expected[] = {{"mag.2.field_ut", 50},
                                                           {"mag.2.x_ut", 30},
                                                           {"battery.2.voltage_v", 12.25},
                                                           {"battery.2.current_a", 2.5},
                                                           {"battery.2.used_mah", 40},
                                                           {"battery.2.left_percent", 71},
                                                           {"imu.2.gyro_x_dps", 0.2 * 180 / M_PI},
                                                           {"imu.2.accel_z_mps2", -9.5},
                                                           {"gps.2.fix", 3},
                                                           {"gps.2.satellites", 14},
                                                           {"gps.2.hacc_m", 0.65},
                                                           {"stick.pitch", -0.5},
                                                           {"stick.yaw", -0.5},
                                                           {"stick.throttle", 0.3},
                                                           {"rpm.1", 5400},
                                                           {"rpm.4", 5200},
                                                           {"wind.speed_mps", 6},
                                                           {"wind.from_deg", 270},
                                                           {"estimate.height_home_m", 0}};
        for (const auto& [name, v] : expected) CHECK(valueAt(log, name, 20) == Approx(v).epsilon(0.002).margin(0.001));
        // By the trim that holds at the end.
        CHECK(valueAt(log, "stick.roll", 20) == Approx((1750 - 1510) / 490.0));
        REQUIRE(log->homes.size() == 1);
        CHECK(log->homes[0].place.lat_deg == Approx(47.3));
        CHECK(*log->homes[0].place.amsl_m == Approx(24.5));
        CHECK(log->homes[0].t_s == Approx(27 - kFirst_s));
        const auto photo =
            std::find_if(log->events.begin(), log->events.end(), [](const LogEvent& e) { return e.kind == "photo"; });
        REQUIRE(photo != log->events.end());
        CHECK(photo->place->lat_deg == Approx(47.31));
        CHECK(*photo->place->amsl_m == Approx(66.5));
        REQUIRE(log->param_changes.size() == 1);
        CHECK(log->param_changes[0].t_s == Approx(55 - kFirst_s));
        CHECK(log->param_changes[0].from == 1500);
        CHECK(log->sessions.at(0).from_s == 0);
        CHECK(std::abs(log->sessions.at(0).start_unix_s - kGpsStart) < 0.1);
    }
}

TEST_CASE("wings of family 3: throttle in percent, airspeed, modes of their own", "[logio][selfdescribing][layout]") {
    for (const bool units : {true, false}) {
        Layout l;
        common(l, units);
        l.kind(91, "CTUN", "Qccccfffff", "TimeUS,NavRoll,Roll,NavPitch,Pitch,ThO,RdrOut,ThD,As,AsT",
               units ? "sdddd---nn" : "", units ? "FBBBB---00" : "");
        l.kind(92, "ARSP", "QBffcff", "TimeUS,I,Airspeed,DiffPress,Temp,RawPress,Offset", units ? "s#nPOPP" : "",
               units ? "F-00B00" : "");
        const std::pair<double, double> modes[] = {{12, 5}, {39, 10}, {70, 21}, {80, 11}};
        for (const auto& [t, mode] : modes) l.w.record(76, {t * 1e6, mode, mode, 0.0});
        l.w.record(77, {38e6, 1.0, 0.0, 0.0, 0.0});
        fly(l, 100);
        for (double t = kFirst_s; t <= 100; t += 0.2) {
            l.w.record(91, {t * 1e6, 1.0, 1.5, 2.0, 2.5, 62.0, 0.0, 60.0, 17.25, 17.0});
            l.w.record(92, {t * 1e6, 0.0, 17.25, 180.0, 21.0, 181.0, 3.0});
        }
        const LogPtr log = laidOut(l.w.binary);
        CHECK(log->vehicle == "fixed wing");
        CHECK(valueAt(log, "throttle.percent", 50) == Approx(62));
        CHECK(valueAt(log, "velocity.air_mps", 50) == Approx(17.25));
        CHECK(valueAt(log, "battery.used_mah", 50) == Approx(2.5 * 62).epsilon(0.01));
        std::vector<std::string> words;
        for (const ModeChange& m : log->modes) words.push_back(m.name);
        CHECK(words == std::vector<std::string>{"steers within limits", "mission", "return"});
        // Outputs that never change are no motors, where nothing says what they are for.
        CHECK(log->has("motor.1"));
        CHECK_FALSE(log->has("motor.2"));
        CHECK_FALSE(log->has("motor.5"));
    }
}

TEST_CASE("an older layout: milliseconds, the receiver's own time of the week, hundredths of a volt",
          "[logio][selfdescribing][layout]") {
    SelfWriter w;
    w.format(70, "GPS", "BIHBcLLeeEefI", "Status,TimeMS,Week,NSats,HDop,Lat,Lng,RelAlt,Alt,Spd,GCrs,VZ,T");
    w.format(71, "CURR", "IhIhhhf", "TimeMS,ThrOut,ThrInt,Volt,Curr,Vcc,CurrTot");
    constexpr double kOldWeek = 1800, kOld_s = 200000;  // July 2014: 16 leap seconds
    for (int s = 0; s <= 60; ++s) {
        w.record(70, {s < 5 ? 1.0 : 3.0, s < 5 ? 0 : (kOld_s + s) * 1000, s < 5 ? 0 : kOldWeek, 9.0, 1.1,
                      s < 5 ? 0 : 47.3, s < 5 ? 0 : -20.1, s * 0.5, 24 + s * 0.5, 3.0, 0.0, 0.0, 4000.0 + s * 1000});
        w.record(71, {4000.0 + s * 1000, 500.0, 0.0, 1584.0, 1250.0, 5000.0, s * 3.5});
    }
    const LogPtr log = laidOut(w.binary);
    CHECK(std::abs(log->start_unix_s - (315964800 + kOldWeek * 604800 + kOld_s - 16)) < 0.1);
    CHECK(valueAt(log, "battery.voltage_v", 30) == Approx(15.84));
    CHECK(valueAt(log, "battery.current_a", 30) == Approx(12.5));
    CHECK(valueAt(log, "battery.used_mah", 30) == Approx(105));
    CHECK(valueAt(log, "position.lat_deg", 30) == Approx(47.3));
    CHECK(log->find("position.lat_deg")->t_s.front() == Approx(5));
}

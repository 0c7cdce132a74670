#include "core/logio/SelfDescribingWords.h"

#include <cmath>
#include <iterator>
#include <span>

namespace anhinga::selfdescribing {

namespace {
constexpr double kDegrees = 180 / M_PI;
}

std::optional<double> unitFactor(std::string_view unit, std::string_view canonical) {
    struct Same {
        std::string_view unit, canonical;
        double factor;
    };
    static constexpr Same kSame[] = {{"Gauss", "uT", 100},
                                     {"Pa", "hPa", 0.01},
                                     {"hPa", "hPa", 1},
                                     {"rpm", "rpm", 1},
                                     {"gauss", "uT", 100},
                                     {"mGauss", "uT", 0.1},
                                     {"uT", "uT", 1},
                                     {"T", "uT", 1e6},
                                     {"Ah", "mAh", 1000},
                                     {"A.h", "mAh", 1000},
                                     {"mAh", "mAh", 1},
                                     {"A.s", "mAh", 1 / 3.6},
                                     {"As", "mAh", 1 / 3.6},
                                     {"C", "mAh", 1 / 3.6},
                                     {"Wh", "Wh", 1},
                                     {"W.h", "Wh", 1},
                                     {"J", "Wh", 1 / 3600.0},
                                     {"W.s", "Wh", 1 / 3600.0},
                                     {"Ws", "Wh", 1 / 3600.0},
                                     {"V", "V", 1},
                                     {"mV", "V", 1e-3},
                                     {"A", "A", 1},
                                     {"mA", "A", 1e-3},
                                     {"deg", "deg", 1},
                                     {"degheading", "deg", 1},
                                     {"deglatitude", "deg", 1},
                                     {"deglongitude", "deg", 1},
                                     {"rad", "deg", kDegrees},
                                     {"rad/s", "deg/s", kDegrees},
                                     {"deg/s", "deg/s", 1},
                                     {"m/s/s", "m/s2", 1},
                                     {"m/s2", "m/s2", 1},
                                     {"m/s^2", "m/s2", 1},
                                     {"cm/s/s", "m/s2", 0.01},
                                     {"m/s", "m/s", 1},
                                     {"cm/s", "m/s", 0.01},
                                     {"km/h", "m/s", 1 / 3.6},
                                     {"m", "m", 1},
                                     {"cm", "m", 0.01},
                                     {"mm", "m", 1e-3},
                                     {"km", "m", 1000},
                                     {"%", "%", 1}};
    for (const Same& s : kSame)
        if (s.unit == unit && s.canonical == canonical) return s.factor;
    return std::nullopt;
}

double leapSeconds(double gps_unix_s) {
    constexpr double k2012 = 1341100800, k2015 = 1435708800, k2017 = 1483228800;  // when another one was inserted
    return 15 + (gps_unix_s >= k2012 + 16 ? 1 : 0) + (gps_unix_s >= k2015 + 17 ? 1 : 0) +
           (gps_unix_s >= k2017 + 18 ? 1 : 0);
}

namespace {
struct RareMode {
    int mode;
    const char* words;
};
constexpr RareMode kRareRotors[] = {{11, "drift"},
                                    {13, "sport"},
                                    {14, "flip"},
                                    {15, "tunes itself"},
                                    {18, "start by throwing"},
                                    {19, "gives way to traffic"},
                                    {20, "led by attitude"},
                                    {22, "hold by optical flow"},
                                    {23, "follows"},
                                    {24, "to and fro"},
                                    {25, "measures itself"},
                                    {26, "glides on its rotor"},
                                    {28, "flipped over on the ground"}};
constexpr RareMode kRareWings[] = {{3, "training"},
                                   {5, "steers within limits"},
                                   {6, "steers within limits, holds height"},
                                   {8, "tunes itself"},
                                   {14, "gives way to traffic"},
                                   {16, "starting"},
                                   {17, "lift rotors, levelled"},
                                   {18, "lift rotors, holds height"},
                                   {19, "lift rotors, holds its place"},
                                   {22, "lift rotors, tune themselves"},
                                   {23, "lift rotors, by rates"},
                                   {24, "soars"},
                                   {25, "circles down to land on lift rotors"}};
}  // namespace

const char* rareMode(bool wings, int mode) {
    for (const RareMode& r : wings ? std::span<const RareMode>(kRareWings) : std::span<const RareMode>(kRareRotors))
        if (r.mode == mode) return r.words;
    return "";
}

const char* eventWords(int id) {
    switch (id) {
        case 17:
            return "on the ground, it seems";
        case 18:
            return "on the ground";
        case 19:
            return "GPS lost";
        case 25:
            return "home set";
        case 28:
            return "off the ground";
        case 41:
            return "fence on";
        case 42:
            return "fence off";
        case 51:
            return "parachute released";
        case 54:
            return "motors stopped in an emergency";
        case 60:
            return "estimate of height begun anew";
        case 62:
            return "estimate of heading begun anew";
        default:
            return "";
    }
}
const char* errorWords(int part) {
    constexpr const char* kParts[] = {"",
                                      "program",
                                      "radio",
                                      "compass",
                                      "optical flow",
                                      "failsafe: radio",
                                      "failsafe: battery",
                                      "failsafe: GPS",
                                      "failsafe: ground station",
                                      "failsafe: fence",
                                      "flight mode refused",
                                      "GPS",
                                      "crash",
                                      "flip",
                                      "tuning",
                                      "parachute",
                                      "estimator's check",
                                      "failsafe: estimator",
                                      "barometer",
                                      "processor too slow",
                                      "failsafe: traffic",
                                      "terrain",
                                      "navigation",
                                      "failsafe: terrain",
                                      "estimator changed",
                                      "thrust lost",
                                      "failsafe: sensors",
                                      "failsafe: leak",
                                      "pilot's input",
                                      "failsafe: vibration",
                                      "internal error",
                                      "failsafe: dead reckoning"};
    return part > 0 && part < static_cast<int>(std::size(kParts)) ? kParts[part] : "";
}

}  // namespace anhinga::selfdescribing

// Family 3: items packed into few bytes, item 0 the home, modes by one number.
#include <algorithm>
#include <cmath>
#include <set>

#include "standin/families/Family.h"

namespace anhinga::families {

namespace {

class Three : public Family {
  public:
    using Family::Family;
    int autopilot() const override { return 3; }
    std::uint64_t capabilities() const override {
        return 1 + 2 + 4 + 8 + 32 + 512 + 8192 + 16384 + 32768;  // lists, integers, files, terrain, fence, rally
    }
    bool homeSlot() const override { return true; }
    bool knows(List) const override { return true; }
    bool takesParts() const override { return true; }

    int judge(List list, const Kept& i) const override {
        if (list != route) return taken;
        static const std::set<int> kKnown = {16,  17,  18,  19,  20,  21,   22,   31,   82,  93,  112,
                                             113, 115, 177, 178, 179, 181,  182,  183,  184, 189, 195,
                                             197, 201, 203, 205, 206, 2000, 2001, 2500, 2501};
        if (!kKnown.contains(i.command)) return badCommand;
        static const std::set<int> kPlaced = {16, 17, 18, 19, 21, 22, 31, 82, 195, 201};
        const int plain = i.frame == 5 ? 0 : i.frame == 6 ? 3 : i.frame == 11 ? 10 : i.frame;
        if (kPlaced.contains(i.command) && plain != 0 && plain != 3 && plain != 10) return badFrame;
        const double params[] = {i.p1, i.p2, i.p3, i.p4};
        for (int n = 0; n < 4; ++n) {
            const bool allowed = n == 3 && (i.command == 16 || i.command == 21 || i.command == 22);
            if (std::isnan(params[n]) && !allowed) return badParam1 + n;
        }
        return taken;
    }

    Kept keep(List list, const Kept& in) const override {
        Kept i = in;
        for (double* p : {&i.p1, &i.p2, &i.p3, &i.p4})
            if (std::isnan(*p)) *p = 0;
        if (list == fence) {
            i.frame = 0;
            i.z = 0;
            i.p2 = i.p3 = i.p4 = 0;
            return i;
        }
        if (list == rally) {
            i.frame = 3;
            i.z = std::trunc(i.z);
            i.p1 = i.p2 = i.p3 = i.p4 = 0;
            return i;
        }
        i.z = std::trunc(std::round(i.z * 1e6) / 1e4) / 100;  // whole centimetres, toward zero
        if (i.frame == 5) i.frame = 0;
        if (i.frame == 6) i.frame = 3;
        if (i.frame == 11) i.frame = 10;
        const Kept all = i;
        const auto placed = [&] {
            Kept k;
            k.frame = all.frame;
            k.command = all.command;
            k.x = all.x;
            k.y = all.y;
            k.z = all.z;
            return k;
        };
        const auto bare = [&] {
            Kept k;
            k.command = all.command;
            return k;
        };
        const auto byteOf = [](double v) { return std::clamp(std::trunc(v), 0.0, 255.0); };
        Kept k;
        switch (i.command) {
            case 16:
                k = placed();
                if (body() == Body::wing) {
                    k.p2 = byteOf(all.p2);
                    k.p3 = byteOf(all.p3);
                } else {
                    k.p1 = std::trunc(all.p1);
                }
                return k;
            case 17:
                k = placed();
                k.p3 = std::trunc(all.p3);
                return k;
            case 18: {
                k = placed();
                k.p1 = byteOf(all.p1);
                const double radius = std::abs(all.p3), sign = all.p3 < 0 ? -1 : 1;
                k.p3 = sign * (radius > 255 ? std::trunc(radius / 10) * 10 : std::trunc(radius));
                k.p4 = all.p4 > 0 ? 1 : 0;
                return k;
            }
            case 19:
                k = placed();
                k.p1 = std::trunc(all.p1);
                k.p3 = all.p3 < 0 ? -1 : 1;
                k.p4 = all.p4 > 0 ? 1 : 0;
                return k;
            case 21:
                k = placed();
                k.p4 = all.p4 < 0 ? -1 : 1;
                return k;
            case 22:
                k = placed();
                k.p1 = std::trunc(all.p1);
                return k;
            case 31:
                k = placed();
                k.p2 = std::trunc(all.p2);
                k.p4 = all.p4 > 0 ? 1 : 0;
                return k;
            case 82:
                k = placed();
                k.p1 = std::trunc(all.p1);
                return k;
            case 195:
            case 201:
                return placed();
            case 203:
                k = bare();
                k.p1 = all.p1;
                k.x = all.x;
                k.y = all.y;
                return k;
            case 206:
                k = bare();
                k.p1 = all.p1;
                k.p3 = all.p3 > 0 ? 1 : 0;
                return k;
            case 93:
                k = bare();
                k.p1 = std::trunc(all.p1);
                k.p2 = all.p2;
                k.p3 = all.p3;
                k.p4 = all.p4;
                return k;
            default:
                k = bare();
                k.p1 = all.p1;
                k.p2 = all.p2;
                k.p3 = all.p3;
                k.p4 = all.p4;
                return k;
        }
    }
    std::string objection(const std::vector<Kept>&, GeoPoint) const override { return {}; }

    std::uint32_t number(Does does) const override {
        const bool wing = body() == Body::wing;
        switch (does) {
            case Does::nothing:
            case Does::byHand:
                return 0;
            case Does::holdsHeight:
                return wing ? 6 : 2;
            case Does::holdsPlace:
                return wing ? 12 : 5;
            case Does::route:
                return wing ? 10 : 3;
            case Does::led:
                return wing ? 15 : 4;
            case Does::home:
                return wing ? 11 : 6;
            case Does::lands:
                return wing ? 26 : 9;
            case Does::takesOff:
                return wing ? 13 : 4;
        }
        return 0;
    }
    std::optional<Does> mode(double, double custom, double) const override {
        const bool wing = body() == Body::wing;
        for (const Does d :
             {Does::byHand, Does::holdsHeight, Does::holdsPlace, Does::route, Does::led, Does::home, Does::lands})
            if (custom == number(d)) return d;
        if (wing && custom == 13) return Does::takesOff;
        return std::nullopt;
    }
    bool armsIn(Does d) const override {
        return body() == Body::wing ? d != Does::home && d != Does::lands
                                    : d != Does::route && d != Does::home && d != Does::lands;
    }
    bool pausesByCommand() const override { return body() != Body::wing; }
    bool ordersAmsl() const override { return false; }
    bool startArms() const override { return false; }
    int state(bool, bool, bool) const override { return 0; }
    bool knowsCommand(int c) const override {
        static const std::set<int> kKnown = {20, 21, 22, 176, 178, 192, 193, 224, 300, 400, 511, 512};
        if (c == 193 || c == 22 || c == 21) return body() != Body::wing;
        return kKnown.contains(c);
    }

    std::map<std::string, Parameter> parameters() const override {
        std::map<std::string, Parameter> p = {{"FENCE_ENABLE", {0, true}},    {"FENCE_ACTION", {1, true}},
                                              {"FENCE_TYPE", {7, true}},      {"FENCE_ALT_MAX", {100}},
                                              {"BATT_FS_LOW_ACT", {0, true}}, {"FLTMODE_CH", {5, true}},
                                              {"SYSID_THISMAV", {1, true}}};
        if (body() == Body::wing) {
            p["FS_GCS_ENABL"] = {0, true};
            p["FS_LONG_ACTN"] = {0, true};
            p["WP_RADIUS"] = {30};
            p["WP_LOITER_RAD"] = {60};
            p["ALT_HOLD_RTL"] = {10000};
            p["AIRSPEED_CRUISE"] = {16};
        } else {
            if (body() == Body::helicopter) p["H_RSC_MODE"] = {1, true};
            p["WPNAV_RADIUS"] = {200};
            p["WPNAV_SPEED"] = {1000};
            p["RTL_ALT"] = {6000, true};
            p["RTL_CONE_SLOPE"] = {3};
            p["RTL_LOIT_TIME"] = {5000, true};
            p["WPNAV_ACCEL"] = {250};
            p["WPNAV_JERK"] = {1};
            p["FS_GCS_ENABLE"] = {0, true};
        }
        return p;
    }
    WayBack wayBack(const std::map<std::string, Parameter>& p) const override {
        const auto of = [&](const char* name) { return p.contains(name) ? p.at(name).value : 0; };
        if (body() == Body::wing) return {of("ALT_HOLD_RTL") / 100, 0, 0};
        return {of("RTL_ALT") / 100, of("RTL_CONE_SLOPE"), of("RTL_LOIT_TIME") / 1000};
    }
    bool parametersBytewise() const override { return false; }
};

}  // namespace

std::unique_ptr<Family> familyThree(Body body) {
    return std::make_unique<Three>(body);
}

}  // namespace anhinga::families

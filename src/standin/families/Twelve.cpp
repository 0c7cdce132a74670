// Family 12: no home slot, items kept as numbers, a list is taken first and judged afterwards, modes in two parts.
#include <cmath>
#include <set>

#include "standin/families/Family.h"

namespace anhinga::families {

namespace {

/// There and back through radians.
double turned(double deg) {
    if (std::isnan(deg)) return deg;
    const float radians = static_cast<float>(deg * M_PI / 180);
    return static_cast<double>(static_cast<float>(static_cast<double>(radians) * 180 / M_PI));
}

class Twelve : public Family {
  public:
    using Family::Family;
    int autopilot() const override { return 12; }
    std::uint64_t capabilities() const override { return 1 + 4 + 8 + 16 + 32 + 2048 + 8192 + 16384 + 32768; }
    bool homeSlot() const override { return false; }
    bool knows(List) const override { return true; }
    bool takesParts() const override { return false; }

    int judge(List list, const Kept& i) const override {
        if (list != route) return taken;
        static const std::set<int> kPlaced = {16, 17, 18, 19, 21, 22, 31, 84, 85, 195};
        static const std::set<int> kBare = {20,  93,  177, 178, 183,  187,  189,  197,  203, 205,
                                            206, 214, 530, 532, 1000, 2000, 2001, 2500, 2501};
        if (!kPlaced.contains(i.command) && !kBare.contains(i.command)) return badCommand;
        const int plain = i.frame == 5 ? 0 : i.frame == 6 ? 3 : i.frame;
        if (kPlaced.contains(i.command)) return plain == 0 || plain == 3 ? taken : badFrame;
        static const std::set<int> kOnlyMission = {178, 203, 205, 206, 177};
        if (kOnlyMission.contains(i.command) && plain != 2) return badFrame;
        return plain == 2 || plain == 0 || plain == 3 ? taken : badFrame;
    }
    Kept keep(List list, const Kept& in) const override {
        Kept i = in;
        if (i.frame == 5) i.frame = 0;
        if (i.frame == 6) i.frame = 3;
        if (list != route) return i;
        if (i.command == 16 || i.command == 21 || i.command == 22) i.p4 = turned(i.p4);
        if (i.command == 21 || i.command == 22) i.p1 = 0;
        if (i.command == 19) i.p4 = i.p4 > 0 ? 1 : 0;
        return i;
    }
    std::string objection(const std::vector<Kept>& items, GeoPoint home) const override {
        bool flown = false;
        for (const Kept& i : items) {
            if (i.command == 22 && flown) return "Mission rejected: items before takeoff";
            const bool placed =
                i.command == 16 || i.command == 17 || i.command == 18 || i.command == 19 || i.command == 31;
            if (placed && !flown) {
                flown = true;
                constexpr double kFirst_m = 10000;
                if (distance_m(home, {i.x * 1e-7, i.y * 1e-7}) > kFirst_m) return "First waypoint too far away";
            }
            flown |= placed;
        }
        return {};
    }

    std::uint32_t number(Does does) const override {
        switch (does) {
            case Does::byHand:
                return 1u << 16;
            case Does::holdsHeight:
                return 2u << 16;
            case Does::nothing:
            case Does::holdsPlace:
            case Does::led:
                return 4u << 16 | 3u << 24;
            case Does::route:
                return 4u << 16 | 4u << 24;
            case Does::home:
                return 4u << 16 | 5u << 24;
            case Does::lands:
                return 4u << 16 | 6u << 24;
            case Does::takesOff:
                return 4u << 16 | 2u << 24;
        }
        return 0;
    }
    std::optional<Does> mode(double, double main, double sub) const override {
        if (main == 4 && sub == 3) return Does::holdsPlace;
        if (main == 4 && sub == 4) return Does::route;
        if (main == 4 && sub == 5) return Does::home;
        if (main == 4 && sub == 6) return Does::lands;
        if (main == 4 && sub == 2) return Does::takesOff;
        if (main == 1) return Does::byHand;
        if (main == 2) return Does::holdsHeight;
        return std::nullopt;
    }
    bool armsIn(Does d) const override { return d != Does::home && d != Does::lands; }
    bool pausesByCommand() const override { return false; }
    bool ordersAmsl() const override { return true; }
    bool startArms() const override { return true; }
    bool knowsCommand(int c) const override {
        static const std::set<int> kKnown = {20, 21, 22, 176, 178, 192, 300, 400, 511, 512};
        return kKnown.contains(c);
    }

    std::map<std::string, Parameter> parameters() const override {
        return {{"GF_ACTION", {2, true}},   {"GF_MAX_VER_DIST", {0}},   {"GF_MAX_HOR_DIST", {0}},
                {"NAV_DLL_ACT", {0, true}}, {"NAV_RCL_ACT", {2, true}}, {"COM_LOW_BAT_ACT", {0, true}},
                {"RTL_RETURN_ALT", {60}},   {"NAV_ACC_RAD", {2}},       {"MPC_XY_CRUISE", {5}},
                {"MPC_ACC_HOR", {3}},       {"MPC_JERK_AUTO", {4}},     {"MIS_DIST_1WP", {10000}},
                {"MAV_SYS_ID", {1, true}}};
    }
    WayBack wayBack(const std::map<std::string, Parameter>& p) const override {
        return {p.contains("RTL_RETURN_ALT") ? p.at("RTL_RETURN_ALT").value : 60, 0, 0};
    }
    OnboardLog::Layout logLayout() const override { return OnboardLog::Layout::ulog; }
    bool parametersBytewise() const override { return true; }
};

}  // namespace

std::unique_ptr<Family> familyTwelve(Body body) {
    return std::make_unique<Twelve>(body);
}

}  // namespace anhinga::families

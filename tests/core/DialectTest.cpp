// Translation for the families and comparison by meaning; what is expected is written from what the families do in
// public.
#include <catch2/catch.hpp>

#include <random>
#include <set>

#include "core/dialect/Items.h"
#include "core/dialect/Meaning.h"
#include "core/link/MissionTransfer.h"
#include "core/mavlink/ModeNames.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

constexpr int kMultirotor = 2, kFixedWing = 1;

MissionItem wire(std::uint16_t command, std::uint8_t frame_of = frame::home, float z = 50) {
    MissionItem item;
    item.command = command;
    item.frame = frame_of;
    if (hasPlace(item)) {
        item.x = toE7(47.31);
        item.y = toE7(-20.12);
        item.z = z;
    }
    return item;
}
MissionItem jump(std::size_t target, float count) {
    MissionItem item = wire(cmd::jump, frame::mission);
    item.param1 = static_cast<float>(target);
    item.param2 = count;
    return item;
}
/// Home, take-off, then these.
MissionSet listOf(std::vector<MissionItem> items) {
    MissionItem home = wire(cmd::waypoint, frame::amsl, 12), up = wire(cmd::takeOff);
    up.z = 30;
    items.insert(items.begin(), {home, up});
    for (std::size_t i = 0; i < items.size(); ++i) items[i].seq = static_cast<std::uint16_t>(i);
    return {items, {}, {}};
}
Translation told(int family, int type, const MissionSet& set, TranslationInput in = {}) {
    return translate(set, true, dialectOf(family, type), in);
}
std::vector<int> commandsOf(const Translation& t) {
    std::vector<int> out;
    for (const MissionItem& i : t.set.mission) out.push_back(i.command);
    return out;
}

}  // namespace

TEST_CASE("the home slot is there for families that have one, and nowhere else", "[dialect]") {
    const MissionSet set = listOf({wire(cmd::waypoint), wire(cmd::returnHome, frame::mission)});
    CHECK(commandsOf(told(3, kMultirotor, set)) == std::vector<int>{16, 22, 16, 20});
    CHECK(commandsOf(told(12, kMultirotor, set)) == std::vector<int>{22, 16, 20});
    CHECK(commandsOf(told(0, kMultirotor, set)) == std::vector<int>{22, 16, 20});
    CHECK(told(12, kMultirotor, set).plan_seq == std::vector<int>{1, 2, 3});
    CHECK(told(3, kMultirotor, set).plan_seq == std::vector<int>{0, 1, 2, 3});
    // A plan without one gets it from where it stands.
    MissionSet without = set;
    without.mission.erase(without.mission.begin());
    TranslationInput in;
    in.home = GeoPoint{47.3, -20.1};
    in.home_amsl_m = 9.0;
    const Translation t = translate(without, false, dialectOf(3, kMultirotor), in);
    CHECK(commandsOf(t) == std::vector<int>{16, 22, 16, 20});
    CHECK(t.set.mission[0].x == 473000000);
    CHECK(t.plan_seq == std::vector<int>{-1, 0, 1, 2});
    // And back: what is held has home as its first item again.
    const MissionSet back = withHomeSlot(told(12, kMultirotor, set).set, dialectOf(12, kMultirotor), in.home, 9);
    CHECK(back.mission.size() == 4);
    CHECK(back.mission[0].x == 473000000);
    CHECK(back.mission[3].seq == 3);
}

TEST_CASE("a take-off has a place, and no number is missing but where it may be", "[dialect]") {
    MissionSet set = listOf({wire(cmd::loiterTime), wire(cmd::loiterTurns), wire(cmd::spline), wire(cmd::land)});
    for (MissionItem& i : set.mission) i.param4 = NAN;
    for (const int family : {3, 7, 12}) {
        INFO(family);
        for (const MissionItem& i : told(family, kMultirotor, set).set.mission) {
            INFO(i.command);
            if (i.command != 16 && i.command != 21 && i.command != 22) CHECK_FALSE(std::isnan(i.param4));
            CHECK_FALSE(std::isnan(i.param1 + i.param2 + i.param3 + i.z));
            if (i.command == 22) CHECK(i.x == 473100000);  // home's
        }
    }
}

TEST_CASE("what a family does not take is said otherwise or refused by name, before anything is sent", "[dialect]") {
    MissionItem heading = wire(cmd::heading, frame::mission);
    heading.param1 = 123;
    const Translation turned = told(12, kMultirotor, listOf({wire(cmd::waypoint), heading}));
    CHECK(turned.refused.empty());
    CHECK(commandsOf(turned) == std::vector<int>{22, 16});
    CHECK(turned.set.mission[1].param4 == 123);
    CHECK(turned.kept.size() == 1);
    // Not at a hold, where the number means something else.
    CHECK(told(12, kMultirotor, listOf({wire(cmd::loiterTime), heading})).refused.size() == 1);
    for (const auto& [family, type, command] :
         {std::tuple{12, kMultirotor, cmd::spline}, std::tuple{12, kMultirotor, cmd::relay},
          std::tuple{3, kFixedWing, cmd::spline}, std::tuple{0, kMultirotor, cmd::photoDistance},
          std::tuple{0, kMultirotor, cmd::loiterTurns}, std::tuple{3, kMultirotor, std::uint16_t{214}}}) {
        INFO(family << " " << command);
        const Translation t = told(family, type, listOf({wire(cmd::waypoint), wire(command)}));
        REQUIRE(t.refused.size() == 1);
        CHECK(t.refused[0].seq == 3);
        CHECK(t.refused[0].reason.find(commandText(command)) == 0);
    }
    MissionItem wait = wire(cmd::delay, frame::mission);
    wait.param1 = 4.4f;
    const Translation waits = told(0, kMultirotor, listOf({wire(cmd::waypoint), wait}));
    CHECK(commandsOf(waits) == std::vector<int>{22, 16, 19});
    CHECK(waits.set.mission[2].param1 == 4);
    CHECK(waits.set.mission[2].x == 473100000);
    CHECK(waits.set.mission[2].z == 50);
    // Half a turn is another flight.
    MissionItem circle = wire(cmd::loiterTurns);
    circle.param1 = 1.5f;
    circle.param3 = -258;
    CHECK(told(3, kMultirotor, listOf({circle})).refused.size() == 1);
    circle.param1 = 2;
    CHECK(told(3, kMultirotor, listOf({circle})).set.mission[2].param3 == -260);
    CHECK(told(12, kMultirotor, listOf({circle})).set.mission[1].param3 == -258);
}

TEST_CASE("a fixed wing is told air speed, rotors speed over ground", "[dialect]") {
    MissionItem speed = wire(cmd::changeSpeed, frame::mission);
    speed.param1 = 1;
    speed.param2 = 9;
    for (const int family : {3, 7, 12}) {
        INFO(family);
        const auto kind = [&](int type) {
            return told(family, type, listOf({wire(cmd::waypoint), speed})).set.mission.back();
        };
        CHECK(kind(kMultirotor).param1 == 1);
        CHECK(kind(kFixedWing).param1 == 0);
        CHECK(kind(kFixedWing).param2 == 9);
    }
}

TEST_CASE("heights above ground are told above home over known ground, and refused over unknown", "[dialect]") {
    const MissionSet set = listOf({wire(cmd::waypoint, frame::ground, 40)});
    TranslationInput in;
    in.home_amsl_m = 12.0;
    in.ground_amsl_m = [](GeoPoint) { return std::optional(100.0); };
    for (const int family : {0, 3, 12}) {
        INFO(family);
        const Translation t = told(family, kMultirotor, set, in);
        CHECK(t.refused.empty());
        CHECK(t.set.mission.back().frame == frame::home);
        CHECK(t.set.mission.back().z == Approx(128));
        CHECK(t.kept.size() == 1);
        CHECK(told(family, kMultirotor, set).refused.size() == 1);
        TranslationInput holes = in;
        holes.ground_amsl_m = [](GeoPoint) { return std::optional<double>(); };
        CHECK(told(family, kMultirotor, set, holes).refused.size() == 1);
    }
    CHECK(told(7, kMultirotor, set).set.mission.back().frame == frame::ground);
}

TEST_CASE("an inner repeat is written out where it would not count anew", "[dialect][repeat]") {
    // 2 3 4(jump to 3, once) 5 6(jump to 2, twice): 3 is flown twice in each of three turns.
    MissionItem a = wire(cmd::waypoint), b = wire(cmd::waypoint), c = wire(cmd::waypoint);
    a.z = 1;
    b.z = 2;
    c.z = 3;
    const MissionSet set = listOf({a, b, jump(3, 1), c, jump(2, 2)});
    const auto heights = [](const Translation& t, std::size_t first) {
        // Flown by a player that never starts a counter again.
        std::vector<int> out;
        std::map<std::size_t, int> times;
        for (std::size_t i = first, guard = 0; i < t.set.mission.size() && guard < 200; ++guard) {
            const MissionItem& m = t.set.mission[i];
            if (m.command == cmd::jump && times[i] < static_cast<int>(m.param2)) {
                ++times[i];
                i = static_cast<std::size_t>(m.param1);
                continue;
            }
            if (m.command == cmd::waypoint) out.push_back(static_cast<int>(m.z));
            ++i;
        }
        return out;
    };
    const std::vector<int> meant{1, 2, 2, 3, 1, 2, 2, 3, 1, 2, 2, 3};
    const Translation three = told(3, kMultirotor, set), twelve = told(12, kMultirotor, set),
                      plain = told(0, kMultirotor, set);
    CHECK(heights(three, 1) == meant);
    CHECK(heights(twelve, 0) == meant);
    CHECK(heights(plain, 0) == meant);
    CHECK(std::count_if(three.set.mission.begin(), three.set.mission.end(),
                        [](const MissionItem& i) { return i.command == cmd::jump; }) == 1);
    CHECK(std::none_of(plain.set.mission.begin(), plain.set.mission.end(),
                       [](const MissionItem& i) { return i.command == cmd::jump; }));
    // Each copy is known as the item it came from.
    CHECK(std::count(three.plan_seq.begin(), three.plan_seq.end(), 3) == 2);
    // Without end it can only be the outermost, and room must be there.
    CHECK(told(3, kMultirotor, listOf({a, b, jump(3, -1), c, jump(2, 2)})).refused.size() == 1);
    CHECK(told(3, kMultirotor, listOf({a, b, jump(2, -1)})).refused.empty());
    TranslationInput small;
    small.item_limit = 8;
    CHECK(told(0, kMultirotor, set, small).refused.size() == 1);
    // More repeats than it keeps: the smallest are written out.
    std::vector<MissionItem> many;
    for (std::size_t i = 0; i < 20; ++i) {
        many.push_back(a);
        many.push_back(jump(2 + 2 * i, 1));
    }
    const Translation fits = told(3, kMultirotor, listOf(many));
    CHECK(fits.refused.empty());
    CHECK(std::count_if(fits.set.mission.begin(), fits.set.mission.end(),
                        [](const MissionItem& i) { return i.command == cmd::jump; }) == 15);
}

TEST_CASE("what is rounded or left out agrees in meaning and is listed, what means something else does not",
          "[dialect][meaning]") {
    MissionItem point = wire(cmd::waypoint, frame::home, 60.257f), hold = wire(cmd::loiterTime);
    point.param2 = 3;
    hold.param1 = 7;
    const Translation sent = told(3, kMultirotor, listOf({point, hold}));
    MissionSet held = sent.set;
    held.mission[0].x += 5000;   // its own home
    held.mission[2].param2 = 0;  // acceptance is a parameter of its own
    held.mission[2].z = 60.25f;
    held.mission[3].param3 = 1;
    const Meaning same = compareMeaning(sent, held);
    CHECK(same.differences.empty());
    REQUIRE(same.kept.size() == 1);
    CHECK(same.kept[0].seq == 2);
    CHECK(same.kept[0].field == "param2");
    const auto differs = [&](const std::function<void(MissionSet&)>& change, const char* field) {
        MissionSet other = held;
        change(other);
        const Meaning m = compareMeaning(sent, other);
        INFO(field);
        REQUIRE_FALSE(m.differences.empty());
        CHECK(m.differences[0].field == field);
        const MissionSet plan = listOf({point, hold});
        CHECK_FALSE(compareMissions("", plan.mission, heldInPlan(plan, sent, other, m).mission, true).empty());
    };
    differs([](MissionSet& s) { s.mission[2].z = 61; }, "z");
    differs([](MissionSet& s) { s.mission[2].x += 50; }, "x");
    differs([](MissionSet& s) { s.mission[2].frame = frame::amsl; }, "frame");
    differs([](MissionSet& s) { s.mission[3].param1 = 9; }, "param1");
    differs([](MissionSet& s) { s.mission[3].command = cmd::waypoint; }, "command");
    MissionSet less = held;
    less.mission.pop_back();
    CHECK(compareMeaning(sent, less).differences[0].field == "count");
}

TEST_CASE("a list that the aircraft does not know is met without it", "[dialect]") {
    VehicleSnapshot v;
    v.autopilot = 12;
    v.type = kMultirotor;
    CHECK(dialectOf(v).fence);
    v.capabilities = 4 + 32768;
    CHECK_FALSE(dialectOf(v).fence);
    CHECK(dialectOf(v).rally);
    MissionSet set = listOf({wire(cmd::waypoint)});
    set.fence.push_back(wire(cmd::fenceCircleIn));
    const Translation t = translate(set, true, dialectOf(v), {});
    CHECK(t.refused.empty());
    CHECK(t.set.fence.empty());
    REQUIRE(t.kept.size() == 1);
    CHECK(t.kept[0].type == "fence");
}

TEST_CASE("ten thousand mode numbers: only those with a meaning have one, and none that ends a flight is commanded",
          "[dialect][modes]") {
    // Of the families' own numbering.
    const std::set<std::uint32_t> rotors{0, 1, 2, 3, 4, 5, 6, 7, 9, 16, 17, 21, 27};
    const std::set<std::uint32_t> wings{0, 1, 2, 4, 7, 10, 11, 12, 13, 15, 20, 21, 26};
    std::mt19937 random(7);
    for (int n = 0; n < 10000; ++n) {
        const std::uint32_t mode =
            n % 2 == 0 ? static_cast<std::uint32_t>(random()) : static_cast<std::uint32_t>(random() % 64);
        CHECK(mavlink::modeKind(3, kMultirotor, mode).has_value() == rotors.contains(mode));
        CHECK(mavlink::modeKind(3, kFixedWing, mode).has_value() == wings.contains(mode));
        const std::uint32_t main = mode >> 16 & 0xFF, sub = mode >> 24;
        const bool known =
            (mode & 0xFFFF) == 0 &&
            ((main == 4 && (sub == 1 || sub == 2 || sub == 3 || sub == 4 || sub == 5 || sub == 6 || sub == 9)) ||
             (sub == 0 && (main == 1 || main == 2 || main == 3 || main == 5 || main == 6 || main == 7 || main == 10)));
        CHECK(mavlink::modeKind(12, kMultirotor, mode).has_value() == known);
        CHECK_FALSE(mavlink::modeKind(0, kMultirotor, mode));
        CHECK_FALSE(mavlink::modeKind(4, kMultirotor, mode));
        // Words decide nothing, whatever they say; the standard's field does.
        VehicleSnapshot v;
        v.autopilot = 4;
        v.type = kMultirotor;
        v.custom_mode = mode;
        v.modes = {{mode, "mission", true, 0}};
        CHECK_FALSE(modeKind(v));
        CHECK_FALSE(modeNumber(v, ModeKind::mission));
        v.modes = {{mode, "return", true, 6}};
        CHECK(modeKind(v) == ModeKind::mission);
        CHECK(modeNumber(v, ModeKind::mission) == mode);
    }
    for (int autopilot = 0; autopilot < 256; ++autopilot)
        for (const int type : {1, 2, 4, 10, 13, 19, 22})
            CHECK_FALSE(mavlink::modeNumber(autopilot, type, ModeKind::ended));
}

TEST_CASE("what differs is said in words", "[dialect][words]") {
    CHECK(fieldWords(16, "param2") == "passing distance");
    CHECK(fieldWords(18, "param3") == "radius");
    CHECK(fieldWords(16, "z") == "height");
    CHECK(fieldWords(183, "param1") == "param1");
}

// The stand-in's side of the protocol, message by message, without a link.
#include <catch2/catch.hpp>

#include "core/dialect/Items.h"
#include "core/link/MissionTransfer.h"
#include "core/plan/ProfileLibrary.h"
#include "standin/StandIn.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;
using mavlink::Message;

namespace {

class Bench {
  public:
    explicit Bench(StandInOptions o = options())
        : standin(std::move(o), [this](const Message& m) { said.push_back(m); }) {}
    static StandInOptions options() {
        StandInOptions o;
        o.home = {47.31, -20.12};
        return o;
    }
    void send(Message m) {
        m.system = 255;
        m.component = 190;
        standin.receive(m);
    }
    /// The last message of that kind since the last call of clear().
    const Message* last(const char* kind) const {
        for (auto i = said.rbegin(); i != said.rend(); ++i)
            if (i->is(kind)) return &*i;
        return nullptr;
    }
    int count(const char* kind) const {
        return static_cast<int>(std::count_if(said.begin(), said.end(), [&](const Message& m) { return m.is(kind); }));
    }
    void clear() { said.clear(); }
    Message to(const char* name) const {
        Message m(name);
        m.set("target_system", 1).set("target_component", 1);
        return m;
    }
    void command(int number, double param1 = 0, double param2 = 0, double param7 = 0) {
        send(to("COMMAND_LONG")
                 .set("command", number)
                 .set("param1", param1)
                 .set("param2", param2)
                 .set("param7", param7));
    }
    int result() const {
        return last("COMMAND_ACK") == nullptr ? -1 : static_cast<int>(last("COMMAND_ACK")->integer("result"));
    }
    void upload(const std::vector<MissionItem>& items, MissionType type = MissionType::mission) {
        send(to("MISSION_COUNT")
                 .set("count", static_cast<double>(items.size()))
                 .set("mission_type", static_cast<int>(type)));
        for (const MissionItem& i : items) send(missionItemMessage(i, type, 1, 1));
    }
    int ackType() const {
        return last("MISSION_ACK") == nullptr ? -1 : static_cast<int>(last("MISSION_ACK")->integer("type"));
    }
    void run(double seconds) {
        for (double t = 0; t < seconds; t += 0.5) standin.advance(0.5);
    }

    std::vector<Message> said;
    StandIn standin;
};

std::vector<MissionItem> row(int n) {
    const Plan plan = rowPlan(n);
    return itemsIn(plan);
}

}  // namespace

TEST_CASE("the stand-in asks for each item in turn and acknowledges once", "[standin][mission]") {
    Bench b;
    const auto items = row(3);
    b.send(b.to("MISSION_COUNT").set("count", static_cast<double>(items.size())));
    for (std::size_t i = 0; i < items.size(); ++i) {
        REQUIRE(b.last("MISSION_REQUEST_INT") != nullptr);
        CHECK(b.last("MISSION_REQUEST_INT")->integer("seq") == static_cast<int>(i));
        CHECK(b.count("MISSION_ACK") == 0);
        b.send(missionItemMessage(items[i], MissionType::mission, 1, 1));
    }
    CHECK(b.count("MISSION_ACK") == 1);
    CHECK(b.ackType() == 0);
}

TEST_CASE("items twice or out of order are not stored twice", "[standin][mission]") {
    Bench b;
    const auto items = row(2);
    b.send(b.to("MISSION_COUNT").set("count", static_cast<double>(items.size())));
    b.send(missionItemMessage(items[2], MissionType::mission, 1, 1));
    for (const MissionItem& i : items)
        for (int twice = 0; twice < 2; ++twice) b.send(missionItemMessage(i, MissionType::mission, 1, 1));
    CHECK(b.ackType() == 0);
    b.clear();
    b.send(b.to("MISSION_REQUEST_LIST"));
    CHECK(b.last("MISSION_COUNT")->integer("count") == static_cast<int>(items.size()));
    for (std::size_t i = 0; i < items.size(); ++i) {
        b.send(b.to("MISSION_REQUEST_INT").set("seq", static_cast<double>(i)));
        const MissionItem back = missionItemOf(*b.last("MISSION_ITEM_INT"));
        CHECK(back.command == items[i].command);
        CHECK(back.x == items[i].x);
        CHECK(back.z == items[i].z);
    }
}

TEST_CASE("a lost acknowledgement is said again when the last item comes again", "[standin][mission]") {
    Bench b;
    const auto items = row(2);
    b.upload(items);
    b.clear();
    b.send(missionItemMessage(items.back(), MissionType::mission, 1, 1));
    CHECK(b.ackType() == 0);
    b.clear();
    b.send(missionItemMessage(items.front(), MissionType::mission, 1, 1));
    CHECK(b.count("MISSION_ACK") == 0);
}

TEST_CASE("an item that comes again late is taken for the sign that the question for the next was lost",
          "[standin][mission]") {
    Bench b;
    const auto items = row(3);
    b.send(b.to("MISSION_COUNT").set("count", static_cast<double>(items.size())));
    b.send(missionItemMessage(items[0], MissionType::mission, 1, 1));
    b.clear();
    b.send(missionItemMessage(items[0], MissionType::mission, 1, 1));  // at once: only twice on the way
    CHECK(b.count("MISSION_REQUEST_INT") == 0);
    b.standin.advance(0.3);
    CHECK(b.count("MISSION_REQUEST_INT") == 0);
    b.send(missionItemMessage(items[0], MissionType::mission, 1, 1));
    REQUIRE(b.count("MISSION_REQUEST_INT") == 1);
    CHECK(b.last("MISSION_REQUEST_INT")->integer("seq") == 1);
}

TEST_CASE("an unanswered question is asked again, and given up in the end", "[standin][mission]") {
    Bench b;
    b.send(b.to("MISSION_COUNT").set("count", 5));
    CHECK(b.count("MISSION_REQUEST_INT") == 1);
    b.run(3);
    CHECK(b.count("MISSION_REQUEST_INT") >= 4);
    b.run(20);
    const int asked = b.count("MISSION_REQUEST_INT");
    b.run(10);
    CHECK(b.count("MISSION_REQUEST_INT") == asked);
}

TEST_CASE("what cannot be stored is refused by its reason and clears nothing", "[standin][mission]") {
    StandInOptions o = Bench::options();
    o.max_items = 6;
    Bench b(o);
    const auto good = row(1);
    b.upload(good);
    REQUIRE(b.ackType() == 0);
    b.send(b.to("MISSION_COUNT").set("count", 7));
    CHECK(b.ackType() == 4);  // no space
    auto nowhere = good;
    nowhere[3].x = 950000000;  // 95 degrees north
    b.upload(nowhere);
    CHECK(b.ackType() == 10);
    b.clear();
    b.send(b.to("MISSION_REQUEST_LIST"));
    CHECK(b.last("MISSION_COUNT")->integer("count") == static_cast<int>(good.size()));
    b.send(b.to("MISSION_REQUEST_INT").set("seq", 99));
    CHECK(b.ackType() == 13);
}

TEST_CASE("mission and fence are kept apart, and cleared apart", "[standin][mission]") {
    Bench b;
    b.upload(row(2));
    Plan plan = rowPlan(1);
    plan.fences.push_back({1, FenceKind::keepIn, "", {{47, -20}, {47.1, -20}, {47.1, -20.1}}, ""});
    b.upload(fenceItems(plan.fences), MissionType::fence);
    CHECK(b.ackType() == 0);
    b.send(b.to("MISSION_CLEAR_ALL").set("mission_type", 1));
    b.clear();
    b.send(b.to("MISSION_REQUEST_LIST").set("mission_type", 1));
    CHECK(b.last("MISSION_COUNT")->integer("count") == 0);
    b.send(b.to("MISSION_REQUEST_LIST").set("mission_type", 0));
    CHECK(b.last("MISSION_COUNT")->integer("count") > 3);
}

TEST_CASE("commands are refused in words on the ground and accepted in order", "[standin][command]") {
    Bench b;
    b.command(cmd::missionStart);
    CHECK(b.result() == 1);
    CHECK(b.last("STATUSTEXT")->text("text") == "not armed");
    b.command(cmd::takeOff, 0, 0, 20);
    CHECK(b.result() == 1);
    b.command(cmd::armDisarm, 1);
    CHECK(b.result() == 0);
    b.command(cmd::missionStart);
    CHECK(b.result() == 1);
    b.command(cmd::takeOff, 0, 0, 20);
    CHECK(b.result() == 0);
    b.run(15);
    CHECK(b.last("GLOBAL_POSITION_INT")->number("relative_alt") / 1000 == Approx(20).margin(1.2));
    b.command(cmd::armDisarm, 0);
    CHECK(b.result() == 1);  // not in the air
    b.command(cmd::land);
    CHECK(b.result() == 0);
    b.run(60);
    CHECK((b.last("HEARTBEAT")->integer("base_mode") & 128) == 0);
    b.command(31999);
    CHECK(b.result() == 3);
}

TEST_CASE("a mission is not replaced under a flying vehicle", "[standin][mission]") {
    Bench b;
    b.upload(row(5));
    b.command(cmd::armDisarm, 1);
    b.command(cmd::missionStart);
    REQUIRE(b.result() == 0);
    b.run(30);
    auto elsewhere = row(5);
    for (MissionItem& i : elsewhere) i.x += 100000;
    b.upload(elsewhere);
    CHECK(b.ackType() == 14);
    // What is ahead may be another: the item being flown is the same.
    b.upload(row(7));
    CHECK(b.ackType() == 0);
    CHECK(b.last("HEARTBEAT")->integer("custom_mode") == 21);
}

TEST_CASE("telemetry keeps its rates in simulated time and says what is flown", "[standin][telemetry]") {
    StandInOptions o = Bench::options();
    o.pace = 10;
    Bench b(o);
    b.upload(row(3));
    b.command(cmd::armDisarm, 1);
    b.command(cmd::missionStart);
    b.clear();
    b.run(6);  // a minute for the vehicle
    CHECK(b.count("GLOBAL_POSITION_INT") == Approx(300).margin(8));
    CHECK(b.count("ATTITUDE") == b.count("GLOBAL_POSITION_INT"));
    CHECK(b.count("SYS_STATUS") == Approx(60).margin(3));
    CHECK(b.count("HEARTBEAT") >= 5);
    CHECK(b.count("MISSION_ITEM_REACHED") >= 2);
    double last = 0;
    for (const Message& m : b.said)
        if (m.is("GLOBAL_POSITION_INT")) {
            CHECK(m.number("time_boot_ms") >= last);
            last = m.number("time_boot_ms");
        }
    const auto sequence = [&](std::size_t i) { return static_cast<int>(b.said[i].sequence); };
    for (std::size_t i = 1; i < b.said.size(); ++i) REQUIRE(((sequence(i) - sequence(i - 1)) & 0xFF) == 1);
}

TEST_CASE("faults come when they are due", "[standin][fault]") {
    StandInOptions o = Bench::options();
    o.faults.set("silent", 5);
    Bench b(o);
    b.run(4);
    CHECK(b.count("HEARTBEAT") >= 3);
    b.run(2);
    b.clear();
    b.run(10);
    b.command(cmd::armDisarm, 1);
    CHECK(b.said.empty());
    StandInOptions altered = Bench::options();
    altered.faults.set("alter-item", 0);
    Bench c(altered);
    const auto items = row(3);
    c.upload(items);
    c.send(c.to("MISSION_REQUEST_INT").set("seq", 2));
    CHECK(missionItemOf(*c.last("MISSION_ITEM_INT")).z == Approx(items[2].z + 5));
    c.send(c.to("MISSION_REQUEST_INT").set("seq", 3));
    CHECK(missionItemOf(*c.last("MISSION_ITEM_INT")).z == items[3].z);
}

TEST_CASE("any message at any time is survived", "[standin][hostile]") {
    Bench b;
    std::mt19937 random(8);
    for (int round = 0; round < 3; ++round)
        for (const mavlink::MessageInfo& info : mavlink::allMessages()) {
            Message m(info.name);
            for (int i = 0; i < info.full_length; ++i) m.payload[i] = static_cast<std::uint8_t>(random());
            b.send(m);
            b.standin.advance(0.01);
        }
    b.clear();
    b.run(2);
    CHECK(b.count("HEARTBEAT") >= 1);
}

TEST_CASE("each kind of vehicle says what it is, numbers its modes so, and flies its mission", "[standin][vehicle]") {
    struct Row {
        VehicleProfile vehicle;
        int type, mission, hold, home;
    };
    for (const Row& each :
         {Row{VehicleProfile{}, 2, 21, 22, 24}, Row{skimmer(), 1, 21, 22, 24}, Row{helicopter(), 4, 21, 22, 24}}) {
        INFO(each.vehicle.name);
        StandInOptions options = Bench::options();
        options.vehicle = each.vehicle;
        Bench b(options);
        Plan plan = rowPlan(3);
        for (Item& i : plan.items) i.position = destination(i.position, 90, 300);
        plan.home->position = options.home;
        b.upload(itemsIn(plan));
        REQUIRE(b.ackType() == 0);
        b.command(cmd::armDisarm, 1);
        b.command(cmd::doSetMode, 1, each.mission);
        CHECK(b.result() == 0);
        b.command(cmd::missionStart);
        CHECK(b.result() == 0);
        b.run(30);
        REQUIRE(b.last("HEARTBEAT") != nullptr);
        CHECK(b.last("HEARTBEAT")->integer("type") == each.type);
        CHECK(b.last("HEARTBEAT")->integer("custom_mode") == each.mission);
        CHECK(b.last("GLOBAL_POSITION_INT")->number("relative_alt") > 20000);
        b.command(193, 0);
        b.run(2);
        CHECK(b.last("HEARTBEAT")->integer("custom_mode") == each.hold);
        // Held, it stays about where it is: still, or in a circle.
        const double lat = b.last("GLOBAL_POSITION_INT")->number("lat");
        b.run(60);
        CHECK(std::abs(b.last("GLOBAL_POSITION_INT")->number("lat") - lat) < 20000);
        CHECK(b.last("GLOBAL_POSITION_INT")->number("relative_alt") > 20000);
        b.command(193, 1);
        b.run(2);
        CHECK(b.last("HEARTBEAT")->integer("custom_mode") == each.mission);
        b.command(cmd::returnHome);
        b.run(1);
        CHECK(b.last("HEARTBEAT")->integer("custom_mode") == each.home);
        b.run(400);
        CHECK((b.last("HEARTBEAT")->integer("base_mode") & 128) == 0);
        // A mode of another family is refused.
        for (const int other : {3, 10, 99}) {
            b.command(cmd::doSetMode, 1, other);
            CHECK(b.result() != 0);
        }
    }
}

TEST_CASE("a mission goes on at the item it is told, in the air and from the ground", "[standin][mission]") {
    Bench b;
    b.upload(row(5));
    b.send(b.to("MISSION_SET_CURRENT").set("seq", 4));
    b.command(cmd::armDisarm, 1);
    b.command(cmd::missionStart);
    b.run(2);
    REQUIRE(b.last("MISSION_CURRENT") != nullptr);
    CHECK(b.last("MISSION_CURRENT")->integer("seq") == 4);
    b.run(20);
    CHECK(b.last("HEARTBEAT")->integer("custom_mode") == 21);
    b.send(b.to("MISSION_SET_CURRENT").set("seq", 2));  // a speed: the first place after it
    b.run(1);
    CHECK(b.last("MISSION_CURRENT")->integer("seq") == 3);
    b.send(b.to("MISSION_SET_CURRENT").set("seq", 1));
    b.run(1);
    CHECK(b.last("MISSION_CURRENT")->integer("seq") == 1);
    b.clear();
    b.send(b.to("MISSION_SET_CURRENT").set("seq", 4000));
    CHECK(b.count("STATUSTEXT") == 1);
    b.run(1);
    CHECK(b.last("MISSION_CURRENT")->integer("seq") == 1);
}

// Cameras and gimbals on the link: heard, asked, ordered; photos counted by the camera's own number. The other side is
// src/standin/Companions, written from the published protocols; messages that no honest camera sends are made here.
#include "Rig.h"
#include "core/link/Payload.h"

using namespace anhinga;
using namespace anhinga::testing;
using mavlink::Message;

namespace {

StandInOptions accompanied() {
    StandInOptions o = standInOptions();
    o.companions.camera = o.companions.gimbal = o.companions.battery = o.companions.ground = true;
    return o;
}
Message said(std::string_view name, int component) {
    Message m(name);
    m.system = 1;
    m.component = static_cast<std::uint8_t>(component);
    return m;
}
/// A vehicle that was heard, with a camera beside it.
VehicleState heardVehicle() {
    VehicleState state;
    state.take(said("HEARTBEAT", 1).set("type", 2).set("autopilot", 3), 0);
    state.take(said("HEARTBEAT", 100).set("type", 30).set("autopilot", 8), 0);
    return state;
}
Message captured(int index, double at_ms, int component = 100) {
    Message m = said("CAMERA_IMAGE_CAPTURED", component);
    m.set("capture_result", 1).set("image_index", index).set("time_boot_ms", at_ms);
    m.set("lat", 473100000 + index).set("lon", -201200000);
    return m;
}

}  // namespace

TEST_CASE("a camera and a gimbal are found, and say how they are", "[link][payload]") {
    Rig rig(accompanied());
    REQUIRE(rig.until(20, [](const VehicleSnapshot& v) {
        return v.cameras.size() == 1 && v.cameras[0].free_mb && v.cameras[0].images && v.gimbal && v.gimbal->pitch_deg;
    }));
    const VehicleSnapshot v = rig.link().snapshot();
    const CameraSnapshot& c = v.cameras[0];
    CHECK(c.component == 100);
    CHECK(c.model == "Shoreline 20");
    CHECK((c.photos && c.video));
    CHECK(*c.images == 1204);
    CHECK(c.card == CardState::ready);
    CHECK(*c.free_mb == Approx(61000 - 9 * 1204));
    CHECK(v.gimbal->component == 154);
    CHECK(v.gimbal->pitch_min_deg == Approx(-90));
    CHECK(v.gimbal->pitch_max_deg == Approx(30));
    // Neither the second battery nor the other ground station is the aircraft.
    CHECK(v.component == 1);
    CHECK(v.battery_percent.value_or(100) > 90);
    CHECK(rig.link().snapshot().system == 1);
}

TEST_CASE("photo, film and tilt are ordered of the component they concern", "[link][payload]") {
    Rig rig(accompanied());
    REQUIRE(rig.until(20, [](const VehicleSnapshot& v) {
        return v.cameras.size() == 1 && v.cameras[0].images && v.gimbal && v.gimbal->pitch_deg;
    }));
    for (int n = 1; n <= 3; ++n) {
        REQUIRE(commandPhoto(rig.link(), 100));
        CHECK(rig.companions().taken() == n);
    }
    CHECK(rig.until(10, [](const VehicleSnapshot& v) { return v.photos == 3 && v.cameras[0].images == 1207; }));
    REQUIRE(commandVideo(rig.link(), 100, true));
    CHECK(rig.companions().filming());
    CHECK(rig.until(10, [](const VehicleSnapshot& v) { return v.cameras[0].filming == true; }));
    REQUIRE(commandVideo(rig.link(), 100, false));
    CHECK_FALSE(rig.companions().filming());
    REQUIRE(commandGimbal(rig.link(), -60, 0));
    CHECK(rig.until(15, [](const VehicleSnapshot& v) { return std::abs(*v.gimbal->pitch_deg + 60) < 1; }));
    CHECK(rig.companions().pitch_deg() == Approx(-60).margin(0.5));
    CHECK(rig.link().snapshot().gimbal->held_by_system == 255);
    // Beyond what it can it goes as far as it can.
    REQUIRE(commandGimbal(rig.link(), -500, 0));
    CHECK(rig.until(15, [](const VehicleSnapshot& v) { return std::abs(*v.gimbal->pitch_deg + 90) < 1; }));
    // A component that is not there is silent: an error, and nothing else was told so.
    const auto nobody = commandPhoto(rig.link(), 103);
    REQUIRE_FALSE(nobody);
    CHECK(nobody.error().code == ErrorCode::silent);
    CHECK(rig.companions().taken() == 3);
}

TEST_CASE("an order for one photo takes one over a link that loses and doubles", "[link][payload]") {
    LinkConditions bad;
    bad.loss = 0.25;
    bad.duplicate = 0.2;
    bad.latency_ms = 80;
    bad.seed = 7;
    Rig rig(accompanied(), bad);
    REQUIRE(rig.until(60, [](const VehicleSnapshot& v) { return v.cameras.size() == 1 && v.cameras[0].images; }));
    int accepted = 0;
    for (int n = 0; n < 12; ++n) accepted += commandPhoto(rig.link(), 100).has_value();
    CHECK(accepted >= 10);
    CHECK(rig.companions().taken() >= accepted);
    CHECK(rig.companions().taken() <= 12);
    // What is shown comes to what was taken once a status has got through.
    const int on_card = 1204 + rig.companions().taken();
    CHECK(rig.until(60, [&](const VehicleSnapshot& v) { return v.cameras[0].images == on_card; }));
}

TEST_CASE("photos are counted by the camera's number, whatever is lost, doubled or told twice", "[payload]") {
    VehicleState state = heardVehicle();
    const auto photos = [&] { return state.at(0).photos; };
    state.take(captured(500, 1000), 1000);
    CHECK(photos() == 1);
    state.take(captured(500, 1000), 1001);  // doubled
    CHECK(photos() == 1);
    state.take(captured(504, 5000), 5000);  // three were lost on the way
    CHECK(photos() == 5);
    state.take(captured(503, 4000), 5100);  // one of them comes late
    CHECK(photos() == 5);
    // The autopilot tells of the same photos by a message of its own.
    for (int n = 1; n <= 4; ++n)
        state.take(said("CAMERA_FEEDBACK", 1).set("img_idx", n).set("time_usec", n * 1e6).set("lat", 473100000), 6000);
    CHECK(photos() == 5);
    CHECK(state.at(0).photo_places->size() == 2);
    // A card that was formatted begins anew.
    state.take(captured(0, 9000), 9000);
    CHECK(photos() == 6);
    state.take(captured(1, 9500), 9500);
    CHECK(photos() == 7);
    // One that failed is none.
    state.take(captured(2, 9900).set("capture_result", 0), 9900);
    CHECK(photos() == 7);
    // A camera that does not count is believed by the moment.
    VehicleState dumb = heardVehicle();
    for (int n = 1; n <= 3; ++n) dumb.take(captured(0, 1000.0 * n), 1000.0 * n);
    CHECK(dumb.at(0).photos == 3);
}

TEST_CASE("what a camera cannot mean is passed over; one that falls silent is gone", "[payload][hostile]") {
    VehicleState state = heardVehicle();
    state.take(
        said("STORAGE_INFORMATION", 100).set("status", 2).set("available_capacity", NAN).set("total_capacity", -5),
        100);
    REQUIRE(state.at(100).cameras.size() == 1);
    CHECK_FALSE(state.at(100).cameras[0].free_mb);
    CHECK_FALSE(state.at(100).cameras[0].total_mb);
    state.take(said("STORAGE_INFORMATION", 100).set("status", 77), 200);
    CHECK(state.at(200).cameras[0].card == CardState::unknown);
    state.take(said("STORAGE_INFORMATION", 100).set("status", 0).set("available_capacity", 500), 300);
    CHECK(state.at(300).cameras[0].card == CardState::none);
    CHECK_FALSE(state.at(300).cameras[0].free_mb);  // no card, no room
    Message name = said("CAMERA_INFORMATION", 100);
    for (int i = 0; i < 32; ++i) name.set("model_name", i % 2 == 0 ? 0x1B : 'a', i);
    state.take(name, 400);
    CHECK(state.at(400).cameras[0].model == std::string(16, 'a'));
    state.take(said("GIMBAL_DEVICE_ATTITUDE_STATUS", 154).set("q", NAN, 0), 500);
    CHECK_FALSE(state.at(500).gimbal);
    state.take(said("GIMBAL_MANAGER_INFORMATION", 154).set("pitch_min", 3).set("pitch_max", -3), 600);
    REQUIRE(state.at(600).gimbal);
    CHECK(state.at(600).gimbal->pitch_min_deg == -90);
    CHECK(state.at(20000).cameras.empty());
    CHECK_FALSE(state.at(20000).gimbal);
    std::mt19937 random(5);
    for (int n = 0; n < 20000; ++n) {
        constexpr const char* kNames[] = {
            "CAMERA_INFORMATION",         "CAMERA_CAPTURE_STATUS", "STORAGE_INFORMATION",
            "CAMERA_IMAGE_CAPTURED",      "CAMERA_FEEDBACK",       "HEARTBEAT",
            "GIMBAL_MANAGER_INFORMATION", "GIMBAL_MANAGER_STATUS", "GIMBAL_DEVICE_ATTITUDE_STATUS"};
        Message m = said(kNames[random() % std::size(kNames)], static_cast<int>(random() % 255 + 1));
        for (auto& byte : m.payload) byte = static_cast<std::uint8_t>(random());
        state.take(m, 30000 + n);
        for (const PayloadQuestion& q : state.questions(30000 + n)) CHECK((q.component > 0 && q.component < 256));
    }
    const VehicleSnapshot v = state.at(50000);
    CHECK(v.photos >= 0);
    CHECK(v.cameras.size() < 256);
}

TEST_CASE("a camera is asked until it has said what it is, the older way too", "[payload]") {
    VehicleState state = heardVehicle();
    bool newer = false, older = false;
    int asked = 0;
    for (int second = 0; second < 60; ++second) {
        state.take(said("HEARTBEAT", 100).set("type", 30).set("autopilot", 8), second * 1000.0);
        for (const PayloadQuestion& q : state.questions(second * 1000.0)) {
            if (q.component != 100) continue;
            ++asked;
            newer = newer || (q.command == 512 && q.param1 == 259);
            older = older || q.command == 521;
        }
    }
    CHECK((newer && older));
    CHECK(asked <= 3 * 13);  // three questions each five seconds
}

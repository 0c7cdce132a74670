// What an aircraft says now: each field as it came, how often its message comes, how old it is.
#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>
#include <limits>
#include <set>

#include "core/link/LiveValues.h"

using namespace anhinga;

namespace {

/// A message from bytes laid out as the standard says, not by our own table.
mavlink::Message raw(std::uint32_t id, std::vector<std::pair<int, std::vector<std::uint8_t>>> at, int component = 1) {
    mavlink::Message m;
    m.info = mavlink::messageInfo(id);
    m.system = 1;
    m.component = static_cast<std::uint8_t>(component);
    for (const auto& [offset, bytes] : at) std::memcpy(m.payload + offset, bytes.data(), bytes.size());
    return m;
}
template <class T>
std::vector<std::uint8_t> bytes(T value) {
    std::vector<std::uint8_t> out(sizeof value);
    std::memcpy(out.data(), &value, sizeof value);
    return out;
}
const LiveValue* find(const std::vector<LiveValue>& values, std::string_view name) {
    for (const LiveValue& v : values)
        if (v.name == name) return &v;
    return nullptr;
}
constexpr std::uint32_t kAttitude = 30, kBattery = 147, kText = 253, kTime = 2;

}  // namespace

TEST_CASE("fields stand there as they came, with the unit of the standard", "[livevalues]") {
    LiveValues live;
    // ATTITUDE: time_boot_ms, then roll, pitch, yaw in rad.
    live.take(raw(kAttitude, {{0, bytes(std::uint32_t{123456})}, {4, bytes(0.25F)}, {8, bytes(-0.5F)}}), 1000);
    live.take(raw(kAttitude, {{12, bytes(std::numeric_limits<float>::quiet_NaN())}}, 7), 1000);
    // SYSTEM_TIME: microseconds since 1970 as 64 bits: every digit.
    live.take(raw(kTime, {{0, bytes(std::uint64_t{18'446'744'073'709'551'615U})}}), 1000);
    // The second battery: id at 32, behind temperature (int16 at 8).
    live.take(raw(kBattery, {{8, bytes(std::int16_t{2150})}, {32, {1}}}), 1000);
    live.take(raw(kText, {{0, {4}}, {1, {'o', 'k', 7, 0xff}}}), 1000);
    const auto values = live.list(1500, 1);
    REQUIRE(find(values, "ATTITUDE.roll") != nullptr);
    CHECK(find(values, "ATTITUDE.roll")->text == "0.25");
    CHECK(find(values, "ATTITUDE.roll")->unit == "rad");
    CHECK(find(values, "ATTITUDE.pitch")->text == "-0.5");
    CHECK(find(values, "ATTITUDE.time_boot_ms")->text == "123456");
    CHECK(find(values, "ATTITUDE.roll")->age_s == Approx(0.5));
    CHECK_FALSE(find(values, "ATTITUDE.roll")->rate_hz);  // of one message there is none
    REQUIRE(find(values, "ATTITUDE@7.yaw") != nullptr);
    CHECK(find(values, "ATTITUDE@7.yaw")->text == "no number");
    CHECK(find(values, "SYSTEM_TIME.time_unix_usec")->text == "18446744073709551615");
    REQUIRE(find(values, "BATTERY_STATUS#1.temperature") != nullptr);
    CHECK(find(values, "BATTERY_STATUS#1.temperature")->text == "2150");
    CHECK(find(values, "BATTERY_STATUS.temperature") == nullptr);
    // Signs that would steer a screen are shown as such.
    CHECK(find(values, "STATUSTEXT.text")->text == "ok\u2407\uFFFD");
    CHECK(std::is_sorted(values.begin(), values.end(),
                         [](const LiveValue& a, const LiveValue& b) { return a.name < b.name; }));
}

TEST_CASE("how often a message comes follows what comes, and sinks when it falls silent", "[livevalues]") {
    LiveValues live;
    const auto rate = [&](double now_ms) { return find(live.list(now_ms, 1), "ATTITUDE.roll")->rate_hz.value_or(-1); };
    double t = 0;
    for (int i = 0; i < 5; ++i) live.take(raw(kAttitude, {}), t += 250);
    CHECK(rate(t) == Approx(4));
    for (int i = 0; i < 40; ++i) live.take(raw(kAttitude, {}), t += 20);
    CHECK(rate(t + 10) == Approx(50));
    // Silent for ten seconds: no longer fifty times a second.
    CHECK(rate(t + 10'000) < 1.2);
    CHECK(find(live.list(t + 10'000, 1), "ATTITUDE.roll")->age_s == Approx(10));
    live.take(raw(kAttitude, {}), t + 10'000);
    CHECK(rate(t + 10'000) < 1.2);
}

TEST_CASE("an endless number of components does not fill the memory", "[livevalues]") {
    LiveValues live;
    for (const auto& info : mavlink::allMessages())
        for (int component = 0; component < 256; ++component) live.take(raw(info.id, {}, component), 1);
    std::set<std::string> kinds;
    for (const LiveValue& v : live.list(1, 1)) kinds.insert(v.name.substr(0, v.name.find('.')));
    // Not more than fit; components 0 and 1, the autopilot, have one name.
    CHECK(kinds.size() <= LiveValues::kMostKinds);
    CHECK(kinds.size() > LiveValues::kMostKinds - 10);
    live.take(raw(0, {{0, bytes(std::uint32_t{77})}}, 200), 2);  // one that is known is heard on
    CHECK(find(live.list(2, 1), "HEARTBEAT@200.custom_mode")->text == "77");
}

#include "core/link/Commands.h"

#include <array>
#include <cmath>
#include <cstring>

#include "core/base/Text.h"
#include "core/link/MissionTransfer.h"

namespace anhinga {

using mavlink::Message;

namespace {

const char* commandResultText(std::int64_t result) {
    constexpr const char* kTexts[] = {"accepted",
                                      "not possible at the moment",
                                      "denied",
                                      "not supported by this autopilot",
                                      "failed",
                                      "in progress",
                                      "cancelled",
                                      "only as a long command",
                                      "only as an int command",
                                      "height reference not supported"};
    return result >= 0 && result < static_cast<std::int64_t>(std::size(kTexts)) ? kTexts[result] : "refused";
}

/// What the aircraft has said since; a refusal's reason comes as such a text, a little before or after it.
std::string spokenSince(const VehicleSnapshot& v, std::uint64_t number) {
    std::string out;
    for (const SpokenText& t : *v.texts)
        if (t.number > number) out += (out.empty() ? "" : "; ") + t.text;
    return out;
}
std::uint64_t lastSpoken(const VehicleSnapshot& v) {
    return v.texts->empty() ? 0 : v.texts->back().number;
}

/// Sends `m` until the vehicle acknowledges. Resent only so often as the standard wants: the vehicle tells a repeated
/// command from a new one by the confirmation count of a COMMAND_LONG.
/// `component` 0: the autopilot.
Result<void> converse(VehicleLink& link, Message m, const std::string& name, const std::stop_token& stop,
                      int component = 0) {
    constexpr int kTries = 5;
    const VehicleSnapshot before = link.snapshot();
    const std::int64_t command = m.integer("command");
    link.setTold(fmt::format("command {}", command));
    VehicleLink::Inbox inbox(link, {"COMMAND_ACK"});
    AnswerTime time(std::max(0.25, link.roundTrip_s()));
    m.set("target_system", before.system).set("target_component", component != 0 ? component : before.component);
    for (int attempt = 0; attempt < kTries; ++attempt) {
        if (m.is("COMMAND_LONG")) m.set("confirmation", attempt);
        link.send(m);
        // The answer may be on a slow radio behind other things.
        double until = link.clock().now_ms() + std::max(0.8, 2 * time.wait_s()) * 1000;
        while (link.clock().now_ms() < until) {
            if (stop.stop_requested()) return fail("{}: stopped", name);
            const auto ack = inbox.next(0.05, stop);
            if (!ack || ack->system != before.system || ack->integer("command") != command) continue;
            if (component != 0 && ack->component != component) continue;
            const auto result = ack->integer("result");
            if (result == 0) return {};
            if (result == 5) {  // in progress: the standard asks us to wait on
                until = link.clock().now_ms() + 5000;
                attempt = kTries;
                continue;
            }
            // Its reason may follow the refusal.
            std::string why = spokenSince(link.snapshot(), lastSpoken(before));
            for (int i = 0; why.empty() && i < 10 && !stop.stop_requested(); ++i) {
                link.clock().sleep(0.030, stop);
                why = spokenSince(link.snapshot(), lastSpoken(before));
            }
            constexpr std::int64_t kUnsupported = 3;
            return failAs(result == kUnsupported ? ErrorCode::unsupported : ErrorCode::refused, "{}: refused, {}{}",
                          name, commandResultText(result), why.empty() ? "" : " (" + why + ")");
        }
    }
    return failAs(ErrorCode::silent, "{}: no answer from the vehicle after {} tries", name, kTries);
}

/// A mode as the family is told it.
Result<void> sendMode(VehicleLink& link, std::uint32_t custom_mode, const std::string& name,
                      const std::stop_token& stop) {
    const VehicleSnapshot v = link.snapshot();
    if (!dialectOf(v).modes_split)
        return sendCommand(link, cmd::doSetMode, {1, static_cast<float>(custom_mode)}, name, stop);
    return sendCommand(link, cmd::doSetMode,
                       {1, static_cast<float>(custom_mode >> 16 & 0xFF), static_cast<float>(custom_mode >> 24)}, name,
                       stop);
}

Result<void> setMode(VehicleLink& link, ModeKind mode, const std::string& name, const std::stop_token& stop) {
    const VehicleSnapshot v = link.snapshot();
    // Never the number of another family: there it may mean anything, the end of the flight too.
    const auto number = modeNumber(v, mode);
    if (!number)
        return failAs(ErrorCode::unsupported, "{}: no mode \"{}\" is known of {}; use its transmitter", name,
                      modeWord(mode), dialectText(dialectOf(v)));
    auto ok = sendMode(link, *number, name, stop);
    link.setTold(fmt::format("mode {}", modeWord(mode)));
    return ok;
}

bool isOwn(const VehicleSnapshot& v) {
    return dialectOf(v).family == AutopilotFamily::own;
}

/// Metres AMSL for a height above home; nothing where home's is not known.
std::optional<double> amslOf(const VehicleSnapshot& v, double height_home_m) {
    if (v.home_amsl_m) return *v.home_amsl_m + height_home_m;
    if (v.amsl_m && v.height_home_m) return *v.amsl_m - *v.height_home_m + height_home_m;
    return std::nullopt;
}

/// What an order needs to know may still be on its way, just after the connection.
template <class Known>
VehicleSnapshot once(VehicleLink& link, Known known, const std::stop_token& stop) {
    constexpr double kPatience_ms = 2500;
    const double end_ms = link.clock().now_ms() + kPatience_ms;
    VehicleSnapshot v = link.snapshot();
    while (!known(v) && link.clock().now_ms() < end_ms && !stop.stop_requested()) {
        link.clock().sleep(0.020, stop);
        v = link.snapshot();
    }
    return v;
}

/// Leaves what it does and flies there.
Result<void> reposition(VehicleLink& link, GeoPoint place, double height_home_m, const std::string& name,
                        const std::stop_token& stop) {
    const VehicleSnapshot v = link.snapshot();
    const AutopilotDialect d = dialectOf(v);
    if (d.family == AutopilotFamily::plain)
        return failAs(ErrorCode::unsupported, "{}: {} cannot be led from the ground", name, dialectText(d));
    constexpr float kChangeMode = 1;
    if (!d.orders_amsl)
        return sendPlaceCommand(link, cmd::reposition, {-1, kChangeMode, 0, NAN}, frame::home, place, height_home_m,
                                name, stop);
    const auto amsl = amslOf(once(
                                 link, [](const VehicleSnapshot& now) { return amslOf(now, 0).has_value(); }, stop),
                             height_home_m);
    if (!amsl) return fail("{}: how high home is is not known yet", name);
    return sendPlaceCommand(link, cmd::reposition, {-1, kChangeMode, 0, NAN}, frame::amsl, place, *amsl, name, stop);
}

}  // namespace

Result<void> sendCommand(VehicleLink& link, std::uint16_t command, const std::vector<float>& params,
                         const std::string& name, std::stop_token stop) {
    constexpr const char* kParams[] = {"param1", "param2", "param3", "param4", "param5", "param6", "param7"};
    Message m("COMMAND_LONG");
    m.set("command", command);
    for (std::size_t i = 0; i < params.size() && i < std::size(kParams); ++i)
        m.set(kParams[i], static_cast<double>(params[i]));
    return converse(link, m, name, stop);
}

Result<void> sendPlaceCommand(VehicleLink& link, std::uint16_t command, const std::vector<float>& params,
                              std::uint8_t height_frame, GeoPoint place, double height_m, const std::string& name,
                              std::stop_token stop) {
    constexpr const char* kParams[] = {"param1", "param2", "param3", "param4"};
    Message m("COMMAND_INT");
    m.set("command", command).set("frame", height_frame).set("z", height_m);
    m.setInteger("x", toE7(place.lat_deg)).setInteger("y", toE7(place.lon_deg));
    for (std::size_t i = 0; i < params.size() && i < std::size(kParams); ++i)
        m.set(kParams[i], static_cast<double>(params[i]));
    return converse(link, m, name, stop);
}

namespace {
/// To another component of the vehicle.
Result<void> sendCommandTo(VehicleLink& link, int component, std::uint16_t command, const std::array<float, 7>& params,
                           const std::string& name, const std::stop_token& stop) {
    constexpr const char* kParams[] = {"param1", "param2", "param3", "param4", "param5", "param6", "param7"};
    Message m("COMMAND_LONG");
    m.set("command", command);
    for (std::size_t i = 0; i < params.size(); ++i) m.set(kParams[i], static_cast<double>(params[i]));
    return converse(link, m, name, stop, component);
}
}  // namespace

Result<void> commandPhoto(VehicleLink& link, int camera, std::stop_token stop) {
    // The number of the order tells a command said again from a new one.
    const auto number = static_cast<float>(link.nextCapture());
    const auto images = [&]() -> std::optional<int> {
        for (const CameraSnapshot& c : link.snapshot().cameras)
            if (c.component == camera) return c.images;
        return std::nullopt;
    };
    const auto before = images();
    if (auto ok = sendCommandTo(link, camera, cmd::photoInterval, {0, 0, 1, number}, "Photo", stop); !ok) return ok;
    if (!before) return {};
    // An answer has no number: a late one to the order before looks the same. The camera's own count decides.
    constexpr double kPatience_ms = 4000, kAsk_ms = 500;
    const double start_ms = link.clock().now_ms();
    for (double asked_ms = start_ms; link.clock().now_ms() - start_ms < kPatience_ms;) {
        if (const auto now = images(); now && *now > *before) return {};
        if (stop.stop_requested())
            return failAs(ErrorCode::stopped, "Photo: stopped; whether it was taken is not known");
        link.clock().sleep(0.020, stop);
        if (link.clock().now_ms() - asked_ms < kAsk_ms) continue;
        asked_ms = link.clock().now_ms();
        const VehicleSnapshot v = link.snapshot();
        link.send(Message("COMMAND_LONG")
                      .set("target_system", v.system)
                      .set("target_component", camera)
                      .set("command", cmd::requestMessage)
                      .set("param1", mavlink::messageInfo("CAMERA_CAPTURE_STATUS")->id));
    }
    return fail("Photo: accepted, but the camera's count has not gone up");
}

Result<void> commandVideo(VehicleLink& link, int camera, bool on, std::stop_token stop) {
    constexpr float kAll = 0, kStatus_hz = 1;
    return sendCommandTo(link, camera, on ? cmd::videoStart : cmd::videoStop, {kAll, on ? kStatus_hz : 0.0f},
                         on ? "Start filming" : "Stop filming", stop);
}

Result<void> commandGimbal(VehicleLink& link, double pitch_deg, double yaw_deg, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    if (!v.gimbal) return failAs(ErrorCode::unsupported, "Camera tilt: no gimbal has answered");
    const auto device = static_cast<float>(v.gimbal->device);
    if (v.gimbal->held_by_system != kOurSystem || v.gimbal->held_by_component != kOurComponent) {
        constexpr float kLeave = -1;
        if (auto ok = sendCommandTo(link, v.gimbal->component, cmd::gimbalConfigure,
                                    {kOurSystem, kOurComponent, kLeave, kLeave, 0, 0, device}, "Camera tilt", stop);
            !ok)
            return ok;
    }
    constexpr float kRollLock = 4, kPitchLock = 8, kYawToNose = 32;  // GIMBAL_MANAGER_FLAGS
    return sendCommandTo(link, v.gimbal->component, cmd::gimbalPitchYaw,
                         {static_cast<float>(std::clamp(pitch_deg, v.gimbal->pitch_min_deg, v.gimbal->pitch_max_deg)),
                          static_cast<float>(yaw_deg), NAN, NAN, kRollLock + kPitchLock + kYawToNose, 0, device},
                         "Camera tilt", stop);
}

Result<void> commandArm(VehicleLink& link, std::stop_token stop) {
    return sendCommand(link, cmd::armDisarm, {1}, "Arm", std::move(stop));
}
Result<void> commandDisarm(VehicleLink& link, std::stop_token stop) {
    return sendCommand(link, cmd::armDisarm, {0}, "Disarm", std::move(stop));
}

Result<void> commandTakeOff(VehicleLink& link, double height_m, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    const AutopilotDialect d = dialectOf(v);
    if (d.family == AutopilotFamily::plain)
        return failAs(ErrorCode::unsupported, "Launch: {} cannot be launched from the ground", dialectText(d));
    if (d.orders_amsl) {
        const auto amsl = amslOf(once(
                                     link, [](const VehicleSnapshot& now) { return amslOf(now, 0).has_value(); }, stop),
                                 height_m);
        if (!amsl) return fail("Launch: how high home is is not known yet");
        return sendCommand(link, cmd::takeOff, {-1, 0, 0, NAN, NAN, NAN, static_cast<float>(*amsl)}, "Launch", stop);
    }
    if (auto ok = setMode(link, ModeKind::led, "Launch", stop); !ok) return ok;
    return sendCommand(link, cmd::takeOff, {0, 0, 0, NAN, 0, 0, static_cast<float>(height_m)}, "Launch", stop);
}

Result<void> commandStart(VehicleLink& link, std::stop_token stop) {
    // Unarmed, it would stay in a mode in which it cannot be armed. Just armed, its heartbeat may still be on the way.
    constexpr double kPatience_ms = 1500;
    const double start = link.clock().now_ms();
    while (!link.snapshot().armed) {
        if (stop.stop_requested()) return fail("Start: stopped");
        if (link.clock().now_ms() - start > kPatience_ms) return fail("Start: not armed");
        link.clock().sleep(0.020, stop);
    }
    if (dialectOf(link.snapshot()).family == AutopilotFamily::plain &&
        !modeNumber(link.snapshot(), ModeKind::mission)) {
        auto ok = sendCommand(link, cmd::missionStart, {0, 0}, "Start", stop);
        if (!ok && ok.error().code != ErrorCode::silent)
            return failAs(ok.error().code, "{}; start it with its transmitter", ok.error().message);
        return ok;
    }
    link.setHeld(false);
    const std::uint32_t before = link.snapshot().custom_mode;
    if (auto ok = setMode(link, ModeKind::mission, "Start", stop); !ok) return ok;
    auto started = sendCommand(link, cmd::missionStart, {0, 0}, "Start", stop);
    // Where modes say everything it flies already.
    if (!started && started.error().code == ErrorCode::unsupported && modeKind(link.snapshot()) == ModeKind::mission)
        return {};
    // Refused, it must not be left waiting in mission mode.
    if (!started && !stop.stop_requested()) (void)commandMode(link, before, stop);
    return started;
}

Result<void> commandPause(VehicleLink& link, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    if (dialectOf(v).pause_command) {
        auto ok = sendCommand(link, cmd::pauseContinue, {0}, "Hold", stop);
        if (ok) link.setHeld(true);
        if (ok || ok.error().code != ErrorCode::unsupported) return ok;
    }
    if (modeKind(v) == ModeKind::hold) return {};  // it holds
    return setMode(link, ModeKind::hold, "Hold", stop);
}
Result<void> commandResume(VehicleLink& link, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    // What was held by its mode is let go by its mode.
    Result<void> ok = failAs(ErrorCode::unsupported, "not tried");
    if (dialectOf(v).pause_command && (isOwn(v) || modeKind(v) == ModeKind::mission))
        ok = sendCommand(link, cmd::pauseContinue, {1}, "Go on", stop);
    if (!ok && ok.error().code == ErrorCode::unsupported) ok = setMode(link, ModeKind::mission, "Go on", stop);
    if (ok) link.setHeld(false);
    return ok;
}
Result<void> commandReturn(VehicleLink& link, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    if (isOwn(v) || !modeNumber(v, ModeKind::returnHome))
        return sendCommand(link, cmd::returnHome, {}, "Return home", std::move(stop));
    return setMode(link, ModeKind::returnHome, "Return home", stop);
}
Result<void> commandLand(VehicleLink& link, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    if (isOwn(v) || !modeNumber(v, ModeKind::land))
        return sendCommand(link, cmd::land, {}, "Land here", std::move(stop));
    return setMode(link, ModeKind::land, "Land here", stop);
}

Result<void> commandSkipTo(VehicleLink& link, int seq, std::stop_token stop) {
    const std::string name = fmt::format("Go to item {}", seq);
    const int aboard = link.aboardItem(seq);
    auto ok = sendCommand(link, cmd::setMissionCurrent, {static_cast<float>(aboard), 0}, name, stop);
    if (ok || ok.error().code != ErrorCode::unsupported) return ok;
    // The older way: a message of its own, answered by the item that is then flown.
    const VehicleSnapshot v = link.snapshot();
    VehicleLink::Inbox inbox(link, {"MISSION_CURRENT"});
    const double until = link.clock().now_ms() + 6000;
    double said_ms = 0;
    while (link.clock().now_ms() < until) {
        if (stop.stop_requested()) return fail("{}: stopped", name);
        if (link.clock().now_ms() - said_ms > 1000) {
            said_ms = link.clock().now_ms();
            link.send(Message("MISSION_SET_CURRENT")
                          .set("target_system", v.system)
                          .set("target_component", v.component)
                          .set("seq", aboard));
        }
        const auto m = inbox.next(0.1, stop);
        if (m && m->system == v.system && m->integer("seq") == aboard) return {};
    }
    return fail("{}: the vehicle does not go there", name);
}

Result<void> commandSpeed(VehicleLink& link, double mps, std::stop_token stop) {
    constexpr int kFixedWing = 1;
    const float kind = link.snapshot().type == kFixedWing ? 0.0f : 1.0f;  // SPEED_TYPE
    return sendCommand(link, cmd::changeSpeed, {kind, static_cast<float>(mps), -1, 0},
                       fmt::format("Speed {:.1f} m/s", mps), std::move(stop));
}

Result<void> commandHeight(VehicleLink& link, double height_home_m, std::stop_token stop) {
    const std::string name = fmt::format("Height {:.0f} m", height_home_m);
    const VehicleSnapshot v = link.snapshot();
    if (dialectOf(v).height_command) {
        auto ok = sendCommand(link, cmd::changeHeight, {static_cast<float>(height_home_m), frame::home}, name, stop);
        if (ok || ok.error().code != ErrorCode::unsupported) return ok;
    }
    const auto place = once(
                           link, [](const VehicleSnapshot& now) { return now.position.has_value(); }, stop)
                           .position;
    if (!place) return fail("{}: where it is is not known yet", name);
    return reposition(link, *place, height_home_m, name, stop);
}

Result<void> commandGoTo(VehicleLink& link, GeoPoint place, double height_home_m, std::stop_token stop) {
    return reposition(link, place, height_home_m, "Go there", stop);
}

Result<void> commandEmergencyStop(VehicleLink& link, std::stop_token stop) {
    constexpr float kForced = 21196;  // the standard's magic number
    return sendCommand(link, cmd::armDisarm, {0, kForced}, "Cut motors", std::move(stop));
}

Result<void> commandMode(VehicleLink& link, std::uint32_t custom_mode, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    const auto kind = modeKind(v, custom_mode);
    if (!kind || *kind == ModeKind::ended)
        return failAs(ErrorCode::unsupported, "Mode: what mode {} of {} does is not known; it is not commanded",
                      custom_mode, dialectText(dialectOf(v)));
    return sendMode(link, custom_mode, "Mode", stop);
}

Result<void> commandSetupSigning(VehicleLink& link, const mavlink::SigningKey& key, std::stop_token stop) {
    const VehicleSnapshot v = link.snapshot();
    if (link.isSigned()) return fail("Signing: this link is signed already");
    if (v.armed) return fail("Signing: a key is put aboard on the ground, disarmed");
    link.expectKey(key);
    constexpr int kTries = 3;
    constexpr double kWait_ms = 2000;
    for (int n = 0; n < kTries; ++n) {
        mavlink::Message m("SETUP_SIGNING");
        m.set("target_system", v.system).set("target_component", v.component);
        m.setInteger("initial_timestamp", static_cast<std::int64_t>(mavlink::signingTime(link.clock().unix_s())));
        std::memcpy(m.payload + m.info->field("secret_key")->offset, key.data(), key.size());
        link.send(m);
        const double until = link.clock().now_ms() + kWait_ms;
        while (link.clock().now_ms() < until) {
            if (link.isSigned()) return {};
            if (stop.stop_requested()) {
                link.expectKey({});
                return failAs(ErrorCode::stopped, "Signing: stopped; whether the aircraft has the key is not known");
            }
            link.clock().sleep(0.02);
        }
    }
    link.expectKey({});
    return failAs(ErrorCode::unsupported, "Signing: the aircraft does not sign with this key; it may not know how");
}

Result<void> commandStoreMission(VehicleLink& link, std::stop_token stop) {
    constexpr float kLeave = -1, kWrite = 1;
    return sendCommand(link, cmd::storage, {kLeave, kWrite}, "Store", std::move(stop));
}

}  // namespace anhinga

// The commands the stand-in obeys, and when it refuses.
#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "core/mavlink/ModeNames.h"
#include "standin/StandIn.h"

namespace anhinga {

namespace {
enum CommandResult { accepted = 0, temporarilyRejected = 1, unsupported = 3 };
}  // namespace

/// Why it would not arm; empty when it would.
std::string StandIn::notReady() const {
    if (fault("refuse-arm")) return "compasses disagree";
    if (fault("compass")) return "compass field too strong";
    if (flight_.state().battery.left_percent < 10) return "battery is low";
    if (const double jump_s = faultSeconds("gps-jump"); jump_s >= 0 && jump_s < 12) return "GPS cannot be trusted";
    return "";
}

Result<void> StandIn::arm() {
    if (flight_.state().armed) return {};
    if (const std::string why = notReady(); !why.empty()) return fail("not armed: {}", why);
    const auto mode = mavlink::modeKind(kStandInFamily, mavTypeOf(options_.vehicle.kind),
                                        static_cast<std::uint32_t>(std::max(0, mode_request_)));
    if (mode == ModeKind::mission || mode == ModeKind::returnHome || mode == ModeKind::land)
        return fail("not armed: mode {} does not allow it", modeWord(*mode));
    return flight_.arm();
}

Result<void> StandIn::changeMode(int mode) {
    const int type = mavTypeOf(options_.vehicle.kind);
    const auto kind = mavlink::modeKind(kStandInFamily, type, static_cast<std::uint32_t>(std::max(0, mode)));
    if (mode < 0 || !kind || !flies(*kind)) return fail("mode {} is not offered", mode);
    if (!flight_.state().armed) mode_request_ = mode;
    if (flight_.state().on_ground) {
        if (flight_.state().armed) mode_request_ = mode;
        return {};
    }
    if (kind == ModeKind::mission)
        return (flight_.mode() == FlightMode::hold || flight_.mode() == FlightMode::led) &&
                       flight_.executor().current() && !flight_.missionEnded()
                   ? flight_.resume()
                   : flight_.startMission();
    if (kind == ModeKind::hold) return flight_.pause();
    if (kind == ModeKind::returnHome) return flight_.returnHome();
    if (kind == ModeKind::land) return flight_.land();
    return {};
}

void StandIn::requested(int message) {
    const mavlink::MessageInfo* info = mavlink::messageInfo(static_cast<std::uint32_t>(std::max(0, message)));
    if (info == nullptr) return;
    if (info->name == "AUTOPILOT_VERSION") {
        constexpr int kMissionInt = 4, kCommandInt = 8, kFtp = 32, kMavlink2 = 8192, kFence = 16384, kRally = 32768;
        say(Message("AUTOPILOT_VERSION")
                .set("capabilities", kMissionInt | kCommandInt | kFtp | kMavlink2 | kFence | kRally)
                .set("flight_sw_version", 0x01020000));
    } else if (info->name == "AVAILABLE_MODES") {
        sayModes();
    } else if (info->name == "HOME_POSITION") {
        say(homePosition());
    }
}

/// As after a power cut on the ground.
void StandIn::restart() {
    missions_.restore(options_.store_file);
    item_ = reached_ = 0;
    mode_request_ = 11;
    every_s_.clear();
    text(6, "started anew");
}

Result<void> StandIn::execute(int command, const Message& m, bool& known) {
    const bool placed = m.is("COMMAND_INT");
    const auto param = [&](const char* name) { return m.number(name); };
    switch (command) {
        case cmd::armDisarm: {
            constexpr double kForced = 21196;
            if (param("param1") > 0.5) return arm();
            if (param("param2") == kForced) {
                flight_.cutMotors();
                return {};
            }
            return flight_.disarm();
        }
        case cmd::takeOff:
            return flight_.takeOff(placed ? param("z") : param("param7"));
        case cmd::missionStart:
            return flight_.startMission();
        case cmd::returnHome:
            return flight_.returnHome();
        case cmd::land:
            return flight_.land();
        case cmd::pauseContinue:
            return param("param1") < 0.5 ? flight_.pause() : flight_.resume();
        case cmd::setMissionCurrent:
            return flight_.goToItem(toInt(param("param1"), -1));
        case cmd::changeSpeed:
            return flight_.changeSpeed(param("param2"));
        case cmd::changeHeight: {
            if (flight_.mode() == FlightMode::mission) return fail("the mission sets the height: pause it first");
            return flight_.goTo(flight_.place(), options_.home_amsl_m + param("param1"));
        }
        case cmd::reposition: {
            if (!placed) return fail("only as an int command");
            const HeightRef ref = refOf(static_cast<std::uint8_t>(m.integer("frame")));
            if (ref == HeightRef::ground) return fail("height above ground is not supported here");
            const double base = ref == HeightRef::home ? options_.home_amsl_m : 0;
            return flight_.goTo({param("x") * 1e-7, param("y") * 1e-7}, base + param("z"));
        }
        case cmd::doSetMode:
            return changeMode(static_cast<int>(param("param2")));
        case cmd::storage:
            return param("param2") == 1 ? missions_.store(options_.store_file) : Result<void>{};
        case cmd::reboot:
            if (flight_.state().armed) return fail("armed: not now");
            restart();
            return {};
        case cmd::setMessageInterval: {
            const mavlink::MessageInfo* info =
                mavlink::messageInfo(static_cast<std::uint32_t>(std::max(0.0, param("param1"))));
            if (info != nullptr) setInterval(info->name, param("param2") * 1e-6);
            return {};
        }
        case cmd::requestMessage:
            requested(static_cast<int>(param("param1")));
            return {};
        default:
            known = false;
            return {};
    }
}

void StandIn::command(const Message& m) {
    const auto number = static_cast<int>(m.integer("command"));
    // Said again because our answer was lost: it is answered again, not done again.
    const bool again =
        m.is("COMMAND_LONG") && m.integer("confirmation") > 0 && last_command_.number == number &&
        last_command_.message.is("COMMAND_LONG") && wall_s_ - last_command_.wall_s < 15 &&
        std::memcmp(m.payload, last_command_.message.payload, m.info->field("confirmation")->offset) == 0;
    int result = last_command_.result;
    if (!again) {
        bool known = true;
        const auto done = execute(number, m, known);
        if (!done) text(4, done.error().message);
        result = !known ? unsupported : done ? accepted : temporarilyRejected;
        ++executed_[number];
        if (number != cmd::setMessageInterval && number != cmd::requestMessage)
            last_command_ = {number, result, m, wall_s_};
    }
    say(Message("COMMAND_ACK")
            .set("command", number)
            .set("result", result)
            .set("target_system", m.system)
            .set("target_component", m.component));
}

}  // namespace anhinga

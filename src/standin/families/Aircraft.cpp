#include "standin/families/Aircraft.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/mavlink/Frame.h"

namespace anhinga::families {

namespace {
constexpr int kMaxSteps = 4000;  // in one advance()
}  // namespace

Aircraft::Aircraft(AircraftOptions options, std::function<void(const Message&)> send)
    : options_(std::move(options)),
      family_(*options_.family),
      send_(std::move(send)),
      parameters_(family_.parameters()),
      log_(family_.logLayout()),
      place_(options_.home),
      amsl_m_(options_.home_amsl_m),
      speed_mps_(options_.speed_mps > 0         ? options_.speed_mps
                 : family_.body() == Body::wing ? 16
                                                : 8),
      yaw_deg_(options_.heading_deg) {}

void Aircraft::say(Message m) {
    m.system = static_cast<std::uint8_t>(options_.system);
    m.component = 1;
    m.sequence = sequence_++;
    send_(m);
}

void Aircraft::text(int severity, const std::string& what) {
    say(Message("STATUSTEXT").set("severity", severity).setText("text", what.substr(0, 50)));
}

std::string Aircraft::frame(const Message& m) {
    return mavlink::encode(m);
}

std::vector<Aircraft::Flown> Aircraft::flown() const {
    const std::lock_guard lock(mutex_);
    return flown_;
}
bool Aircraft::armed() const {
    const std::lock_guard lock(mutex_);
    return armed_;
}
bool Aircraft::onRoute() const {
    const std::lock_guard lock(mutex_);
    return does_ == Does::route && !paused_;
}
std::vector<Kept> Aircraft::held(List list) const {
    const std::lock_guard lock(mutex_);
    return lists_[list];
}
std::vector<std::uint32_t> Aircraft::modes() const {
    const std::lock_guard lock(mutex_);
    return modes_;
}

// ---- hearing

void Aircraft::hear(const Message& m, std::span<const std::uint8_t>) {
    const std::lock_guard lock(mutex_);
    if (const auto* target = m.info->field("target_system")) {
        const auto to = mavlink::readInteger(m.payload, *target, 0);
        if (to != 0 && to != options_.system) return;
    }
    // What is said to another component of the system is not its own.
    if (const auto* target = m.info->field("target_component"))
        if (const auto to = mavlink::readInteger(m.payload, *target, 0); to > 1) return;
    if (m.is("COMMAND_LONG") || m.is("COMMAND_INT"))
        order(m);
    else if (m.is("MISSION_SET_CURRENT")) {
        begin(static_cast<std::size_t>(m.integer("seq")));
        say(Message("MISSION_CURRENT").set("seq", static_cast<double>(item_)));
    } else if (m.info->name.starts_with("MISSION_"))
        listMessage(m);
    else if (log_.receive(m, [this](Message answer) { say(std::move(answer)); }))
        return;
    else if (m.info->name.starts_with("PARAM_"))
        parameterMessage(m);
    else if (m.is("TIMESYNC") && m.integer("tc1") == 0)
        say(Message("TIMESYNC")
                .setInteger("tc1", static_cast<std::int64_t>(wall_s_ * 1e9) + 1)
                .setInteger("ts1", m.integer("ts1")));
    else if (m.is("LOG_REQUEST_LIST"))
        say(Message("LOG_ENTRY").set("num_logs", 0).set("last_log_num", 0));
}

void Aircraft::acknowledge(const Message& to, int list, int answer) {
    say(Message("MISSION_ACK")
            .set("target_system", to.system)
            .set("target_component", to.component)
            .set("type", answer)
            .set("mission_type", list));
}

bool Aircraft::integers() const {
    constexpr std::uint64_t kMissionInt = 4;
    return (family_.capabilities() & kMissionInt) != 0;
}

void Aircraft::askItem() {
    upload_.asked_s = wall_s_;
    say(Message(integers() ? "MISSION_REQUEST_INT" : "MISSION_REQUEST")
            .set("target_system", upload_.from.system)
            .set("target_component", upload_.from.component)
            .set("seq", upload_.next)
            .set("mission_type", upload_.list));
}

void Aircraft::beginUpload(const Message& m, int first, int end) {
    upload_ = {};
    upload_.active = true;
    upload_.list = static_cast<int>(m.integer("mission_type"));
    upload_.first = upload_.next = first;
    upload_.end = end;
    upload_.from = m;
    askItem();
}

void Aircraft::listMessage(const Message& m) {
    const auto list = static_cast<int>(m.integer("mission_type"));
    const bool known = list >= 0 && list <= 2 && family_.knows(static_cast<List>(list));
    if (m.is("MISSION_ACK")) return;
    if (!known) return acknowledge(m, list, badCommand);
    auto& items = lists_[static_cast<std::size_t>(list)];
    if (m.is("MISSION_COUNT")) {
        const int count = static_cast<int>(m.integer("count"));
        if (count > options_.max_items) return acknowledge(m, list, tooMany);
        if (count == 0) {
            items.clear();
            return acknowledge(m, list, taken);
        }
        beginUpload(m, 0, count);
    } else if (m.is("MISSION_WRITE_PARTIAL_LIST")) {
        if (!family_.takesParts()) return;  // it does not know the message
        const int first = static_cast<int>(m.integer("start_index")), last = static_cast<int>(m.integer("end_index"));
        if (first < 0 || last < first || last >= static_cast<int>(items.size())) return acknowledge(m, list, 1);
        beginUpload(m, first, last + 1);
        upload_.part = true;
    } else if (m.is("MISSION_CLEAR_ALL")) {
        items.clear();
        acknowledge(m, list, taken);
    } else if (m.is(integers() ? "MISSION_ITEM_INT" : "MISSION_ITEM")) {
        takeItem(m);
    } else if (m.is("MISSION_REQUEST_LIST")) {
        say(Message("MISSION_COUNT")
                .set("target_system", m.system)
                .set("target_component", m.component)
                .set("count", static_cast<double>(items.size()))
                .set("mission_type", list));
    } else if ((integers() && m.is("MISSION_REQUEST_INT")) || m.is("MISSION_REQUEST")) {
        sendItem(m);
    }
}

void Aircraft::takeItem(const Message& m) {
    if (!upload_.active || m.integer("seq") != upload_.next || m.integer("mission_type") != upload_.list) return;
    const auto list = static_cast<List>(upload_.list);
    const auto degrees = [&](const char* name) {
        if (integers()) return static_cast<std::int32_t>(m.integer(name));
        return static_cast<std::int32_t>(std::lround(std::clamp(m.number(name), -180.0, 180.0) * 1e7));
    };
    const Kept in{static_cast<int>(m.integer("frame")),
                  static_cast<int>(m.integer("command")),
                  m.number("param1"),
                  m.number("param2"),
                  m.number("param3"),
                  m.number("param4"),
                  degrees("x"),
                  degrees("y"),
                  m.number("z")};
    const bool slot = family_.homeSlot() && list == route && upload_.next == 0;
    const int answer = slot ? taken : family_.judge(list, in);
    if (answer != taken) {
        upload_.active = false;
        return acknowledge(m, upload_.list, answer);
    }
    Kept kept = family_.keep(list, in);
    if (slot) {
        kept = {};
        kept.command = 16;
        kept.x = static_cast<std::int32_t>(std::lround(options_.home.lat_deg * 1e7));
        kept.y = static_cast<std::int32_t>(std::lround(options_.home.lon_deg * 1e7));
        kept.z = options_.home_amsl_m;
    }
    upload_.items.push_back(kept);
    upload_.tries = 0;
    if (++upload_.next < upload_.end) return askItem();
    upload_.active = false;
    auto& items = lists_[list];
    if (upload_.part)
        std::copy(upload_.items.begin(), upload_.items.end(), items.begin() + upload_.first);
    else
        items = upload_.items;
    acknowledge(m, upload_.list, taken);
    if (list != route) return;
    const std::string why = family_.objection(items, options_.home);
    valid_ = why.empty();
    if (!valid_) text(3, why);
    if (does_ != Does::route) {
        item_ = 0;
        jumped_.clear();
    }
}

void Aircraft::sendItem(const Message& m) {
    const auto list = static_cast<std::size_t>(m.integer("mission_type"));
    const auto seq = static_cast<std::size_t>(m.integer("seq"));
    if (seq >= lists_[list].size()) return acknowledge(m, static_cast<int>(list), 13);
    const Kept& i = lists_[list][seq];
    Message out(integers() ? "MISSION_ITEM_INT" : "MISSION_ITEM");
    out.set("target_system", m.system).set("target_component", m.component).set("seq", static_cast<double>(seq));
    out.set("frame", i.frame)
        .set("command", i.command)
        .set("autocontinue", 1)
        .set("mission_type", static_cast<double>(list));
    out.set("param1", i.p1).set("param2", i.p2).set("param3", i.p3).set("param4", i.p4);
    if (integers())
        out.setInteger("x", i.x).setInteger("y", i.y);
    else
        out.set("x", i.x * 1e-7).set("y", i.y * 1e-7);
    out.set("z", i.z);
    say(out);
}

// ---- parameters

void Aircraft::sendParameter(const std::string& name) {
    const auto at = parameters_.find(name);
    if (at == parameters_.end()) return;
    constexpr int kInt32 = 6, kFloat = 9;
    float value = static_cast<float>(at->second.value);
    if (family_.parametersBytewise() && at->second.whole) {
        const auto whole = static_cast<std::int32_t>(at->second.value);
        std::memcpy(&value, &whole, sizeof value);
    }
    Message m("PARAM_VALUE");
    m.setText("param_id", name)
        .set("param_type", at->second.whole ? kInt32 : kFloat)
        .set("param_count", static_cast<double>(parameters_.size()))
        .set("param_index", static_cast<double>(std::distance(parameters_.begin(), at)));
    std::memcpy(m.payload + m.info->field("param_value")->offset, &value, sizeof value);
    say(m);
}

void Aircraft::parameterMessage(const Message& m) {
    if (m.is("PARAM_REQUEST_LIST")) {
        for (const auto& [name, p] : parameters_) to_say_.push_back(name);
    } else if (m.is("PARAM_REQUEST_READ")) {
        const auto index = m.integer("param_index");
        if (index < 0) return sendParameter(m.text("param_id"));
        if (index < static_cast<std::int64_t>(parameters_.size()))
            sendParameter(std::next(parameters_.begin(), index)->first);
    } else if (m.is("PARAM_SET")) {
        const std::string name = m.text("param_id");
        const auto at = parameters_.find(name);
        if (at == parameters_.end()) return;
        float value = 0;
        std::memcpy(&value, m.payload + m.info->field("param_value")->offset, sizeof value);
        if (family_.parametersBytewise() && at->second.whole) {
            std::int32_t whole = 0;
            std::memcpy(&whole, &value, sizeof whole);
            at->second.value = whole;
        } else {
            at->second.value = static_cast<double>(value);
        }
        sendParameter(name);
    }
}

// ---- orders

int Aircraft::enter(Does does) {
    if (does == Does::route) {
        if (lists_[route].size() <= (family_.homeSlot() ? 1u : 0u)) return denied;
        if (!valid_) {
            text(3, "Mission not valid");
            return denied;
        }
    }
    does_ = does;
    paused_ = false;
    begun_ = false;
    climbed_ = false;
    if (does == Does::holdsPlace || does == Does::led) {
        led_to_ = place_;
        led_amsl_ = amsl_m_;
    }
    if (does == Does::home) {
        constexpr double kLeastClimb_m = 2.5;
        const Family::WayBack back = family_.wayBack(parameters_);
        const double near = std::max(kLeastClimb_m, back.cone * distance_m(place_, options_.home));
        led_amsl_ =
            std::max(amsl_m_, options_.home_amsl_m + (back.cone > 0 ? std::min(back.height_m, near) : back.height_m));
    }
    modes_.push_back(family_.number(does));
    heartbeat();
    return done;
}

int Aircraft::execute(const Message& m, int command) {
    if (!family_.knowsCommand(command)) return unknown;
    const bool integers = m.is("COMMAND_INT");
    const double p1 = m.number("param1"), p2 = m.number("param2"), p3 = m.number("param3");
    const bool in_air = armed_ && amsl_m_ > options_.home_amsl_m + 0.5;
    switch (command) {
        case 400:
            if (p1 > 0.5) {
                if (!family_.armsIn(does_)) return denied;
                arm();
            } else {
                if (in_air && p2 != 21196) return denied;
                disarm();
            }
            heartbeat();
            return done;
        case 176: {
            const auto does = family_.mode(p1, p2, p3);
            return does ? enter(*does) : denied;
        }
        case 300:
            if (!armed_) {
                if (!family_.startArms()) return denied;
                arm();
            }
            return does_ == Does::route && begun_ ? done : enter(Does::route);
        case 20:
            return armed_ ? enter(Does::home) : denied;
        case 21:
            return armed_ ? enter(Does::lands) : denied;
        case 22: {
            if (!armed_) return denied;
            const double z = integers ? m.number("z") : m.number("param7");
            if (family_.autopilot() == 3 && does_ != Does::led) return failed;
            led_to_ = place_;
            led_amsl_ = family_.ordersAmsl() ? z : options_.home_amsl_m + z;
            does_ = family_.ordersAmsl() ? Does::takesOff : Does::led;
            heartbeat();
            return done;
        }
        case 178:
            if (family_.body() == Body::wing ? p1 != 0 : p1 != 1) return denied;
            if (!(p2 > 0)) return denied;
            speed_mps_ = p2;
            return done;
        case 192: {
            if (!integers) return family_.autopilot() == 3 ? 8 : unknown;
            if (!armed_) return denied;
            const GeoPoint to{m.number("x") * 1e-7, m.number("y") * 1e-7};
            if (!isValid(to)) return denied;
            const auto frame = static_cast<int>(m.integer("frame"));
            const double base = family_.ordersAmsl() || frame == 0 || frame == 5 ? 0 : options_.home_amsl_m;
            enter(Does::led);
            led_to_ = to;
            led_amsl_ = base + m.number("z");
            return done;
        }
        case 193:
            paused_ = p1 < 0.5;
            led_to_ = place_;
            led_amsl_ = amsl_m_;
            return done;
        case 224:
            begin(static_cast<std::size_t>(std::max(0.0, p1)));
            return done;
        case 511:
            return done;
        case 512: {
            const auto wanted = static_cast<int>(p1);
            if (wanted == 148)
                say(Message("AUTOPILOT_VERSION")
                        .setInteger("capabilities", static_cast<std::int64_t>(family_.capabilities()))
                        .set("flight_sw_version", 0x04050000));
            else if (wanted == 242)
                said_s_ = -1;
            else
                return unknown;
            return done;
        }
        default:
            return unknown;
    }
}

void Aircraft::order(const Message& m) {
    const auto command = static_cast<int>(m.integer("command"));
    const int answer = execute(m, command);
    say(Message("COMMAND_ACK")
            .set("command", command)
            .set("result", answer)
            .set("target_system", m.system)
            .set("target_component", m.component));
}

// ---- log

OnboardLog::Moment Aircraft::moment() const {
    const double left = battery_ / 100;
    return {t_s_,
            place_,
            amsl_m_,
            options_.home_amsl_m,
            length(velocity_),
            climb_mps_,
            yaw_deg_,
            14 + 2.8 * left,
            armed_ ? 12.0 : 0.5,
            left,
            family_.number(does_)};
}

void Aircraft::arm() {
    if (armed_) return;
    armed_ = true;
    armed_s_ = t_s_;
    std::map<std::string, double> held;
    for (const auto& [name, p] : parameters_) held[name] = p.value;
    log_.begin(options_.unix_s + t_s_, moment(), held);
}

void Aircraft::disarm() {
    armed_ = false;
    log_.end();
    velocity_ = push_ = {};
    climb_mps_ = 0;
    photo_every_m_ = photo_every_s_ = 0;
    if (does_ == Does::route || does_ == Does::lands || does_ == Does::home) does_ = Does::nothing;
    heartbeat();
}

// ---- saying

void Aircraft::heartbeat() {
    constexpr int kCustom = 1, kAuto = 4, kArmed = 128, kStandby = 3, kActive = 4;
    const bool plain = family_.autopilot() == 0;
    say(Message("HEARTBEAT")
            .set("custom_mode", family_.number(does_))
            .set("type", family_.type())
            .set("autopilot", family_.autopilot())
            .set("base_mode", (plain ? 0 : kCustom) + (armed_ ? kArmed : 0) + (does_ == Does::route ? kAuto : 0))
            .set("system_status", armed_ ? kActive : kStandby)
            .set("mavlink_version", 3));
}

void Aircraft::telemetry() {
    const double every = std::max(0.1, options_.pace / 60);
    if (t_s_ - said_s_ < every) return;
    const bool second = std::floor(t_s_) != std::floor(said_s_) || options_.pace > 10;
    said_s_ = t_s_;
    say(Message("GLOBAL_POSITION_INT")
            .set("time_boot_ms", t_s_ * 1000)
            .set("lat", place_.lat_deg * 1e7)
            .set("lon", place_.lon_deg * 1e7)
            .set("alt", amsl_m_ * 1000)
            .set("relative_alt", (amsl_m_ - options_.home_amsl_m) * 1000)
            .set("vx", velocity_.y * 100)
            .set("vy", velocity_.x * 100)
            .set("vz", -climb_mps_ * 100)
            .set("hdg", wrapBearing(yaw_deg_) * 100));
    say(Message("ATTITUDE").set("time_boot_ms", t_s_ * 1000).set("yaw", std::remainder(yaw_deg_, 360.0) * M_PI / 180));
    say(Message("VFR_HUD")
            .set("groundspeed", length(velocity_))
            .set("airspeed", length(velocity_))
            .set("alt", amsl_m_)
            .set("climb", climb_mps_)
            .set("heading", std::floor(wrapBearing(yaw_deg_)))
            .set("throttle", armed_ ? 50 : 0));
    if (!second) return;
    say(Message("MISSION_CURRENT")
            .set("seq", static_cast<double>(item_))
            .set("total", static_cast<double>(lists_[route].size()))
            .set("mission_state",
                 family_.state(lists_[route].empty() || !valid_, does_ == Does::route, armed_ && item_ > 0)));
    say(Message("SYS_STATUS")
            .set("voltage_battery", 15200)
            .set("current_battery", armed_ ? 1200 : 50)
            .set("battery_remaining", std::round(battery_)));
    say(Message("GPS_RAW_INT")
            .set("fix_type", 3)
            .set("lat", place_.lat_deg * 1e7)
            .set("lon", place_.lon_deg * 1e7)
            .set("alt", amsl_m_ * 1000)
            .set("eph", 80)
            .set("satellites_visible", 14));
    say(Message("HOME_POSITION")
            .set("latitude", options_.home.lat_deg * 1e7)
            .set("longitude", options_.home.lon_deg * 1e7)
            .set("altitude", options_.home_amsl_m * 1000));
    say(Message("EXTENDED_SYS_STATE").set("landed_state", armed_ && amsl_m_ > options_.home_amsl_m + 0.5 ? 2 : 1));
}

void Aircraft::advance(double seconds) {
    const std::lock_guard lock(mutex_);
    wall_s_ += seconds;
    owed_s_ += seconds * options_.pace;
    if (wall_s_ - beat_s_ >= std::clamp(1 / options_.pace, 0.05, 1.0)) {
        beat_s_ = wall_s_;
        heartbeat();
    }
    if (upload_.active && wall_s_ - upload_.asked_s > 1) {
        if (++upload_.tries > 8)
            upload_.active = false;
        else
            askItem();
    }
    for (int i = 0; i < 10 && !to_say_.empty(); ++i) {
        sendParameter(to_say_.front());
        to_say_.erase(to_say_.begin());
    }
    log_.advance(seconds, [this](Message m) { say(std::move(m)); });
    for (int i = 0; i < kMaxSteps && owed_s_ >= kStep_s; ++i) {
        owed_s_ -= kStep_s;
        step(kStep_s);
        telemetry();
    }
    if (owed_s_ > kMaxSteps * kStep_s) owed_s_ = 0;
}

}  // namespace anhinga::families

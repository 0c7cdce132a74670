#include "core/watch/Alarms.h"

#include <algorithm>

#include "core/base/Text.h"

namespace anhinga {

namespace {
constexpr double kFenceNear_m = 15, kFenceAhead_s = 5;
constexpr double kHeightOff_m = 6, kHeightOffTime_s = 3;
constexpr double kBeside_m = 25;
constexpr int kPhotosMissing = 3;
constexpr double kBatteryBelow_percent = 6;
}  // namespace

std::string lostLinkText(double seconds, SafetyAction action) {
    const char* then = "";
    switch (action) {
        case SafetyAction::returnHome:
            then = "it returns home by itself";
            break;
        case SafetyAction::land:
            then = "it lands where it is by itself";
            break;
        case SafetyAction::hold:
            then = "it holds where it is";
            break;
        case SafetyAction::carryOn:
            then = "it carries on with its mission";
            break;
    }
    return fmt::format("Link lost for {:.0f} s: as planned, {}", seconds, then);
}

void AlarmWatch::setPlan(const Plan& plan) {
    lost_link_ = plan.lost_link;
    reserve_percent_ = plan.vehicle.reserve_percent;
    if (frame_ && plan.fences == fence_list_) return;
    fence_list_ = plan.fences;
    frame_.reset();
    fences_.reset();
    if (!plan.home) return;
    frame_.emplace(plan.home->position);
    fences_.emplace(plan.fences, *frame_);
}

void AlarmWatch::lookAtLink(const VehicleSnapshot& v, FoundMap& found) const {
    if (v.heartbeat_age_s > kHeartbeatLost_s)
        found["link"] = {v.armed ? AlarmLevel::danger : AlarmLevel::warn,
                         v.armed ? lostLinkText(v.heartbeat_age_s, lost_link_)
                                 : fmt::format("Link lost for {:.0f} s", v.heartbeat_age_s)};
    else if (v.link.recent_loss > 0.25)
        found["loss"] = {AlarmLevel::warn,
                         fmt::format("Link is poor: {:.0f} % of the packets are lost", 100 * v.link.recent_loss)};
    if (v.link.wrong_signature > 0)
        found["signature"] = {AlarmLevel::warn, "Packets with another signing key are received; they are not believed"};
    if (v.link.other_address > 0)
        found["address"] = {AlarmLevel::warn,
                            fmt::format("Somebody else speaks as vehicle {}; that is not believed", v.system)};
    if (v.link.two_voices)
        found["two"] = {AlarmLevel::danger,
                        fmt::format("Two aircraft speak as vehicle {}: clock or place jump to and fro", v.system)};
}

void AlarmWatch::lookAtFences(const VehicleSnapshot& v, FoundMap& found) const {
    const bool said = v.fence_breached.value_or(false);
    if (said) found["fence"] = {AlarmLevel::danger, "Fence broken, says the aircraft"};
    if (!v.armed || !v.position || !fences_) return;
    const Vec2 here = frame_->toLocal(*v.position);
    const double course = v.course_deg.value_or(0) * M_PI / 180, speed = v.ground_mps.value_or(0);
    const Vec2 ahead = here + Vec2{std::sin(course), std::cos(course)} * (speed * kFenceAhead_s);
    for (std::size_t i = 0; i < fences_->size(); ++i) {
        const Fence& fence = fence_list_[fences_->source(i)];
        const std::string name =
            fence.name.empty() ? (fence.kind == FenceKind::keepIn ? "keep-in" : "keep-out") : fence.name;
        if (!fences_->allows(i, here)) {
            if (!said)
                found["fence"] = {
                    AlarmLevel::danger,
                    fmt::format("{} fence {}", fence.kind == FenceKind::keepIn ? "Outside the" : "Inside the", name)};
            continue;
        }
        double near_m = 0;
        if (fence.isCircle()) {
            near_m = std::abs(length(here - frame_->toLocal(fence.outline.front())) - fence.radius_m);
        } else {
            near_m = distanceToRing(here, toLocal(*frame_, fence.outline));
        }
        if (near_m < kFenceNear_m || !fences_->allows(i, ahead))
            found["fence near"] = {AlarmLevel::warn,
                                   fmt::format("{:.0f} m from the {} fence{}", near_m, name,
                                               !fences_->allows(i, ahead) ? ", and flying towards it" : "")};
    }
}

void AlarmWatch::lookAtFlight(const VehicleSnapshot& v, const std::optional<FlightProgress>& p, double now_s,
                              FoundMap& found) {
    if (v.battery_percent && v.armed) {
        if (*v.battery_percent <= reserve_percent_)
            found["battery"] = {AlarmLevel::danger, fmt::format("Battery at {:.0f} %: the reserve begins at {:.0f} %",
                                                                *v.battery_percent, reserve_percent_)};
        else if (p && p->battery_at_landing && *p->battery_at_landing < reserve_percent_)
            found["battery"] = {
                *p->battery_at_landing < reserve_percent_ / 2 ? AlarmLevel::danger : AlarmLevel::warn,
                fmt::format("Battery will not do: lands with {:.0f} % at this rate, the reserve is {:.0f} %",
                            std::max(0.0, *p->battery_at_landing), reserve_percent_)};
        else if (p && p->battery_percent && *v.battery_percent < *p->battery_percent - kBatteryBelow_percent)
            found["battery"] = {AlarmLevel::warn, fmt::format("Battery at {:.0f} %, rehearsed {:.0f} % at this place",
                                                              *v.battery_percent, *p->battery_percent)};
    }
    bool height_off = false;
    if (p && v.height_home_m && p->height_home_m && modeKind(v) == ModeKind::mission && p->beside_m < kBeside_m) {
        const double off = *v.height_home_m - *p->height_home_m;
        height_off = std::abs(off) > kHeightOff_m;
        if (height_off && height_off_since_s_ && now_s - *height_off_since_s_ > kHeightOffTime_s)
            found["height"] = {
                AlarmLevel::danger,
                fmt::format("{:.0f} m {} than rehearsed at this place: {:.0f} m instead of {:.0f} m above home",
                            std::abs(off), off > 0 ? "higher" : "lower", *v.height_home_m, *p->height_home_m)};
    }
    if (!height_off)
        height_off_since_s_.reset();
    else if (!height_off_since_s_)
        height_off_since_s_ = now_s;
    if (p && p->beside_m > 2 * kBeside_m && modeKind(v) == ModeKind::mission)
        found["beside"] = {AlarmLevel::warn, fmt::format("{:.0f} m from where it was rehearsed to be", p->beside_m)};
    if (p && v.armed && p->photos - v.photos >= kPhotosMissing)
        found["photos"] = {
            AlarmLevel::warn,
            fmt::format("{} photos reported, {} planned up to here: is the camera taking any?", v.photos, p->photos)};
}

void AlarmWatch::lookAtSensors(const VehicleSnapshot& v, FoundMap& found) const {
    if (v.fix && *v.fix < 3 && (v.armed || v.home))
        found["gps"] = {v.armed ? AlarmLevel::danger : AlarmLevel::warn, fmt::format("GPS: {}", fixText(*v.fix))};
    else if (v.armed && ((v.hdop && *v.hdop > 2.5) || (v.satellites && *v.satellites < 7)))
        found["gps"] = {AlarmLevel::warn, fmt::format("GPS is weak: {} satellites, HDOP {:.1f}",
                                                      v.satellites.value_or(0), v.hdop.value_or(0))};
    if (v.position_ratio && *v.position_ratio > 1 && v.armed)
        found["position"] = {AlarmLevel::danger, "The aircraft does not trust its position: GPS and motion disagree"};
    if (v.compass_ratio && *v.compass_ratio > 1)
        found["compass"] = {v.armed ? AlarmLevel::danger : AlarmLevel::warn,
                            "The aircraft does not trust its compass: look for iron or current near it"};
    const double shaking = std::max({v.vibration_x.value_or(0), v.vibration_y.value_or(0), v.vibration_z.value_or(0)});
    constexpr double kShaking = 30;
    if (v.armed && shaking > kShaking)
        found["vibration"] = {AlarmLevel::warn,
                              fmt::format("Strong vibration: {:.0f} m/s²; land and look for what is loose", shaking)};
    constexpr int kCritical = 5;
    if (v.armed && v.system_status >= kCritical)
        found["state"] = {AlarmLevel::danger, "The aircraft says it is in an emergency"};
}

void AlarmWatch::lookAtPilot(const VehicleSnapshot& v, FoundMap& found) {
    const PilotInput pilot = pilotInput(v, &parameters_);
    if (!v.armed) {
        switch_at_arming_.reset();
        pilot_heard_ = false;
        return;
    }
    if (!pilot.heard) {
        if (pilot_heard_) found["pilot"] = {AlarmLevel::danger, "The aircraft no longer hears the pilot's transmitter"};
        return;
    }
    pilot_heard_ = true;
    if (!switch_at_arming_) switch_at_arming_ = pilot.mode_position;
    if (switch_at_arming_ && pilot.mode_position && *pilot.mode_position != *switch_at_arming_)
        found["pilot"] = {
            AlarmLevel::warn,
            fmt::format("The pilot has moved the mode switch to position {}{}; it is {} now", *pilot.mode_position,
                        pilot.mode.empty() ? "" : " (" + pilot.mode + ")", modeName(v))};
}

bool AlarmWatch::watch(const VehicleSnapshot& v, const std::optional<FlightProgress>& progress, double now_s) {
    if (!v.heard) return false;
    FoundMap found;
    lookAtLink(v, found);
    if (!recording_problem_.empty()) found["recording"] = {AlarmLevel::warn, "This flight: " + recording_problem_};
    if (v.heartbeat_age_s <= kHeartbeatLost_s) {
        lookAtFences(v, found);
        lookAtFlight(v, progress, now_s, found);
        lookAtSensors(v, found);
        lookAtPilot(v, found);
        // What the aircraft itself calls critical; each such message once.
        constexpr int kCriticalText = 2;
        for (const SpokenText& t : *v.texts) {
            if (t.number <= last_text_) continue;
            last_text_ = t.number;
            if (t.severity <= kCriticalText)
                found["said " + std::to_string(t.number)] = {AlarmLevel::danger, "Aircraft: " + t.text, true};
        }
    }
    bool changed = false;
    // A long text comes in pieces: what was raised with the first of them grows.
    for (const SpokenText& t : *v.texts)
        for (Alarm& a : alarms_)
            if (const std::string whole = "Aircraft: " + t.text;
                a.id == "said " + std::to_string(t.number) && a.text.size() < whole.size()) {
                a.text = whole;
                changed = true;
            }
    for (Alarm& a : alarms_) {
        const auto at = found.find(a.id);
        const bool over = at == found.end();
        if (over != a.over) changed = true;
        if (!over) {
            if (at->second.level > a.level) {
                a.acknowledged = false;
                changed = true;
                a.since_s = now_s;
                raised_.push_back({a.id, at->second.level, at->second.text, now_s});
            }
            if (a.text != at->second.text) changed = true;
            a.level = at->second.level;
            a.text = at->second.text;
            if (a.over) a.acknowledged = false;  // it has come back
        }
        a.over = over;
    }
    const auto gone = std::remove_if(alarms_.begin(), alarms_.end(), [](const Alarm& a) {
        return a.over && (a.acknowledged || a.level < AlarmLevel::danger);
    });
    if (gone != alarms_.end()) {
        alarms_.erase(gone, alarms_.end());
        changed = true;
    }
    for (const auto& [id, f] : found) {
        if (std::any_of(alarms_.begin(), alarms_.end(), [&, key = id](const Alarm& a) { return a.id == key; }))
            continue;
        alarms_.insert(alarms_.begin(), {id, f.level, f.text, now_s});
        alarms_.front().once = f.once;
        raised_.push_back(alarms_.front());
        changed = true;
    }
    if (changed)
        std::stable_sort(alarms_.begin(), alarms_.end(), [](const Alarm& a, const Alarm& b) {
            return std::tuple(!a.acknowledged, a.level, a.since_s) > std::tuple(!b.acknowledged, b.level, b.since_s);
        });
    return changed;
}

void AlarmWatch::acknowledge(const std::string& id) {
    for (Alarm& a : alarms_)
        if (a.id == id || id.empty()) a.acknowledged = true;
    std::erase_if(alarms_, [](const Alarm& a) { return a.over && a.acknowledged; });
}

std::vector<Alarm> AlarmWatch::takeRaised() {
    return std::exchange(raised_, {});
}

void AlarmWatch::clear() {
    alarms_.clear();
    raised_.clear();
    height_off_since_s_.reset();
    switch_at_arming_.reset();
    pilot_heard_ = false;
}

}  // namespace anhinga

#include "core/mission/Compile.h"

#include <cmath>
#include <map>
#include <set>

namespace anhinga {

namespace {

constexpr float kUnset = NAN;

class Compiler {
  public:
    Compiler(const Plan& plan, const Route& route) : plan_(plan), route_(route) {}

    Result<Mission> run() {
        if (!plan_.home) return fail("the plan has no home: set it on the map first");
        if (plan_.traits.item0_is_home)
            add(0, {.frame = frame::amsl,
                    .command = cmd::waypoint,
                    .x = toE7(plan_.home->position.lat_deg),
                    .y = toE7(plan_.home->position.lon_deg),
                    .z = static_cast<float>(plan_.home->amsl_m.value_or(0))});
        std::set<ItemId> targets;
        bool speeds_differ = false;
        for (const RouteStep& step : route_.steps) {
            if (const Repeat* repeat = repeatOf(step)) targets.insert(repeat->target);
            if (const auto* nav = std::get_if<RouteNav>(&step.what))
                speeds_differ |= carriesSpeed(nav->kind) && nav->speed_mps != plan_.defaults.speed_mps;
        }
        for (const RouteStep& step : route_.steps) {
            first_seq_.try_emplace(step.source, mission_.items.size());
            if (const auto* nav = std::get_if<RouteNav>(&step.what)) {
                const bool first_of_item = started_.insert(step.source).second;
                const bool target = speeds_differ && first_of_item && targets.contains(step.source);
                if (carriesSpeed(nav->kind) && (nav->speed_mps != speed_ || target)) {
                    speed_ = nav->speed_mps;
                    add(step.source, {.frame = frame::mission,
                                      .command = cmd::changeSpeed,
                                      .param1 = 1,
                                      .param2 = static_cast<float>(speed_),
                                      .param3 = -1});
                }
                addNav(step.source, *nav);
            } else {
                addAction(step.source, std::get<Action>(step.what));
            }
        }
        if (mission_.items.size() <= (plan_.traits.item0_is_home ? 1u : 0u)) return fail("the plan has nothing to fly");
        if (mission_.items.size() > 65535) return fail("{} items: MAVLink counts to 65535", mission_.items.size());
        for (const auto& [index, target] : jumps_) {
            const auto at = first_seq_.find(target);
            if (at == first_seq_.end())
                return fail("the repeat at {} has no target: choose the item to go to",
                            itemText(plan_, mission_.source[index]));
            mission_.items[index].param1 = static_cast<float>(at->second);
        }
        return std::move(mission_);
    }

  private:
    static bool carriesSpeed(ItemKind kind) { return kind != ItemKind::takeOff && kind != ItemKind::returnHome; }
    static const Repeat* repeatOf(const RouteStep& step) {
        const auto* action = std::get_if<Action>(&step.what);
        return action != nullptr ? std::get_if<Repeat>(action) : nullptr;
    }
    void add(ItemId source, MissionItem item) {
        item.seq = static_cast<std::uint16_t>(mission_.items.size());
        mission_.items.push_back(item);
        mission_.source.push_back(source);
    }
    void addNav(ItemId source, const RouteNav& nav) {
        MissionItem item;
        item.frame = frameOf(nav.height.ref);
        item.x = toE7(nav.position.lat_deg);
        item.y = toE7(nav.position.lon_deg);
        item.z = static_cast<float>(nav.height.value_m);
        item.param4 = kUnset;
        switch (nav.kind) {
            case ItemKind::takeOff:
                item.command = cmd::takeOff;
                item.x = item.y = 0;
                break;
            case ItemKind::hold:
                item.command = cmd::loiterTime;
                item.param1 = static_cast<float>(nav.hold_s);
                break;
            case ItemKind::holdTurns:
                item.command = cmd::loiterTurns;
                item.param1 = static_cast<float>(std::abs(nav.turns));
                item.param3 = static_cast<float>(nav.turns < 0 ? -nav.radius_m : nav.radius_m);
                break;
            case ItemKind::loiterToHeight:
                item.command = cmd::loiterToHeight;
                break;
            case ItemKind::land:
                item.command = cmd::land;
                break;
            case ItemKind::returnHome:
                item = {};
                item.frame = frame::mission;
                item.command = cmd::returnHome;
                break;
            default:
                item.command = nav.spline ? cmd::spline : cmd::waypoint;
                if (!nav.spline) item.param2 = static_cast<float>(nav.acceptance_m);
        }
        add(source, item);
    }
    void addAction(ItemId source, const Action& action) {
        MissionItem item;
        item.frame = frame::mission;
        if (const auto* repeat = std::get_if<Repeat>(&action)) {
            item.command = cmd::jump;
            item.param2 = static_cast<float>(repeat->count);
            jumps_.emplace_back(mission_.items.size(), repeat->target);
        } else if (const auto* look = std::get_if<LookAt>(&action)) {
            item.command = cmd::lookAt;
            item.frame = frameOf(look->height.ref);
            item.x = toE7(look->place.lat_deg);
            item.y = toE7(look->place.lon_deg);
            item.z = static_cast<float>(look->height.value_m);
        } else if (std::holds_alternative<LookAtStop>(action)) {
            item.command = cmd::lookAtStop;
        } else if (std::holds_alternative<PhotoNow>(action)) {
            item.command = cmd::photoNow;
            item.x = 1;  // param5: one shot
        } else if (const auto* every = std::get_if<PhotoEvery>(&action)) {
            item.command = cmd::photoDistance;
            item.param1 = static_cast<float>(every->distance_m);
            item.param3 = every->distance_m > 0 ? 1.0f : 0.0f;  // first photo at once
        } else if (const auto* interval = std::get_if<PhotoInterval>(&action)) {
            item.command = interval->interval_s > 0 ? cmd::photoInterval : cmd::photoStop;
            item.param2 = static_cast<float>(interval->interval_s);
        } else if (const auto* video = std::get_if<Video>(&action)) {
            item.command = video->on ? cmd::videoStart : cmd::videoStop;
        } else if (const auto* delay = std::get_if<Delay>(&action)) {
            item.command = cmd::delay;
            item.param1 = static_cast<float>(delay->delay_s);
            item.param2 = item.param3 = item.param4 = -1;  // no time of day
        } else if (const auto* heading = std::get_if<SetHeading>(&action)) {
            item.command = cmd::heading;
            item.param1 = static_cast<float>(heading->heading_deg);
        } else if (const auto* servo = std::get_if<Servo>(&action)) {
            item.command = cmd::servo;
            item.param1 = static_cast<float>(servo->channel);
            item.param2 = static_cast<float>(servo->pulse_us);
        } else if (const auto* relay = std::get_if<Relay>(&action)) {
            item.command = cmd::relay;
            item.param1 = static_cast<float>(relay->number);
            item.param2 = relay->on ? 1.0f : 0.0f;
        } else if (const auto* gimbal = std::get_if<GimbalPitch>(&action)) {
            item.command = cmd::mountControl;
            item.param1 = static_cast<float>(gimbal->pitch_deg);
            item.z = 2;  // param7: MAV_MOUNT_MODE_MAVLINK_TARGETING
        } else if (const auto* raw = std::get_if<RawCommand>(&action)) {
            item = {0,
                    static_cast<std::uint8_t>(raw->frame),
                    static_cast<std::uint16_t>(raw->command),
                    raw->param1,
                    raw->param2,
                    raw->param3,
                    raw->param4,
                    raw->x,
                    raw->y,
                    raw->z};
        }
        add(source, item);
    }

    const Plan& plan_;
    const Route& route_;
    Mission mission_;
    double speed_ = -1;
    std::map<ItemId, std::size_t> first_seq_;
    std::set<ItemId> started_;
    std::vector<std::pair<std::size_t, ItemId>> jumps_;
};

/// The item as a word of ours, where it has one and compiles back to the same.
std::optional<Action> actionOf(const MissionItem& i) {
    switch (i.command) {
        case cmd::lookAt:
            return LookAt{placeOf(i), {static_cast<double>(i.z), refOf(i.frame)}, ""};
        case cmd::lookAtStop:
            return LookAtStop{};
        case cmd::photoNow:
            return PhotoNow{};
        case cmd::photoDistance:
            return PhotoEvery{static_cast<double>(i.param1)};
        case cmd::mountControl:
            return GimbalPitch{static_cast<double>(i.param1)};
        case cmd::photoInterval:
            return PhotoInterval{static_cast<double>(i.param2)};
        case cmd::photoStop:
            return PhotoInterval{0};
        case cmd::videoStart:
            return Video{true};
        case cmd::videoStop:
            return Video{false};
        case cmd::delay:
            return Delay{static_cast<double>(i.param1)};
        case cmd::heading:
            if (i.param4 != 0) return std::nullopt;  // relative turns have no word here
            return SetHeading{static_cast<double>(i.param1)};
        case cmd::servo:
            return Servo{static_cast<int>(i.param1), static_cast<int>(i.param2)};
        case cmd::relay:
            return Relay{static_cast<int>(i.param1), i.param2 != 0};
        default:
            return std::nullopt;
    }
}

std::optional<ItemKind> kindOf(const MissionItem& i) {
    switch (i.command) {
        case cmd::takeOff:
            return ItemKind::takeOff;
        case cmd::waypoint:
            return i.param1 > 0 ? ItemKind::hold : ItemKind::waypoint;
        case cmd::spline:
            return ItemKind::waypoint;
        case cmd::loiterTime:
            return ItemKind::hold;
        case cmd::loiterTurns:
            return ItemKind::holdTurns;
        case cmd::loiterToHeight:
            return ItemKind::loiterToHeight;
        case cmd::land:
            return ItemKind::land;
        case cmd::returnHome:
            return ItemKind::returnHome;
        default:
            return std::nullopt;
    }
}

Result<std::vector<Fence>> fencesOf(const std::vector<MissionItem>& items, Plan& plan) {
    std::vector<Fence> fences;
    for (std::size_t i = 0; i < items.size();) {
        const MissionItem& first = items[i];
        if (first.command == cmd::fenceCircleIn || first.command == cmd::fenceCircleOut) {
            if (!isValid(placeOf(first)) || !(first.param1 > 0))
                return fail("fence item {}: a circle without a place or a radius", i);
            Fence circle;
            circle.id = plan.newId();
            circle.kind = first.command == cmd::fenceCircleIn ? FenceKind::keepIn : FenceKind::keepOut;
            circle.outline = {placeOf(first)};
            circle.radius_m = static_cast<double>(first.param1);
            fences.push_back(circle);
            ++i;
            continue;
        }
        if (first.command != cmd::fenceKeepIn && first.command != cmd::fenceKeepOut)
            return fail("fence item {}: {} is not known to this version", i, commandText(first.command));
        const auto corners = static_cast<std::size_t>(std::max(0.0f, first.param1));
        if (corners < 3 || corners > items.size() - i)
            return fail("fence item {}: a polygon of {} corners is not complete", i, corners);
        Fence fence{
            plan.newId(), first.command == cmd::fenceKeepIn ? FenceKind::keepIn : FenceKind::keepOut, "", {}, ""};
        for (std::size_t k = 0; k < corners; ++k) {
            if (!isValid(placeOf(items[i + k]))) return fail("fence item {}: not a place on the earth", i + k);
            fence.outline.push_back(placeOf(items[i + k]));
        }
        fences.push_back(fence);
        i += corners;
    }
    return fences;
}

}  // namespace

Result<Mission> compileMission(const Plan& plan, const Route& route) {
    return Compiler(plan, route).run();
}

std::vector<MissionItem> compileFences(const Plan& plan) {
    std::vector<MissionItem> items;
    for (const Fence& fence : plan.fences) {
        const bool in = fence.kind == FenceKind::keepIn;
        for (const GeoPoint& p : fence.outline) {
            MissionItem item{.seq = static_cast<std::uint16_t>(items.size()),
                             .frame = frame::amsl,
                             .command = in ? cmd::fenceKeepIn : cmd::fenceKeepOut,
                             .param1 = static_cast<float>(fence.outline.size()),
                             .x = toE7(p.lat_deg),
                             .y = toE7(p.lon_deg)};
            if (fence.isCircle()) {
                item.command = in ? cmd::fenceCircleIn : cmd::fenceCircleOut;
                item.param1 = static_cast<float>(fence.radius_m);
            }
            items.push_back(item);
        }
    }
    return items;
}

std::vector<MissionItem> compileRally(const Plan& plan) {
    std::vector<MissionItem> items;
    for (const RallyPoint& r : plan.rally)
        items.push_back({.seq = static_cast<std::uint16_t>(items.size()),
                         .frame = frameOf(r.height.ref),
                         .command = cmd::rally,
                         .x = toE7(r.position.lat_deg),
                         .y = toE7(r.position.lon_deg),
                         .z = static_cast<float>(r.height.value_m)});
    return items;
}

Result<Decompiled> decompile(const MissionSet& held, const Plan& base) {
    const std::vector<MissionItem>& mission = held.mission;
    Decompiled out;
    Plan& plan = out.plan;
    plan = base;
    plan.items.clear();
    plan.fences.clear();
    plan.rally.clear();
    plan.sections.clear();
    plan.cuts.clear();
    plan.next_id = 1;
    auto fences = fencesOf(held.fence, plan);
    if (!fences) return tl::unexpected(fences.error());
    std::size_t start = 0;
    if (plan.traits.item0_is_home && !mission.empty()) {
        if (!isValid(placeOf(mission[0]))) return fail("item 0: home is not a place on the earth");
        plan.home = Home{placeOf(mission[0]), static_cast<double>(mission[0].z)};
        start = 1;
    }
    bool default_speed_known = false;
    double speed = plan.defaults.speed_mps;
    std::vector<ItemId> item_of(mission.size(), 0);
    std::vector<std::pair<ItemId, std::size_t>> jumps;  // item, index among its actions
    std::vector<Action> early;
    std::size_t speed_from = mission.size();
    for (std::size_t i = start; i < mission.size(); ++i) {
        const MissionItem& m = mission[i];
        if (hasPlace(m) && !isValid(placeOf(m))) return fail("item {}: not a place on the earth", i);
        if (m.command == cmd::changeSpeed && (m.param1 == 0 || m.param1 == 1) && m.param2 > 0 && m.param3 <= 0) {
            speed = static_cast<double>(m.param2);
            if (!default_speed_known) plan.defaults.speed_mps = speed;
            default_speed_known = true;
            speed_from = std::min(speed_from, i);
            continue;
        }
        if (const auto kind = kindOf(m)) {
            Item item;
            item.id = plan.newId();
            item.kind = *kind;
            if (hasPlace(m)) item.position = placeOf(m);
            if (*kind != ItemKind::returnHome) item.height = Height{static_cast<double>(m.z), refOf(m.frame)};
            if (*kind != ItemKind::takeOff && *kind != ItemKind::returnHome && speed != plan.defaults.speed_mps)
                item.speed_mps = speed;
            item.spline = m.command == cmd::spline;
            if (*kind == ItemKind::holdTurns) {
                item.radius_m = std::clamp(static_cast<double>(std::abs(m.param3)), 1.0, 10000.0);
                item.turns = static_cast<double>(m.param1) * (m.param3 < 0 ? -1 : 1);
            }
            if (m.command == cmd::waypoint && *kind == ItemKind::waypoint && m.param2 > 0)
                item.acceptance_m = static_cast<double>(m.param2);
            if (*kind == ItemKind::hold) item.hold_s = static_cast<double>(m.param1);
            if (m.command == cmd::waypoint && *kind == ItemKind::hold)
                out.notes.push_back(fmt::format("item {}: a waypoint with a hold time is shown as a hold", i));
            item.actions = std::move(early);
            early.clear();
            for (std::size_t k = speed_from; k < i; ++k) item_of[k] = item.id;
            item_of[i] = item.id;
            plan.items.push_back(std::move(item));
        } else {
            Action action = RawCommand{m.frame, m.command, m.param1, m.param2, m.param3, m.param4, m.x, m.y, m.z};
            if (const auto known = actionOf(m))
                action = *known;
            else if (m.command != cmd::jump)
                out.notes.push_back(fmt::format("item {}: {} is kept as it is", i, commandText(m.command)));
            if (plan.items.empty()) {
                if (m.command == cmd::jump) return fail("item {}: a repeat before anything is flown", i);
                early.push_back(action);
                out.notes.push_back(fmt::format("item {}: {} stands before the first item; it now follows it", i,
                                                commandText(m.command)));
            } else {
                Item& last = plan.items.back();
                if (m.command == cmd::jump) {
                    const auto target = static_cast<std::size_t>(std::max(0.0f, m.param1));
                    action = Repeat{static_cast<ItemId>(target), static_cast<int>(m.param2)};
                    jumps.emplace_back(last.id, last.actions.size());
                }
                item_of[i] = last.id;
                last.actions.push_back(action);
            }
        }
        speed_from = mission.size();
    }
    for (const auto& [id, index] : jumps) {
        auto& repeat = std::get<Repeat>(plan.find(id)->actions[index]);
        const std::size_t seq = repeat.target;
        repeat.target = seq < item_of.size() ? item_of[seq] : 0;
        if (repeat.target == 0) out.notes.push_back(fmt::format("a repeat goes to item {}, which is not flown", seq));
    }
    plan.fences = std::move(*fences);
    for (const MissionItem& r : held.rally) {
        if (r.command != cmd::rally)
            return fail("rally item {}: {} is not known to this version", r.seq, commandText(r.command));
        if (!isValid(placeOf(r))) return fail("rally item {}: not a place on the earth", r.seq);
        plan.rally.push_back({plan.newId(), "", placeOf(r), {static_cast<double>(r.z), refOf(r.frame)}, ""});
    }
    return out;
}

}  // namespace anhinga

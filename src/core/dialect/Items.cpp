#include "core/dialect/Items.h"

#include <cmath>

#include "core/base/Each.h"
#include "core/base/Numbers.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {

constexpr float kUnset = NAN;

// What a plan file holds of them (core/plan/PlanRead.cpp).
constexpr float kMostChannel = 64, kMostPulse_us = 5000, kMostJump = 32767;

/// A number that an aircraft sent is a whole one that can be meant.
bool wholeUpTo(float value, float most) {
    return value >= 0 && value <= most && value == std::floor(value);
}

float toFloat(double value) {
    return static_cast<float>(value);
}

MissionItem itemOf(const ProgramLeg& leg) {
    MissionItem item;
    item.frame = frameOf(leg.height.ref);
    item.x = toE7(leg.place.lat_deg);
    item.y = toE7(leg.place.lon_deg);
    item.z = toFloat(leg.height.value_m);
    item.param4 = kUnset;
    switch (leg.kind) {
        case LegKind::takeOff:
            item.command = cmd::takeOff;
            item.x = item.y = 0;
            break;
        case LegKind::hold:
            item.command = cmd::loiterTime;
            item.param1 = toFloat(leg.hold_s);
            if (leg.radius_m != 0) item.param3 = toFloat(leg.radius_m);
            break;
        case LegKind::circle:
            item.command = cmd::loiterTurns;
            item.param1 = toFloat(std::abs(leg.turns));
            item.param3 = toFloat(leg.turns < 0 ? -leg.radius_m : leg.radius_m);
            break;
        case LegKind::toHeight:
            item.command = cmd::loiterToHeight;
            break;
        case LegKind::stay:
            item.command = cmd::loiterForEver;
            item.param3 = toFloat(leg.radius_m);
            break;
        case LegKind::land:
            item.command = cmd::land;
            break;
        case LegKind::returnHome:
            item = {};
            item.frame = frame::mission;
            item.command = cmd::returnHome;
            break;
        case LegKind::wait:
            item = {};
            item.frame = frame::mission;
            item.command = cmd::delay;
            item.param1 = toFloat(leg.hold_s);
            item.param2 = item.param3 = item.param4 = -1;  // no time of day
            break;
        case LegKind::pass:
            item.command = leg.spline ? cmd::spline : cmd::waypoint;
            item.param1 = toFloat(leg.hold_s);
            if (!leg.spline) item.param2 = toFloat(leg.acceptance_m);
            break;
    }
    return item;
}

MissionItem itemOf(const ProgramAction& action, int first) {
    MissionItem item;
    item.frame = frame::mission;
    std::visit(Each{[&](const SetSpeed& s) {
                        item.command = cmd::changeSpeed;
                        item.param1 = 1;
                        item.param2 = toFloat(s.speed_mps);
                        item.param3 = -1;
                    },
                    [&](const GoBack& b) {
                        item.command = cmd::jump;
                        item.param1 = static_cast<float>(b.to + static_cast<std::size_t>(first));
                        item.param2 = static_cast<float>(b.count);
                    },
                    [&](const LookAtPlace& look) {
                        item.command = cmd::lookAt;
                        item.frame = frameOf(look.height.ref);
                        item.x = toE7(look.place.lat_deg);
                        item.y = toE7(look.place.lon_deg);
                        item.z = toFloat(look.height.value_m);
                    },
                    [&](const LookAtStop&) { item.command = cmd::lookAtStop; },
                    [&](const PhotoNow&) {
                        item.command = cmd::photoNow;
                        item.x = 1;  // param5: one shot
                    },
                    [&](const PhotosByDistance& every) {
                        item.command = cmd::photoDistance;
                        item.param1 = toFloat(every.distance_m);
                        item.param3 = every.at_once ? 1.0f : 0.0f;
                    },
                    [&](const PhotoInterval& every) {
                        item.command = every.interval_s > 0 ? cmd::photoInterval : cmd::photoStop;
                        item.param2 = toFloat(every.interval_s);
                    },
                    [&](const Video& video) { item.command = video.on ? cmd::videoStart : cmd::videoStop; },
                    [&](const SetHeading& heading) {
                        item.command = cmd::heading;
                        item.param1 = toFloat(heading.heading_deg);
                    },
                    [&](const Servo& servo) {
                        item.command = cmd::servo;
                        item.param1 = static_cast<float>(servo.channel);
                        item.param2 = static_cast<float>(servo.pulse_us);
                    },
                    [&](const Relay& relay) {
                        item.command = cmd::relay;
                        item.param1 = static_cast<float>(relay.number);
                        item.param2 = relay.on ? 1.0f : 0.0f;
                    },
                    [&](const GimbalPitch& gimbal) {
                        item.command = cmd::mountControl;
                        item.param1 = toFloat(gimbal.pitch_deg);
                        item.z = 2;  // param7: MAV_MOUNT_MODE_MAVLINK_TARGETING
                    },
                    [&](const RawCommand& raw) {
                        item = {0,
                                static_cast<std::uint8_t>(raw.frame),
                                static_cast<std::uint16_t>(raw.command),
                                raw.param1,
                                raw.param2,
                                raw.param3,
                                raw.param4,
                                raw.x,
                                raw.y,
                                raw.z};
                    }},
               action);
    return item;
}

/// A leg as the own autopilot reads an item; nothing when it is not flown to.
std::optional<ProgramLeg> legOf(const MissionItem& i) {
    if (!isNavigation(i.command)) return std::nullopt;
    const auto number = [](float value) { return static_cast<double>(value); };
    ProgramLeg leg;
    leg.placed = hasPlace(i) && (i.x != 0 || i.y != 0);  // 0, 0 means "here" in the standard
    leg.place = placeOf(i);
    leg.height = {number(i.z), refOf(i.frame)};
    switch (i.command) {
        case cmd::takeOff:
            leg.kind = LegKind::takeOff;
            break;
        case cmd::loiterTime:
            leg.kind = LegKind::hold;
            leg.hold_s = number(i.param1);
            leg.radius_m = std::isnan(i.param3) ? 0 : number(i.param3);
            break;
        case cmd::loiterTurns:
            leg.kind = LegKind::circle;
            leg.turns = i.param3 < 0 ? -number(i.param1) : number(i.param1);
            leg.radius_m = std::isnan(i.param3) ? 0 : std::abs(number(i.param3));
            break;
        case cmd::loiterToHeight:
            leg.kind = LegKind::toHeight;
            break;
        case cmd::loiterForEver:
            leg.kind = LegKind::stay;
            leg.radius_m = std::isnan(i.param3) ? 0 : number(i.param3);
            break;
        case cmd::land:
            leg.kind = LegKind::land;
            break;
        case cmd::returnHome:
            leg.kind = LegKind::returnHome;
            break;
        case cmd::delay:
            leg.kind = LegKind::wait;
            leg.hold_s = number(i.param1);
            break;
        default:
            leg.spline = i.command == cmd::spline;
            leg.hold_s = number(i.param1);
            if (!leg.spline && i.param2 > 0) leg.acceptance_m = number(i.param2);
    }
    return leg;
}

ProgramAction actionRead(const MissionItem& i, int first) {
    const auto number = [](float value) { return static_cast<double>(value); };
    switch (i.command) {
        case cmd::jump: {
            const auto to = static_cast<std::size_t>(std::max(0.0f, i.param1));
            const auto begin = static_cast<std::size_t>(first);
            return GoBack{0, to < begin ? 0 : to - begin, toInt(number(i.param2), 0)};
        }
        case cmd::changeSpeed:
            if (i.param2 > 0) return SetSpeed{number(i.param2)};
            break;
        case cmd::lookAt:
            return LookAtPlace{placeOf(i), {number(i.z), refOf(i.frame)}, {}};
        case cmd::lookAtStop:
            return LookAtStop{};
        case cmd::mountControl:
            return GimbalPitch{number(i.param1)};
        case cmd::heading:
            return SetHeading{number(i.param1)};
        case cmd::photoDistance:
            return PhotosByDistance{number(i.param1), i.param1 > 0 && i.param3 == 1};
        case cmd::photoInterval:
            if (i.param2 > 0) return PhotoInterval{number(i.param2)};
            return PhotoNow{};
        case cmd::photoStop:
            return PhotoInterval{0};
        case cmd::photoNow:
            return PhotoNow{};
        case cmd::videoStart:
            return Video{true};
        case cmd::videoStop:
            return Video{false};
        default:
            break;
    }
    return RawCommand{i.frame, i.command, i.param1, i.param2, i.param3, i.param4, i.x, i.y, i.z};
}

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
            if (!wholeUpTo(i.param1, kMostChannel) || !wholeUpTo(i.param2, kMostPulse_us)) return std::nullopt;
            return Servo{static_cast<int>(i.param1), static_cast<int>(i.param2)};
        case cmd::relay:
            if (!wholeUpTo(i.param1, kMostChannel)) return std::nullopt;
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

std::vector<MissionItem> itemsOf(const FlightProgram& program) {
    std::vector<MissionItem> items;
    items.reserve(program.entries());
    const auto add = [&](MissionItem item) {
        item.seq = static_cast<std::uint16_t>(items.size());
        items.push_back(item);
    };
    if (program.home_slot) {
        const Home home = program.home.value_or(Home{});
        add({.frame = frame::amsl,
             .command = cmd::waypoint,
             .x = toE7(home.position.lat_deg),
             .y = toE7(home.position.lon_deg),
             .z = toFloat(home.amsl_m.value_or(0))});
    }
    for (const ProgramStep& step : program.steps)
        add(step.leg() != nullptr ? itemOf(*step.leg()) : itemOf(*step.action(), program.first()));
    return items;
}

MissionSet itemsOf(const ToSend& plan) {
    return {itemsOf(plan.program), fenceItems(plan.fences), rallyItems(plan.rally)};
}

FlightProgram programRead(const std::vector<MissionItem>& items, bool home_slot) {
    FlightProgram program;
    program.home_slot = home_slot;
    if (home_slot && !items.empty()) program.home = Home{placeOf(items[0]), static_cast<double>(items[0].z)};
    for (std::size_t i = home_slot ? 1 : 0; i < items.size(); ++i) {
        if (const auto leg = legOf(items[i]))
            program.steps.push_back({0, *leg});
        else
            program.steps.push_back({0, actionRead(items[i], program.first())});
    }
    return program;
}

std::vector<MissionItem> fenceItems(const std::vector<Fence>& fences) {
    std::vector<MissionItem> items;
    for (const Fence& fence : fences) {
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

std::vector<MissionItem> rallyItems(const std::vector<RallyPoint>& rally) {
    std::vector<MissionItem> items;
    for (const RallyPoint& r : rally)
        items.push_back({.seq = static_cast<std::uint16_t>(items.size()),
                         .frame = frameOf(r.height.ref),
                         .command = cmd::rally,
                         .x = toE7(r.position.lat_deg),
                         .y = toE7(r.position.lon_deg),
                         .z = static_cast<float>(r.height.value_m)});
    return items;
}

namespace {
/// The last entry as what the plan says of its end; false where it is none.
bool takeEnding(Plan& plan, const MissionItem& m) {
    if (m.command != cmd::loiterForEver || plan.items.empty()) return false;
    const Height height{static_cast<double>(m.z), refOf(m.frame)};
    const auto near = [&](GeoPoint place) { return distance_m(placeOf(m), place) < 0.05; };
    constexpr double kSame_m = 0.05;
    const Item& last = plan.items.back();
    if (near(last.position) && effectiveHeight(plan, last).ref == height.ref &&
        std::abs(effectiveHeight(plan, last).value_m - height.value_m) < kSame_m) {
        plan.at_end = AtEnd::waitThere;
        return true;
    }
    if (!plan.home || !near(plan.home->position) || height.ref != HeightRef::home) return false;
    plan.at_end = AtEnd::returnAndWait;
    plan.return_height_m = height.value_m;
    return true;
}
}  // namespace

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
    plan.at_end = AtEnd::unsaid;
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
        if (i + 1 == mission.size() && takeEnding(plan, m)) {
            item_of[i] = plan.items.back().id;
            continue;
        }
        if (const auto kind = kindOf(m)) {
            Item item;
            item.id = plan.newId();
            item.kind = *kind;
            if (hasPlace(m)) item.position = placeOf(m);
            if (*kind != ItemKind::returnHome && *kind != ItemKind::land)
                item.height = Height{static_cast<double>(m.z), refOf(m.frame)};
            if (*kind != ItemKind::takeOff && *kind != ItemKind::returnHome && speed != plan.defaults.speed_mps)
                item.speed_mps = speed;
            item.spline = m.command == cmd::spline;
            item.straight = hasPlace(m) && refOf(m.frame) == HeightRef::ground;  // as it stands aboard
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
                    if (!wholeUpTo(m.param1, kMostJump) || !(m.param2 >= -1 && m.param2 <= kMostJump))
                        return fail("item {}: it repeats from {} on, {} times, which cannot be", i, m.param1, m.param2);
                    const auto target = static_cast<std::size_t>(m.param1);
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
    // What the aircraft does not hold stays as it was, under numbers that nothing else has.
    const auto anew = [&](auto& parts) {
        for (auto& part : parts) part.id = plan.newId();
    };
    anew(plan.obstacles);
    anew(plan.zones);
    anew(plan.covers);
    anew(plan.checklist);
    // Numbers that no plan can have: what is read must be possible to save.
    if (const auto ok = canBeSaved(plan); !ok) return fail("the aircraft holds what cannot be: {}", ok.error().message);
    return out;
}

}  // namespace anhinga

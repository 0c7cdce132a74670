#include "core/flight/Rehearse.h"

#include <algorithm>
#include <cmath>

#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "core/flight/FlightRecorder.h"
#include "core/flight/WayHome.h"
#include "core/plan/Plan.h"

namespace anhinga {

FlightSetup flightSetup(const Plan& plan, double home_amsl_m, std::shared_ptr<const Terrain> terrain, Wind wind) {
    return {flownVehicle(plan),
            plan.home ? plan.home->position : GeoPoint{},
            home_amsl_m,
            std::move(terrain),
            wind,
            plan.return_height_m,
            plan.traits.ways,
            plan.traits.repeats_rearm,
            plan.lost_link,
            plan.low_battery};
}

std::string endText(const Rehearsal& r) {
    return fmt::format("{} {:.0f} %", r.landed ? "lands with" : "still in the air with", r.energy_left_percent);
}

const char* failureText(Failure::Kind kind) {
    switch (kind) {
        case Failure::returnHome:
            return "return";
        case Failure::lostLink:
            return "lost-link";
        case Failure::lowBattery:
            return "low-battery";
        case Failure::gpsLoss:
            return "gps-loss";
        case Failure::wind:
            return "wind";
    }
    return "";
}

Result<Failure> parseFailure(const std::string& text) {
    const auto wrong = [&] {
        return fail(
            "\"{}\" is not KIND@SECONDS with KIND one of return, lost-link, low-battery, gps-loss, or "
            "wind@SECONDS:FROM:SPEED",
            text.substr(0, 60));
    };
    const std::size_t at = text.find('@');
    if (at == std::string::npos) return wrong();
    Failure failure;
    bool known = false;
    for (const auto kind :
         {Failure::returnHome, Failure::lostLink, Failure::lowBattery, Failure::gpsLoss, Failure::wind})
        if (text.compare(0, at, failureText(kind)) == 0) {
            failure.kind = kind;
            known = true;
        }
    std::vector<double> numbers;
    for (std::string_view rest = std::string_view(text).substr(at); !rest.empty();) {
        if (!rest.starts_with(numbers.empty() ? '@' : ':')) return wrong();
        rest.remove_prefix(1);
        const auto number = takeNumber(rest);
        if (!number) return wrong();
        numbers.push_back(*number);
    }
    const std::size_t wanted = failure.kind == Failure::wind ? 3 : 1;
    if (!known || numbers.size() != wanted || numbers[0] < 0) return wrong();
    failure.at_s = numbers[0];
    if (wanted == 3) {
        if (numbers[2] < 0 || numbers[2] > 60) return wrong();
        failure.blows.from_deg = numbers[1];
        failure.blows.speed_mps = numbers[2];
    }
    return failure;
}

namespace {

/// Does what a failure does to the flight.
void befall(Flight& flight, const Failure& failure, FlightLog& log) {
    log.events.push_back({flight.state().t_s, "failure", failureText(failure.kind)});
    switch (failure.kind) {
        case Failure::returnHome:
            (void)flight.returnHome();
            break;
        case Failure::lostLink:
            flight.loseLink();
            break;
        case Failure::lowBattery:
            flight.drainTo(flight.setup().vehicle.reserve_percent);
            break;
        case Failure::gpsLoss:
            flight.loseGps();
            break;
        case Failure::wind:
            flight.setWind(failure.blows);
            break;
    }
}

/// The mission is to start at an item instead of at its beginning; a take-off at its beginning is flown all the same by
/// the first move up.
Result<void> startAt(Flight& flight, const Plan& plan, const FlightProgram& program, ItemId item) {
    for (std::size_t i = 0; i < program.steps.size(); ++i)
        if (program.steps[i].source == item) return flight.goToItem(program.numberOf(i));
    return fail("{} is not in what is flown", itemText(plan, item));
}

/// Whether it could get home, second by second, until it is on its way there.
class HomeWatch {
  public:
    HomeWatch(FlightLog& log, double reserve_percent)
        : channel_(log.channel("battery.home_percent", "%")), reserve_(reserve_percent) {}
    void look(const Flight& flight, Rehearsal& result) {
        const FlightMode mode = flight.mode();
        if (flight.state().on_ground || mode == FlightMode::returning || mode == FlightMode::landing) return;
        const double t = flight.state().t_s, left = wayHome(flight).left_percent;
        channel_.add(t, left);
        if (left < result.least_home_percent) {
            result.least_home_percent = left;
            result.least_home_s = t;
        }
        if (left < reserve_ && !result.reserve_home_s) result.reserve_home_s = t;
        if (left <= 0 && !result.no_return_s) result.no_return_s = t;
    }

  private:
    Channel& channel_;
    double reserve_;
};

/// Which fences are broken on the way, each told once.
class FenceWatch {
  public:
    FenceWatch(const Plan& plan, const LocalFrame& frame)
        : plan_(plan), field_(plan.fences, frame), broken_(field_.size(), false) {}
    void look(const Flight& flight, GeoPoint place, ItemId item, Rehearsal& result) {
        for (std::size_t n = 0; n < field_.size(); ++n) {
            if (broken_[n] || field_.allows(n, flight.state().position)) continue;
            broken_[n] = true;
            result.breaches.push_back({plan_.fences[field_.source(n)].id, item, flight.state().t_s, place});
        }
    }

  private:
    const Plan& plan_;
    FenceField field_;
    std::vector<bool> broken_;
};

/// How far from the height asked for it is along the legs that follow the ground. The way back of a repeat does not.
class GroundWatch {
  public:
    GroundWatch(const FlightProgram& program, const LocalFrame& frame) : program_(program) {
        const ProgramLeg* last = nullptr;
        std::size_t next = 0;
        for (const ProgramStep& step : program.steps) {
            const ProgramLeg* leg = step.leg();
            leg_of_.push_back(kNone);
            if (leg == nullptr || leg->kind == LegKind::wait || next == program.ground_legs.size()) continue;
            const GroundLeg& ground = program.ground_legs[next];
            if (leg->on_the_way) {
                leg_of_.back() = next;
                continue;
            }
            if (last != nullptr && last->place == ground.from && leg->place == ground.to) leg_of_.back() = next++;
            last = leg;
        }
        for (const GroundLeg& ground : program.ground_legs)
            asked_.push_back({frame.toLocal(ground.from), frame.toLocal(ground.to), {}, false});
    }
    void started(int number) {
        straight_ = number < number_;
        number_ = number;
    }
    void look(Vec2 here, GeoPoint place, double over_ground_m) {
        const int step = number_ - program_.first();
        if (straight_ || step < 0 || step >= static_cast<int>(leg_of_.size())) return;
        const std::size_t k = leg_of_[static_cast<std::size_t>(step)];
        if (k == kNone) return;
        Asked& a = asked_[k];
        const GroundLeg& leg = program_.ground_legs[k];
        const double off =
            over_ground_m - (leg.from_m + (leg.to_m - leg.from_m) * distanceToSegment(here, a.from, a.to).along);
        if (a.flown && std::abs(off) <= std::abs(a.worst.off_m)) return;
        a.flown = true;
        a.worst = {program_.steps[static_cast<std::size_t>(step)].source, off, place};
    }
    std::vector<GroundOff> worst() const {
        std::vector<GroundOff> out;
        for (const Asked& a : asked_)
            if (a.flown) out.push_back(a.worst);
        return out;
    }

  private:
    static constexpr std::size_t kNone = static_cast<std::size_t>(-1);
    struct Asked {
        Vec2 from, to;
        GroundOff worst;
        bool flown = false;
    };
    const FlightProgram& program_;
    std::vector<std::size_t> leg_of_;  // by step
    std::vector<Asked> asked_;         // by leg
    int number_ = 0;
    bool straight_ = false;
};

/// Counts the passes of a repeat without an end, and what they cost.
class LoopWatch {
  public:
    explicit LoopWatch(const FlightProgram& program) : loop_(endlessLoop(program)) {}
    void reached(int number, double left_percent) {
        if (loop_ && number == loop_->last_leg) left_.push_back(left_percent);
    }
    /// The battery has come to its reserve on the way to an entry.
    std::optional<EndlessFlown> ended(int number, double reserve_percent) const {
        if (!loop_ || number < loop_->first || number > loop_->repeat) return std::nullopt;
        EndlessFlown flown{*loop_, static_cast<int>(left_.size()), 100 - reserve_percent, reserve_percent};
        if (left_.size() > 1)
            flown.pass_percent = (left_.front() - left_.back()) / static_cast<double>(left_.size() - 1);
        else if (!left_.empty())
            flown.pass_percent = 100 - left_.front();
        return flown;
    }

  private:
    std::optional<EndlessLoop> loop_;
    std::vector<double> left_;  // at the end of each pass
};

}  // namespace

Result<Rehearsal> rehearse(const Plan& plan, const FlightProgram& program, std::shared_ptr<const Terrain> terrain,
                           const RehearseOptions& options) {
    const auto home = homeAmsl(plan, terrain.get());
    if (!home) return fail("home's height above sea level is unknown: add terrain or type it in");
    if (const auto step = firstUnknown(program))
        return failAs(ErrorCode::unknownGround,
                      "how high the ground is at {} is not known, and its height is above ground: add terrain",
                      itemText(plan, program.steps[*step].source));
    const double started = monotonicMs();
    Flight flight(flightSetup(plan, *home, terrain, options.wind));
    flight.setMission(asHeld(program));
    if (auto ok = flight.arm(); !ok) return tl::unexpected(ok.error());
    if (options.start_item != 0)
        if (auto ok = startAt(flight, plan, program, options.start_item); !ok) return tl::unexpected(ok.error());
    if (auto ok = flight.startMission(); !ok) return tl::unexpected(ok.error());

    auto log = std::make_shared<FlightLog>();
    log->vehicle = fmt::format("rehearsal, {}", vehicleText(plan.vehicle.kind));
    log->format = "rehearsal";
    Rehearsal result;
    FlightRecorder recorder(*log);
    FenceWatch fence_watch(plan, flight.frame());
    GroundWatch ground_watch(program, flight.frame());
    LoopWatch loop_watch(program);
    HomeWatch home_watch(*log, plan.vehicle.reserve_percent);
    std::vector<Failure> failures = options.failures;
    std::stable_sort(failures.begin(), failures.end(),
                     [](const Failure& a, const Failure& b) { return a.at_s < b.at_s; });
    std::size_t failed = 0;
    bool away = false;
    int item = 0, ended_steps = 0;
    constexpr int kLogEvery = 2;  // steps: 5 Hz
    for (long step = 0; flight.state().t_s < options.time_limit_s; ++step) {
        if (step % 256 == 0 && options.stop.stop_requested()) return fail("the rehearsal was stopped");
        for (; failed < failures.size() && flight.state().t_s >= failures[failed].at_s - 1e-9; ++failed) {
            if (!result.failed_s) result.failed_s = flight.state().t_s;
            befall(flight, failures[failed], *log);
        }
        flight.step();
        constexpr int kLookHomeEvery = 10;  // steps: each second
        if (step % kLookHomeEvery == 0) home_watch.look(flight, result);
        const FlightState& s = flight.state();
        for (const FlightEvent& e : flight.takeEvents()) {
            recorder.event(e);
            if (e.kind == FlightEvent::itemStarted) ground_watch.started(item = e.seq);
            if (e.kind == FlightEvent::itemReached) loop_watch.reached(e.seq, s.battery.left_percent);
        }
        if (flight.batteryEndedIt() && !result.reached_reserve) {
            result.reached_reserve = true;
            result.reserve_item = program.sourceAt(item);
            result.endless = loop_watch.ended(item, plan.vehicle.reserve_percent);
        }
        away |= length(s.position) > 10;
        result.max_height_home_m = std::max(result.max_height_home_m, flight.heightHome_m());
        if (step % kLogEvery == 0 || !s.armed) {
            const GeoPoint place = flight.place();
            const auto terrain_here = terrain ? terrain->sample(place) : std::nullopt;
            const auto ground = terrain_here ? std::optional(s.amsl_m - *terrain_here) : std::nullopt;
            recorder.sample(flight, place, ground);
            if (s.armed && !s.on_ground) fence_watch.look(flight, place, program.sourceAt(item), result);
            if (ground && s.armed && flight.mode() == FlightMode::mission)
                ground_watch.look(s.position, place, *ground);
            if (ground && away && s.armed && !flight.nearGround() &&
                (!result.min_clearance_m || *ground < *result.min_clearance_m)) {
                result.min_clearance_m = ground;
                result.min_clearance_at = place;
                result.min_clearance_item = program.sourceAt(item);
            }
        }
        if (!s.armed) {
            result.landed = true;
            break;
        }
        // A mission that ends in the air leaves the aircraft there: a minute of that is enough to see.
        const bool stays = flight.staying() || (flight.mode() == FlightMode::hold && flight.missionEnded());
        result.stays = stays && ++ended_steps > 600;
        if (result.stays) break;
    }
    const FlightState& s = flight.state();
    result.duration_s = s.t_s;
    result.distance_m = s.distance_m;
    result.energy_wh = s.battery.used_wh;
    result.energy_left_percent = s.battery.left_percent;
    result.photos = s.photos;
    result.landed_from_home_m = length(s.position);
    result.ground_off = ground_watch.worst();
    std::map<ItemId, std::size_t> first;
    for (std::size_t i = 0; i < program.steps.size(); ++i)
        if (const ProgramLeg* leg = program.steps[i].leg(); leg != nullptr && !leg->on_the_way)
            first.try_emplace(program.steps[i].source, i);
    for (const auto& [id, step] : first) {
        if (id == 0) continue;
        const auto at = flight.executor().visits().find(step);
        result.visits[id] = at == flight.executor().visits().end() ? 0 : at->second;
    }
    log->missions.push_back(static_cast<int>(program.entries()));
    log->findSessions({});
    result.log = log;
    result.wall_s = (monotonicMs() - started) / 1000;
    return result;
}

}  // namespace anhinga

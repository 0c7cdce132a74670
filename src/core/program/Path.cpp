// The path of a program: which legs there are, and the line the vehicle flies along each.
#include <algorithm>
#include <unordered_map>

#include "core/program/Guidance.h"
#include "core/program/PathParts.h"

namespace anhinga {

namespace {

constexpr double kTraceStep_s = 0.1;
constexpr int kTraceSteps = 240;  // of one corner: a multirotor is back on its line long before
constexpr double kCurveStep_m = 3;
constexpr double kTurnShown = 0.1;  // tangent of the change of direction that gets a point of its own

std::optional<double> higher(std::optional<double> a, std::optional<double> b) {
    return a && b ? std::optional(std::max(*a, *b)) : std::nullopt;
}

/// What a leg needs to know to be flown, beside its two ends.
struct LegFlight {
    double speed_mps = 8, acceptance_m = 2;
    bool stops = false;       // at its end
    std::vector<Vec2> curve;  // instead of the straight line
    double end_speed_mps = 0, brake_before_m = 0;
    std::optional<double> leaves_mps;  // not slowed down at its end, whatever corner is there
};

class PathBuilder {
  public:
    PathBuilder(const Plan& plan, const FlightProgram& program, const Terrain* terrain, const Path* before)
        : plan_(plan), program_(program), terrain_(terrain), before_(before), ground_(homeAmsl(plan, terrain)) {
        limits_ = guidanceLimits(flownVehicle(plan));
        path_.limits = limits_;
    }

    Path run() {
        path_.frame = pathFrame(plan_, program_);
        if (before_ != nullptr && !(before_->frame.origin() == path_.frame.origin() && before_->limits == path_.limits))
            before_ = nullptr;
        points();
        shapeCurves();
        setEndSpeeds();
        if (before_ != nullptr) path_.line.reserve(before_->line.size() + 64);
        const std::size_t itinerary_legs = path_.legs.size();
        std::vector<Motion> after(path_.points.size());  // motion on arriving at each point
        Motion motion{path_.points.empty() ? Vec2{} : local_[0], {}, {}};
        for (std::size_t k = 0; k < itinerary_legs; ++k) {
            trace(k, motion);
            after[path_.legs[k].to] = motion;
        }
        path_.length_m = path_.line.empty() ? 0 : path_.line.back().along_m;
        repeats(after);
        return std::move(path_);
    }

  private:
    void add(GeoPoint position, std::optional<double> amsl, ItemId source) {
        const std::size_t k = path_.points.size();
        const bool known = before_ != nullptr && k < before_->points.size() && before_->points[k].position == position;
        const Vec2 local = known ? before_->points[k].local : path_.frame.toLocal(position);
        path_.points.push_back({position, amsl, source, 0, local});
        local_.push_back(local);
    }
    /// A new point and the leg from the last one to it.
    LegFlight& go(GeoPoint position, std::optional<double> amsl, ItemId source, bool climb, bool way_home = false) {
        const std::size_t from = path_.points.size() - 1;
        add(position, amsl, source);
        path_.legs.push_back({.from = from,
                              .to = from + 1,
                              .climb = climb,
                              .way_home = way_home,
                              .source = source,
                              .item_from = path_.points[from].source});
        LegFlight flight;
        flight.speed_mps = plan_.vehicle.cruise_mps;
        flight.stops = climb;
        flights_.push_back(flight);
        return flights_.back();
    }

    void points() {
        has_repeats_ = std::any_of(program_.steps.begin(), program_.steps.end(), [](const ProgramStep& step) {
            return step.action() != nullptr && std::holds_alternative<GoBack>(*step.action());
        });
        path_.points.reserve(program_.steps.size() + 4);
        path_.legs.reserve(program_.steps.size() + 4);
        flights_.reserve(program_.steps.size() + 4);
        local_.reserve(program_.steps.size() + 4);
        if (plan_.home) add(plan_.home->position, ground_, kHomeId);
        for (const ProgramStep& step : program_.steps) {
            const ProgramLeg* leg = step.leg();
            if (leg == nullptr) continue;
            if (leg->kind == LegKind::wait) {
                // Waiting at a place ends the flying through of it.
                if (leg->hold_s > 0) stopLast();
                continue;
            }
            const bool started = !path_.points.empty();
            const PathPoint here = started ? path_.points.back() : PathPoint{};
            if (leg->kind == LegKind::takeOff) {
                if (!started) continue;
                go(here.position, leg->amsl_m, step.source, true);
            } else if (leg->kind == LegKind::returnHome) {
                if (!started || !plan_.home) continue;
                stopLast();
                const auto height = returnHeight(here, *leg);
                if (height != here.amsl_m) go(here.position, height, step.source, true);
                go(plan_.home->position, height, step.source, false, true).stops = true;
                go(plan_.home->position, ground_, step.source, true);
            } else {
                const bool over_ground = leg->height.ref == HeightRef::ground;
                if (!started) {
                    add(leg->place, leg->amsl_m, step.source);
                } else {
                    // Without a take-off item the first move is still up to the first item's height, then across.
                    if (here.source == kHomeId && path_.points.size() == 1)
                        go(here.position, leg->amsl_m, step.source, true);
                    placeLeg(*leg, step.source);
                }
                if (over_ground && leg->kind != LegKind::land) path_.points.back().over_ground_m = leg->height.value_m;
                path_.points.back().on_the_way = leg->on_the_way;
            }
            if (!has_repeats_) continue;
            if (!leg->on_the_way) first_.try_emplace(step.source, path_.points.size() - 1);
            last_[step.source] = path_.points.size() - 1;
        }
        stopLast();
    }

    /// AMSL, as the autopilot flies back from here.
    std::optional<double> returnHeight(const PathPoint& here, const ProgramLeg& leg) const {
        if (!ground_ || !here.amsl_m || !leg.amsl_m) return higher(here.amsl_m, leg.amsl_m);
        return *ground_ + plan_.traits.ways.returnHeight_m(*leg.amsl_m - *ground_, *here.amsl_m - *ground_,
                                                           distance_m(here.position, plan_.home->position));
    }

    void stopLast() {
        if (!flights_.empty()) flights_.back().stops = true;
    }

    void placeLeg(const ProgramLeg& nav, ItemId source) {
        const PathPoint here = path_.points.back();
        const std::optional<double> amsl = nav.amsl_m;
        const bool rises_there = nav.kind == LegKind::toHeight;
        const GeoPoint place = nav.kind == LegKind::circle ? circleEdge(nav, here.position) : nav.place;
        // A landing arrives as high as it comes, then down.
        const bool level = rises_there || nav.kind == LegKind::land;
        LegFlight& leg = go(place, level ? here.amsl_m : amsl, source, false);
        leg.speed_mps = std::min(nav.speed_mps, plan_.vehicle.max_mps);
        leg.acceptance_m = plan_.traits.ways.acceptance_m > 0 ? plan_.traits.ways.acceptance_m : nav.acceptance_m;
        leg.stops = nav.hold_s > 0 || nav.kind == LegKind::land || nav.kind == LegKind::stay ||
                    nav.kind == LegKind::circle || rises_there;
        if (nav.spline) {
            path_.legs.back().curve = true;
            splines_.push_back(path_.legs.size() - 1);
        }
        if (rises_there) go(nav.place, amsl, source, true);
        if (nav.kind == LegKind::land)
            go(nav.place, terrain_ != nullptr ? terrain_->sample(nav.place) : std::nullopt, source, true);
        if (nav.kind == LegKind::circle && nav.turns != 0) {
            const Vec2 from = local_.back();
            auto curve = circleCurve(from, path_.frame.toLocal(nav.place), nav.radius_m, nav.turns, kCurveStep_m);
            LegFlight& circle = go(path_.frame.toGeo(curve.back()), amsl, source, false);
            circle.speed_mps = std::min(nav.speed_mps, plan_.vehicle.max_mps);
            circle.acceptance_m = 1;
            circle.curve = std::move(curve);
            // It is left at speed, as autopilots do, and swings out: what follows may make it stop.
            circle.leaves_mps = curveSpeed(nav.radius_m, circle.speed_mps, limits_);
            path_.legs.back().curve = true;
        }
    }

    /// Where a circle is begun: its place nearest to where the aircraft comes from.
    GeoPoint circleEdge(const ProgramLeg& nav, GeoPoint from) const {
        const Vec2 centre = path_.frame.toLocal(nav.place);
        const Vec2 away = path_.frame.toLocal(from) - centre;
        const Vec2 out = length(away) > 0.01 ? unit(away) : Vec2{0, 1};
        return path_.frame.toGeo(centre + out * nav.radius_m);
    }

    Vec2 chord(std::size_t leg) const { return local_[path_.legs[leg].to] - local_[path_.legs[leg].from]; }
    Vec2 directionIn(std::size_t leg) const {  // on arriving
        const auto& c = flights_[leg].curve;
        return c.size() > 1 ? c.back() - c[c.size() - 2] : chord(leg);
    }
    Vec2 directionOut(std::size_t leg) const {  // on leaving
        const auto& c = flights_[leg].curve;
        return c.size() > 1 ? c[1] - c[0] : chord(leg);
    }

    /// A spline leaves a straight leg in its direction, meets a following straight leg in its, and passes from curve to
    /// curve parallel to the line between the neighbours.
    void shapeCurves() {
        const auto isSpline = [&](std::size_t k) { return std::binary_search(splines_.begin(), splines_.end(), k); };
        for (const std::size_t k : splines_) {
            const Vec2 from = local_[path_.legs[k].from], to = local_[path_.legs[k].to];
            const Vec2 straight_on = to - from;
            Vec2 in = straight_on, out = straight_on;
            if (k > 0 && !path_.legs[k - 1].climb && length(chord(k - 1)) > 0.5)
                in = isSpline(k - 1) ? splineDirection(local_[path_.legs[k - 1].from], to) : chord(k - 1);
            if (k + 1 < path_.legs.size() && !path_.legs[k + 1].climb && length(chord(k + 1)) > 0.5 &&
                !flights_[k].stops)
                out = isSpline(k + 1) ? splineDirection(from, local_[path_.legs[k + 1].to]) : chord(k + 1);
            flights_[k].curve = splineCurve(from, in, to, out, kCurveStep_m);
        }
    }

    void setEndSpeeds() {
        for (std::size_t k = 0; k < flights_.size(); ++k) {
            LegFlight& f = flights_[k];
            f.end_speed_mps = 0;
            if (f.stops || k + 1 >= flights_.size() || path_.legs[k + 1].climb) continue;
            if (f.leaves_mps) {
                f.end_speed_mps = *f.leaves_mps;
                continue;
            }
            // No faster than the corner allows, nor the slope behind it.
            const double corner =
                cornerSpeed(directionIn(k), directionOut(k + 1), f.speed_mps, f.acceptance_m, limits_);
            f.end_speed_mps = slopeSpeed(length(chord(k + 1)), rise(path_.legs[k + 1]).value_or(0), corner, limits_);
            // A slope is come to no faster than it is flown.
            f.brake_before_m = f.end_speed_mps < corner ? f.acceptance_m : 0;
        }
    }

    std::optional<double> rise(const PathLeg& leg) const {
        const auto &a = path_.points[leg.from].amsl_m, &b = path_.points[leg.to].amsl_m;
        return a && b ? std::optional(*b - *a) : std::nullopt;
    }

    void put(Vec2 at, std::optional<double> amsl, std::optional<GeoPoint> exact = {}) {
        double along = 0;
        if (!path_.line.empty()) {
            const double step = length(at - path_.line.back().local);
            along = path_.line.back().along_m + (repeat_start_ ? 0 : step);
        }
        repeat_start_ = false;
        path_.line.push_back({exact ? *exact : path_.frame.toGeo(at), at, amsl, along});
    }

    /// Flies leg k from `motion`, appends its line, and leaves `motion` as it is where the leg is let go.
    void trace(std::size_t k, Motion& motion) {
        PathLeg& leg = path_.legs[k];
        const LegFlight& f = flights_[k];
        const PathPoint &a = path_.points[leg.from], &b = path_.points[leg.to];
        const Vec2 from = local_[leg.from], to = local_[leg.to];
        leg.line_from = path_.line.size();
        FlownLeg flown;
        if (leg.climb) {
            put(to, a.amsl_m, b.position);
            path_.points[leg.from].along_m = path_.line.back().along_m;
            put(to, b.amsl_m, b.position);
            motion = {to, {}, b.amsl_m};
        } else if (!f.curve.empty()) {
            follow(leg, f, motion);
        } else {
            flown = {true,        b.position,      from,           to,      a.amsl_m, b.amsl_m,
                     f.speed_mps, f.end_speed_mps, f.acceptance_m, f.stops, motion,   {}};
            if (asBefore(flown))
                motion = flown.end;
            else
                straight(leg, f, from, to, motion);
            flown.end = motion;
        }
        path_.flown.push_back(flown);
        leg.line_to = path_.line.size();
        path_.points[leg.to].along_m = path_.line.back().along_m;
    }

    /// Takes the line of `leg` from the earlier path, where it was flown the same. Legs keep their order mostly: the
    /// search goes on from where the last one was found.
    bool asBefore(FlownLeg& leg) {
        if (before_ == nullptr) return false;
        constexpr std::size_t kAhead = 4;
        const auto& flown = before_->flown;
        for (std::size_t k = next_; k < std::min(flown.size(), next_ + kAhead); ++k) {
            if (!flown[k].sameAs(leg)) continue;
            leg.end = flown[k].end;
            for (std::size_t i = before_->legs[k].line_from; i < before_->legs[k].line_to; ++i)
                put(before_->line[i].local, before_->line[i].amsl_m, before_->line[i].position);
            next_ = k + 1;
            return true;
        }
        if (next_ < flown.size()) ++next_;
        return false;
    }

    void follow(const PathLeg& leg, const LegFlight& f, Motion& motion) {
        const PathPoint &a = path_.points[leg.from], &b = path_.points[leg.to];
        const auto up = rise(leg);
        double run = 0, whole = 0;
        for (std::size_t i = 1; i < f.curve.size(); ++i) whole += length(f.curve[i] - f.curve[i - 1]);
        for (std::size_t i = 0; i < f.curve.size(); ++i) {
            if (i > 0) run += length(f.curve[i] - f.curve[i - 1]);
            put(f.curve[i], a.amsl_m && up ? std::optional(*a.amsl_m + *up * (whole > 0 ? run / whole : 1)) : b.amsl_m);
        }
        motion = {f.curve.back(), unit(directionOfEnd(f.curve)) * f.end_speed_mps, b.amsl_m};
    }
    static Vec2 directionOfEnd(const std::vector<Vec2>& c) { return c.back() - c[c.size() - 2]; }

    void straight(const PathLeg& leg, const LegFlight& f, Vec2 from, Vec2 to, Motion& motion) {
        const PathPoint &a = path_.points[leg.from], &b = path_.points[leg.to];
        const auto up = rise(leg);
        const double run = length(to - from);
        const Vec2 along = run > 0 ? (to - from) * (1 / run) : Vec2{};
        const GuidedLeg guided{from, to, up.value_or(0), f.speed_mps, f.end_speed_mps, f.brake_before_m};
        const auto heightAt = [&](Vec2 p) -> std::optional<double> {
            if (!a.amsl_m || !up) return std::nullopt;
            return *a.amsl_m + *up * (run > 0 ? std::clamp(dot(p - from, along) / run, 0.0, 1.0) : 1.0);
        };
        // The corner: stepped with the law of the flight until the aircraft is on its line again. Its height comes from
        // where the leg before let go, not from the corner's own.
        if (!motion.amsl_m || !a.amsl_m) motion.amsl_m = a.amsl_m;
        put(motion.position, motion.amsl_m);
        Vec2 shown = motion.velocity, acceleration;
        double reach = f.stops ? 0.3 : std::min(f.acceptance_m, run);
        // A leg lets go only within a metre of its height too; the height lags a little behind a slope.
        if (up && std::abs(*up) > 0.1) reach = std::min(reach, std::max(0.3, 0.8 * run / std::abs(*up)));
        for (int i = 0; i < kTraceSteps; ++i) {
            const Vec2 off = (motion.position - from) - along * dot(motion.position - from, along);
            const Vec2 sideways = motion.velocity - along * dot(motion.velocity, along);
            const bool settled = length(off) < 0.15 && length(sideways) < 0.15 && dot(motion.velocity, along) >= 0;
            if (settled || length(to - motion.position) <= std::max(reach, 0.5)) break;
            const Vec2 wanted = wantedVelocity(guided, {motion.position, motion.velocity, acceleration}, limits_);
            accelerate(motion.velocity, acceleration, wanted, limits_, kTraceStep_s);
            motion.position = motion.position + motion.velocity * kTraceStep_s;
            if (const auto height = heightAt(motion.position); height && motion.amsl_m) {
                const bool inside = dot(motion.position - from, along) > 0;
                const double slope = inside && run > 1 ? *up / run * dot(motion.velocity, along) : 0;
                const double climb =
                    std::clamp(slope + *height - *motion.amsl_m, -limits_.descent_mps, limits_.climb_mps);
                *motion.amsl_m += climb * kTraceStep_s;
            }
            const double forward = dot(shown, motion.velocity);
            const bool turned = forward <= 0 || std::abs(cross(shown, motion.velocity)) > kTurnShown * forward;
            if (turned || length(shown) < 0.2) {
                put(motion.position, motion.amsl_m);
                shown = motion.velocity;
            }
        }
        // From there straight on until the next leg takes over, or to the very place where it stops.
        Vec2 end = to - along * reach;
        if (f.stops)
            end = to;
        else if (dot(end - motion.position, along) <= 0)
            end = motion.position;
        const auto at_end = end == motion.position ? motion.amsl_m : heightAt(end);
        if (length(motion.position - path_.line.back().local) > 1e-6) put(motion.position, motion.amsl_m);
        if (length(end - path_.line.back().local) > 1e-6)
            put(end, at_end, f.stops ? std::optional(b.position) : std::nullopt);
        const double end_speed = std::min(
            f.speed_mps, brakingSpeed(f.end_speed_mps, std::max(0.0, length(to - end) - f.brake_before_m), limits_));
        if (f.stops)
            motion.velocity = {};
        else if (end != motion.position)
            motion.velocity = along * end_speed;
        motion.position = end;
        motion.amsl_m = at_end;
    }

    /// The legs only repeats fly, each with the corner into the leg that follows its target.
    void repeats(const std::vector<Motion>& after) {
        if (!has_repeats_) return;
        std::unordered_map<std::size_t, std::size_t> leg_from;  // itinerary leg that starts at a point
        for (std::size_t k = 0; k < path_.legs.size(); ++k) leg_from.try_emplace(path_.legs[k].from, k);
        for (const ProgramStep& step : program_.steps) {
            const auto* repeat = step.action() != nullptr ? std::get_if<GoBack>(step.action()) : nullptr;
            if (repeat == nullptr || repeat->count == 0) continue;
            const auto from = last_.find(step.source);
            const auto to = first_.find(repeat->target);
            if (from == last_.end() || to == first_.end() || from->second == to->second) continue;
            path_.legs.push_back({.from = from->second,
                                  .to = to->second,
                                  .repeat = true,
                                  .source = step.source,
                                  .item_from = step.source});
            LegFlight f;
            const auto into = to->second > 0 ? std::optional(to->second - 1) : std::nullopt;  // leg k ends at point k+1
            f.speed_mps = into && *into < flights_.size() ? flights_[*into].speed_mps : plan_.defaults.speed_mps;
            f.acceptance_m = into && *into < flights_.size() ? flights_[*into].acceptance_m : 2;
            f.stops = into && *into < flights_.size() && flights_[*into].stops;
            const auto next = leg_from.find(to->second);
            const bool goes_on = next != leg_from.end() && !f.stops && !path_.legs[next->second].climb &&
                                 flights_[next->second].curve.empty();
            if (goes_on)
                f.end_speed_mps = cornerSpeed(local_[to->second] - local_[from->second], chord(next->second),
                                              f.speed_mps, f.acceptance_m, limits_);
            flights_.resize(path_.legs.size());
            flights_.back() = f;
            Motion motion = after[from->second];
            const Vec2 out = unit(local_[to->second] - local_[from->second]);
            // The leg before is left as fast as it may be this near to a corner of this kind.
            const double corner = cornerSpeed(unit(motion.velocity), out, length(motion.velocity), 2, limits_);
            const double still = length(local_[from->second] - motion.position);
            motion.velocity = limited(motion.velocity, brakingSpeed(corner, still, limits_));
            PathLeg& leg = path_.legs.back();
            leg.line_from = path_.line.size();
            repeat_start_ = true;
            straight(leg, f, local_[from->second], local_[to->second], motion);
            if (goes_on) cornerInto(next->second, motion);
            leg.line_to = path_.line.size();
        }
    }

    /// The first part of a leg as it is flown when it is come to by a repeat.
    void cornerInto(std::size_t k, Motion motion) {
        const PathLeg leg = path_.legs[k];
        const Vec2 from = local_[leg.from], to = local_[leg.to];
        LegFlight f = flights_[k];
        const std::size_t begin = path_.line.size();
        straight(leg, f, from, to, motion);
        // Beyond the corner the itinerary's own line goes on.
        if (path_.line.size() > begin + 1) path_.line.pop_back();
    }

    const Plan& plan_;
    const FlightProgram& program_;
    const Terrain* terrain_;
    const Path* before_;
    std::size_t next_ = 0;  // leg of `before_` to look at first
    std::optional<double> ground_;
    GuidanceLimits limits_;
    Path path_;
    std::vector<Vec2> local_;
    std::vector<LegFlight> flights_;
    std::vector<std::size_t> splines_;
    bool has_repeats_ = false;
    std::unordered_map<ItemId, std::size_t> first_, last_;  // points of an item, where repeats need them
    bool repeat_start_ = false;
};

}  // namespace

LocalFrame pathFrame(const Plan& plan, const FlightProgram& program) {
    if (plan.home) return LocalFrame(plan.home->position);
    for (const ProgramStep& step : program.steps)
        if (const ProgramLeg* leg = step.leg(); leg != nullptr && leg->kind != LegKind::wait)
            return LocalFrame(leg->place);
    return LocalFrame(GeoPoint{});
}

std::string pointText(const Plan& plan, const PathPoint& point) {
    return (point.on_the_way ? "way to " : "") + itemText(plan, point.source);
}

Path pathOf(const Plan& plan, const FlightProgram& program, const Terrain* terrain, const Path* before) {
    if (!hovers(plan.vehicle.kind)) return wingPathOf(plan, program, terrain);
    return PathBuilder(plan, program, terrain, before).run();
}

}  // namespace anhinga

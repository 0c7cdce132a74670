#include "core/program/Program.h"

#include <fmt/format.h>

#include <cmath>
#include <set>
#include <unordered_map>

#include "core/base/Each.h"
#include "core/pattern/Follow.h"
#include "core/pattern/Heights.h"
#include "core/program/Guidance.h"
#include "core/program/Wing.h"

namespace anhinga {

namespace {

LegKind legKind(ItemKind kind) {
    switch (kind) {
        case ItemKind::takeOff:
            return LegKind::takeOff;
        case ItemKind::hold:
            return LegKind::hold;
        case ItemKind::holdTurns:
            return LegKind::circle;
        case ItemKind::loiterToHeight:
            return LegKind::toHeight;
        case ItemKind::land:
            return LegKind::land;
        case ItemKind::returnHome:
            return LegKind::returnHome;
        default:
            return LegKind::pass;
    }
}

bool carriesSpeed(ItemKind kind) {
    return kind != ItemKind::takeOff && kind != ItemKind::returnHome;
}

class Builder {
  public:
    Builder(const Plan& plan, const Route& route, const Terrain* terrain, const FlightProgram* before)
        : plan_(plan), route_(route), terrain_(terrain), before_(before), wing_(!hovers(plan.vehicle.kind)) {
        program_.home_slot = plan.traits.item0_is_home;
        program_.home = plan.home;
    }

    FlightProgram run() {
        findTargets();
        program_.steps.reserve(route_.steps.size() + 16);
        for (const RouteStep& step : route_.steps) {
            if (const auto* nav = std::get_if<RouteNav>(&step.what))
                addLeg(step.source, *nav);
            else
                addAction(step.source, std::get<Action>(step.what));
        }
        for (ProgramStep& step : program_.steps)
            if (auto* action = std::get_if<ProgramAction>(&step.what))
                if (auto* back = std::get_if<GoBack>(action))
                    if (const auto at = first_.find(back->target); at != first_.end()) back->to = at->second;
        resolveHeights(program_, homeAmsl(plan_, terrain_), terrain_);
        return std::move(program_);
    }

  private:
    void findTargets() {
        for (const RouteStep& step : route_.steps) {
            if (const auto* action = std::get_if<Action>(&step.what)) {
                if (const auto* repeat = std::get_if<Repeat>(action)) targets_.insert(repeat->target);
            } else {
                const auto& nav = std::get<RouteNav>(step.what);
                speeds_differ_ |= carriesSpeed(nav.kind) && nav.speed_mps != plan_.defaults.speed_mps;
            }
        }
    }
    void add(ItemId source, ProgramAction action) { program_.steps.push_back({source, std::move(action)}); }

    void addLeg(ItemId source, const RouteNav& nav) {
        const bool first = source != last_source_;
        part_ = first ? 0 : part_ + 1;
        last_source_ = source;
        const GroundLeg* along = nullptr;
        // Within a pattern its own following decides.
        if (const auto asked = first ? groundLegTo(nav) : std::nullopt) along = layOut(*asked, nav.speed_mps);
        if (along != nullptr && !along->points.empty()) {
            stopBefore(nav.position);
            setSpeed(source, nav, false);
            for (const GroundLeg::Point& p : along->points) {
                ProgramLeg leg;
                leg.place = p.place;
                leg.height = Height::aboveGround(p.height_m);
                leg.speed_mps = nav.speed_mps;
                leg.through_air = wing_;
                leg.acceptance_m = nav.acceptance_m;
                leg.part = part_++;
                leg.on_the_way = true;
                program_.steps.push_back({source, std::move(leg)});
                if (heading_) add(source, *heading_);  // it holds for one leg, and is meant for all of them
            }
        }
        if (!targets_.empty()) first_.try_emplace(source, program_.steps.size());
        setSpeed(source, nav, targets_.contains(source) && started_.insert(source).second);
        if (last_nav_ != nullptr) before_last_ = last_nav_->position;
        last_nav_ = &nav;
        ProgramLeg leg;
        leg.kind = legKind(nav.kind);
        leg.placed = leg.kind != LegKind::takeOff && leg.kind != LegKind::returnHome;
        leg.place = nav.position;
        leg.height = nav.height;
        leg.speed_mps = nav.speed_mps;
        leg.through_air = wing_;
        leg.acceptance_m = nav.acceptance_m;
        leg.hold_s = nav.hold_s;
        leg.spline = nav.spline;
        if (leg.kind == LegKind::hold && std::isinf(nav.hold_s)) {
            leg.kind = LegKind::stay;
            leg.hold_s = 0;
            leg.radius_m = nav.radius_m;
        }
        if (leg.kind == LegKind::land) {
            // It has no height of its own: down to the ground, as high as that is.
            const auto home = homeAmsl(plan_, terrain_);
            const auto ground = terrain_ != nullptr ? terrain_->sample(nav.position) : std::nullopt;
            leg.height = Height::aboveHome(home && ground ? *ground - *home : 0);
        }
        if (leg.kind == LegKind::circle) {
            leg.turns = nav.turns;
            leg.radius_m = nav.radius_m;
        }
        leg.part = part_;
        program_.steps.push_back({source, std::move(leg)});
        heading_.reset();
    }

    /// Rotors that swing out of a corner at speed come over other ground than what they are to follow, and past the
    /// first points that lead along it: they stop there first, and at points before it from which they could not.
    void stopBefore(GeoPoint next) {
        constexpr double kStraightOn_deg = 10, kStop_s = 1;  // as short as every family keeps it
        if (wing_ || !before_last_ || *before_last_ == last_nav_->position) return;
        const double in = bearing_deg(*before_last_, last_nav_->position), out = bearing_deg(last_nav_->position, next);
        if (std::abs(std::remainder(out - in, 360)) < kStraightOn_deg) return;
        const GuidanceLimits limits = guidanceLimits(plan_.vehicle);
        const double v = last_nav_->speed_mps;
        const double brakes_m = v * v / (2 * limits.accel_mps2) + v * limits.accel_mps2 / limits.jerk_mps3;
        const ProgramLeg* after = nullptr;
        for (auto step = program_.steps.rbegin(); step != program_.steps.rend(); ++step) {
            auto* leg = std::get_if<ProgramLeg>(&step->what);
            if (leg == nullptr) continue;
            if (leg->kind != LegKind::pass) return;
            if (after != nullptr && (!leg->on_the_way || distance_m(leg->place, after->place) > brakes_m)) return;
            leg->hold_s = std::max(leg->hold_s, kStop_s);
            after = leg;
        }
    }

    void setSpeed(ItemId source, const RouteNav& nav, bool target) {
        if (!carriesSpeed(nav.kind) || (nav.speed_mps == speed_ && !(target && speeds_differ_))) return;
        speed_ = nav.speed_mps;
        add(source, SetSpeed{speed_});
    }

    /// What a leg to `nav` is laid out from, where it is to follow the ground.
    std::optional<GroundLeg> groundLegTo(const RouteNav& nav) const {
        if (terrain_ == nullptr || terrain_->empty() || last_nav_ == nullptr) return std::nullopt;
        const auto starts = [](ItemKind kind) {
            return kind == ItemKind::waypoint || kind == ItemKind::hold || kind == ItemKind::loiterToHeight;
        };
        const auto overGround = [](const RouteNav& n) { return n.height.ref == HeightRef::ground; };
        if (!overGround(*last_nav_) || !starts(last_nav_->kind)) return std::nullopt;
        if (!overGround(nav) || nav.spline || nav.straight ||
            (nav.kind != ItemKind::waypoint && nav.kind != ItemKind::hold))
            return std::nullopt;
        GroundLeg leg;
        leg.from = last_nav_->position;
        leg.to = nav.position;
        leg.from_m = last_nav_->height.value_m;
        leg.to_m = nav.height.value_m;
        // Rotors slow down on a slope as much as it takes; wings cannot.
        constexpr double kSteepest = 3;
        constexpr double kWingShare = 0.6;  // what is left it needs to turn from down to up
        const double per_run = kWingShare / std::max(0.1, nav.speed_mps);
        leg.climb_slope = wing_ ? plan_.vehicle.climb_mps * per_run : kSteepest;
        leg.descent_slope = wing_ ? plan_.vehicle.descent_mps * per_run : kSteepest;
        leg.tolerance_m = plan_.defaults.follow_tolerance_m;
        return leg;
    }

    /// Wings take their time to turn from down to up: what they sink in it is given to such points beforehand, and part
    /// of the tolerance to all, as they keep their height less well than rotors.
    static void liftForWings(std::vector<FollowPoint>& points, double speed_mps, double tolerance_m) {
        constexpr double kLiftShare = 0.5;
        const auto climb = [&](std::size_t i) {
            const double run = length(points[i + 1].at - points[i].at);
            return run > 0 ? speed_mps * (points[i + 1].amsl_m - points[i].amsl_m) / run : 0;
        };
        std::vector<double> lift(points.size(), kLiftShare * tolerance_m);
        for (std::size_t i = 1; i + 1 < points.size(); ++i) {
            const double more = climb(i) - climb(i - 1);
            if (more > 0) lift[i] += more * more / (2 * kWingClimbAccel_mps2);
        }
        for (std::size_t i = 0; i < points.size(); ++i) points[i].amsl_m += lift[i];
    }

    const GroundLeg* layOut(GroundLeg leg, double speed_mps) {
        constexpr double kShortest_m = 3, kMostSamples = 4000;
        if (before_ != nullptr) {
            const auto& known = before_->ground_legs;
            for (std::size_t k = next_known_; k < std::min(known.size(), next_known_ + 4); ++k)
                if (known[k].laidOutAs(leg)) {
                    next_known_ = k + 1;
                    return &program_.ground_legs.emplace_back(known[k]);
                }
        }
        const LocalFrame frame(leg.from);
        const Vec2 to = frame.toLocal(leg.to);
        const double run = length(to);
        if (run < kShortest_m) return nullptr;
        const double sample_m = std::max(std::clamp(terrain_->cell_m() / 4, 1.0, 5.0), run / kMostSamples);
        constexpr double kDrawnShare = 0.5;  // of the tolerance: the rest is for how it is flown
        FollowedRoute route = followGround(
            frame, {{0, 0}, to}, *terrain_, sample_m,
            {leg.from_m, kDrawnShare * leg.tolerance_m, leg.climb_slope, leg.descent_slope, leg.to_m - leg.from_m});
        if (wing_ && !route.pieces.empty()) liftForWings(route.pieces.front(), speed_mps, leg.tolerance_m);
        leg.unknown_ground = route.unknown_ground;
        if (!route.pieces.empty()) {
            const auto& points = route.pieces.front();
            for (std::size_t i = 1; i + 1 < points.size(); ++i) {
                const GeoPoint place = frame.toGeo(points[i].at);
                if (const auto ground = terrain_->sample(place))
                    leg.points.push_back({place, points[i].amsl_m - *ground});
            }
        }
        return &program_.ground_legs.emplace_back(std::move(leg));
    }

    void addAction(ItemId source, const Action& action) {
        if (!targets_.empty()) first_.try_emplace(source, program_.steps.size());
        std::visit(Each{[&](const Repeat& r) {
                            add(source, GoBack{r.target, GoBack::kNowhere, r.count});
                        },
                        [&](const LookAt& l) {
                            add(source, LookAtPlace{l.place, l.height, {}});
                        },
                        [&](const PhotoEvery& p) {
                            add(source, PhotosByDistance{p.distance_m, p.distance_m > 0});
                        },
                        [&](const Delay& d) {
                            ProgramLeg wait;
                            wait.kind = LegKind::wait;
                            wait.placed = false;
                            wait.hold_s = d.delay_s;
                            wait.part = ++part_;
                            last_source_ = source;
                            program_.steps.push_back({source, std::move(wait)});
                        },
                        [&](const SetHeading& h) {
                            heading_ = h;
                            add(source, h);
                        },
                        [&](const auto& as_it_is) { add(source, as_it_is); }},
                   action);
    }

    const Plan& plan_;
    const Route& route_;
    const Terrain* terrain_;
    const FlightProgram* before_;
    std::size_t next_known_ = 0;
    const RouteNav* last_nav_ = nullptr;
    std::optional<GeoPoint> before_last_;  // where it comes to `last_nav_` from
    bool wing_;
    FlightProgram program_;
    double speed_ = -1;
    bool speeds_differ_ = false;
    std::set<ItemId> targets_, started_;
    std::unordered_map<ItemId, std::size_t> first_;
    ItemId last_source_ = 0;
    int part_ = 0;
    std::optional<SetHeading> heading_;  // of the leg that comes
};

double asFloat(double value) {
    return static_cast<double>(static_cast<float>(value));
}
GeoPoint asE7(GeoPoint place) {
    return {static_cast<double>(std::lround(place.lat_deg * 1e7)) * 1e-7,
            static_cast<double>(std::lround(place.lon_deg * 1e7)) * 1e-7};
}

}  // namespace

const ProgramStep* FlightProgram::at(int number) const {
    const int step = number - first();
    return step < 0 || step >= static_cast<int>(steps.size()) ? nullptr : &steps[static_cast<std::size_t>(step)];
}

ItemId FlightProgram::sourceAt(int number) const {
    const ProgramStep* step = at(number);
    return step != nullptr ? step->source : 0;
}

std::optional<int> FlightProgram::lastOf(ItemId id) const {
    for (std::size_t k = steps.size(); k-- > 0;)
        if (steps[k].source == id) return numberOf(k);
    return std::nullopt;
}

FlightProgram programOf(const Plan& plan, const Route& route, const Terrain* terrain, const FlightProgram* before) {
    return Builder(plan, route, terrain, before).run();
}

std::optional<EndlessLoop> endlessLoop(const FlightProgram& program) {
    for (std::size_t k = 0; k < program.steps.size(); ++k) {
        const auto* back =
            program.steps[k].action() != nullptr ? std::get_if<GoBack>(program.steps[k].action()) : nullptr;
        if (back == nullptr || back->count >= 0 || back->to > k) continue;
        for (std::size_t leg = k; leg-- > back->to;)
            if (program.steps[leg].leg() != nullptr)
                return EndlessLoop{program.numberOf(back->to), program.numberOf(leg), program.numberOf(k)};
    }
    return std::nullopt;
}

Result<void> sendable(const Plan& plan, const FlightProgram& program) {
    if (!program.home) return fail("the plan has no home: set it on the map first");
    if (program.steps.empty()) return fail("the plan has nothing to fly");
    if (program.entries() > 65535) return fail("{} items: MAVLink counts to 65535", program.entries());
    for (const ProgramStep& step : program.steps) {
        const auto* back = step.action() != nullptr ? std::get_if<GoBack>(step.action()) : nullptr;
        if (back != nullptr && back->to == GoBack::kNowhere)
            return fail("the repeat at {} has no target: choose the item to go to", itemText(plan, step.source));
    }
    return {};
}

void resolveHeights(FlightProgram& program, std::optional<double> home_amsl_m, const Terrain* terrain) {
    resolveHeights(program, home_amsl_m,
                   [terrain](GeoPoint place) { return terrain != nullptr ? terrain->sample(place) : std::nullopt; });
}

std::optional<std::size_t> firstUnknown(const FlightProgram& program) {
    for (std::size_t k = 0; k < program.steps.size(); ++k) {
        const ProgramLeg* leg = program.steps[k].leg();
        if (leg != nullptr && leg->gap != HeightGap::none && leg->kind != LegKind::takeOff &&
            leg->kind != LegKind::land)
            return k;
    }
    return std::nullopt;
}

void resolveHeights(FlightProgram& program, std::optional<double> home_amsl_m,
                    const std::function<std::optional<double>(GeoPoint)>& ground_amsl_m) {
    const auto baseOf = [&](GeoPoint place, HeightRef ref) -> std::optional<double> {
        if (ref == HeightRef::amsl) return 0.0;
        if (ref == HeightRef::home) return home_amsl_m;
        return ground_amsl_m(place);
    };
    for (ProgramStep& step : program.steps) {
        if (auto* leg = std::get_if<ProgramLeg>(&step.what)) {
            if (leg->kind == LegKind::wait) continue;
            const auto base = baseOf(leg->place, leg->height.ref);
            leg->amsl_m = base ? std::optional(*base + leg->height.value_m) : std::nullopt;
            leg->gap = base                                 ? HeightGap::none
                       : leg->height.ref == HeightRef::home ? HeightGap::homeHeight
                                                            : HeightGap::ground;
        } else if (auto* look = std::get_if<LookAtPlace>(&std::get<ProgramAction>(step.what))) {
            const auto base = baseOf(look->place, look->height.ref);
            look->amsl_m = base ? std::optional(*base + look->height.value_m) : std::nullopt;
        }
    }
}

FlightProgram asHeld(FlightProgram program) {
    const auto settle = [](GeoPoint& place, Height& height) {
        place = asE7(place);
        height.value_m = asFloat(height.value_m);
    };
    const auto hold = Each{[](SetSpeed& s) { s.speed_mps = asFloat(s.speed_mps); },
                           [](PhotosByDistance& p) { p.distance_m = asFloat(p.distance_m); },
                           [](PhotoInterval& p) { p.interval_s = asFloat(p.interval_s); },
                           [](SetHeading& h) { h.heading_deg = asFloat(h.heading_deg); },
                           [](GimbalPitch& g) { g.pitch_deg = asFloat(g.pitch_deg); },
                           [&](LookAtPlace& l) { settle(l.place, l.height); },
                           [](auto&) {}};
    for (ProgramStep& step : program.steps) {
        if (auto* leg = std::get_if<ProgramLeg>(&step.what)) {
            settle(leg->place, leg->height);
            for (double* number : {&leg->acceptance_m, &leg->hold_s, &leg->turns, &leg->radius_m})
                *number = asFloat(*number);
        } else {
            std::visit(hold, std::get<ProgramAction>(step.what));
        }
    }
    return program;
}

}  // namespace anhinga

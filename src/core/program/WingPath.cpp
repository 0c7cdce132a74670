// The path of a program a fixed wing flies: every piece flown in still air with the law of the flight itself.
#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "core/program/PathParts.h"
#include "core/program/Wing.h"

namespace anhinga {

namespace {

constexpr double kStep_s = 0.1, kTurnShown_rad = 0.1, kClimbShown_mps = 0.4;
constexpr double kMostSteps = 200000;     // of one piece
constexpr double kMostCircling_s = 1800;  // of a hold is drawn

class WingPathBuilder {
  public:
    WingPathBuilder(const Plan& plan, const FlightProgram& program, const Terrain* terrain)
        : plan_(plan), terrain_(terrain), limits_(wingLimits(plan.vehicle)), ground_(homeAmsl(plan, terrain)) {
        path_.frame = pathFrame(plan, program);
        path_.limits = {plan.vehicle.accel_mps2, plan.vehicle.climb_mps, plan.vehicle.descent_mps, 0};
        readGoals(program);
    }

    Path run() {
        if (plan_.home) {
            addPoint(plan_.home->position, ground_, kHomeId);
            state_.rolling = true;
            nominal_amsl_ = state_.amsl_m = ground_.value_or(0);
        }
        for (std::size_t k = 0; k < goals_.size(); ++k) fly(k);
        path_.length_m = path_.line.empty() ? 0 : path_.line.back().along_m;
        for (std::size_t k = 0; k < goals_.size(); ++k)
            for (const GoBack& repeat : goals_[k].repeats) again(k, repeat);
        return std::move(path_);
    }

  private:
    struct Goal {
        WingGoal goal;
        ItemId source = 0;
        GeoPoint place;
        std::optional<double> amsl_m, over_ground_m;
        bool on_the_way = false, home = false;
        std::vector<GoBack> repeats;
        WingState after;  // on letting go of it
        std::size_t point = 0;
        bool flown = false;
    };

    void readGoals(const FlightProgram& program) {
        for (const ProgramStep& step : program.steps) {
            const ProgramLeg* to = step.leg();
            if (to == nullptr) {
                const auto* repeat = std::get_if<GoBack>(step.action());
                if (repeat != nullptr && repeat->count != 0 && !goals_.empty())
                    goals_.back().repeats.push_back(*repeat);
                continue;
            }
            const ProgramLeg& nav = *to;
            if (nav.kind == LegKind::wait) {
                if (goals_.empty() || nav.hold_s <= 0) continue;
                Goal wait = goals_.back();
                wait.repeats.clear();
                wait.goal.kind = WingGoal::hold;
                wait.goal.hold_s = nav.hold_s;
                goals_.push_back(wait);
                continue;
            }
            Goal g;
            g.source = step.source;
            g.place = nav.place;
            g.amsl_m = nav.amsl_m;
            g.on_the_way = nav.on_the_way;
            if (nav.height.ref == HeightRef::ground) g.over_ground_m = nav.height.value_m;
            g.goal.place = path_.frame.toLocal(nav.place);
            g.goal.speed_mps = nav.speed_mps;
            g.goal.acceptance_m =
                plan_.traits.ways.acceptance_m > 0 ? plan_.traits.ways.acceptance_m : nav.acceptance_m;
            g.goal.own_acceptance = plan_.traits.ways.acceptance_m > 0;
            g.goal.spline = nav.spline;
            g.goal.hold_s = nav.hold_s;
            if (nav.hold_s > 0) g.goal.kind = WingGoal::hold;
            switch (nav.kind) {
                case LegKind::takeOff:
                    if (!plan_.home) continue;
                    g.goal.kind = WingGoal::takeOff;
                    break;
                case LegKind::returnHome:
                    if (!plan_.home) continue;
                    g.goal.kind = plan_.traits.ways.wing_lands ? WingGoal::comeHome : WingGoal::turns;
                    g.goal.turns_count = 1;  // one turn of the circle it does not leave is drawn
                    g.goal.place = path_.frame.toLocal(plan_.home->position);
                    g.place = plan_.home->position;
                    g.home = true;
                    g.goal.speed_mps = limits_.cruise_mps;
                    g.goal.ground_amsl_m = ground_.value_or(0);
                    break;
                case LegKind::land:
                    g.goal.kind = WingGoal::land;
                    if (terrain_ != nullptr) g.amsl_m = terrain_->sample(nav.place);
                    break;
                case LegKind::circle:
                    g.goal.kind = nav.turns != 0 ? WingGoal::turns : WingGoal::pass;
                    g.goal.turns_count = std::abs(nav.turns);
                    g.goal.radius_m = nav.turns < 0 ? -nav.radius_m : nav.radius_m;
                    break;
                case LegKind::toHeight:
                    g.goal.kind = WingGoal::toHeight;
                    break;
                case LegKind::stay:  // one turn of it is drawn
                    g.goal.kind = WingGoal::turns;
                    g.goal.turns_count = 1;
                    g.goal.radius_m = nav.radius_m;
                    break;
                default:
                    break;
            }
            goals_.push_back(g);
        }
    }

    std::size_t addPoint(GeoPoint position, std::optional<double> amsl, ItemId source) {
        const double along = path_.line.empty() ? 0 : path_.line.back().along_m;
        path_.points.push_back({position, amsl, source, along, path_.frame.toLocal(position)});
        return path_.points.size() - 1;
    }

    void put(bool restart = false) {
        double along = 0;
        if (!path_.line.empty())
            along = path_.line.back().along_m + (restart ? 0 : length(state_.position - path_.line.back().local));
        path_.line.push_back({path_.frame.toGeo(state_.position), state_.position,
                              known_ ? std::optional(state_.amsl_m) : std::nullopt, along});
    }

    void fly(std::size_t k) {
        Goal& g = goals_[k];
        const bool first_of_all = path_.points.empty();
        if (first_of_all) {  // nobody knows from where it comes
            state_.position = nominal_ = g.goal.place;
            nominal_amsl_ = state_.amsl_m = g.amsl_m.value_or(0);
            state_.air_mps = limits_.cruise_mps;
            g.point = addPoint(g.place, g.amsl_m, g.source);
            known_ = g.amsl_m.has_value();
            put();
            g.after = state_;
            g.flown = true;
            return;
        }
        known_ = g.amsl_m.has_value() && ground_.has_value();
        WingGoal goal = withHeight(g);
        if (state_.rolling && goal.kind != WingGoal::takeOff) {  // no take-off item: up on the way to the first item
            WingGoal up;
            up.kind = WingGoal::takeOff;
            up.amsl_m = goal.amsl_m;
            flyPieces(wingLegs(limits_, nominal_, nominal_amsl_, {}, up, goal), g, false, true);
            came_ = state_.position - nominal_;
            nominal_ = climb_end_;
            nominal_amsl_ = goal.amsl_m;
        }
        const auto next = k + 1 < goals_.size() ? std::optional(withHeight(goals_[k + 1])) : std::nullopt;
        flyPieces(wingLegs(limits_, nominal_, nominal_amsl_, came_, goal, next), g, g.home,
                  goal.kind == WingGoal::takeOff);
        const Vec2 end = goal.kind == WingGoal::takeOff ? climb_end_ : goal.place;
        came_ = end - nominal_;
        nominal_ = end;
        nominal_amsl_ = goal.amsl_m;
        g.after = state_;
        g.flown = true;
    }

    WingGoal withHeight(const Goal& g) const {
        WingGoal goal = g.goal;
        goal.amsl_m = g.amsl_m.value_or(nominal_amsl_);
        if (g.home) goal.amsl_m = std::max(goal.amsl_m, nominal_amsl_);
        return goal;
    }

    /// Each piece becomes a leg of the path, except that a run and its climb-out, and a touch-down and its stop, are
    /// one.
    void flyPieces(std::vector<WingLeg> pieces, Goal& g, bool way_home, bool takes_off) {
        for (std::size_t i = 0; i < pieces.size(); ++i) {
            WingLeg& piece = pieces[i];
            if (piece.shape == WingLeg::run && i + 1 < pieces.size()) {
                const Vec2 out = pieces[i + 1].to - pieces[i + 1].from;
                state_.heading_rad = std::atan2(out.x, out.y);
            }
            if (piece.shape == WingLeg::stop) continue;
            PathLeg leg;
            leg.from = path_.points.size() - 1;
            leg.source = g.source;
            leg.item_from = path_.points.back().source;
            leg.climb = takes_off || piece.lands;
            leg.way_home = way_home && !piece.lands;
            leg.curve = piece.shape == WingLeg::circle || piece.shape == WingLeg::curve;
            leg.line_from = path_.line.size();
            put();
            simulate(piece);
            if (piece.shape == WingLeg::run && i + 1 < pieces.size()) simulate(pieces[++i]);
            if (takes_off) climb_end_ = pieces[i].to;
            if (piece.lands && i + 1 < pieces.size()) simulate(pieces[i + 1]);  // rolls out
            const bool at_goal = i + 1 == pieces.size() || pieces[i + 1].shape == WingLeg::stop;
            const bool placed = at_goal && !takes_off && g.goal.kind != WingGoal::hold &&
                                g.goal.kind != WingGoal::turns && g.goal.kind != WingGoal::toHeight;
            const bool to_centre = !at_goal && g.goal.kind != WingGoal::land && g.goal.kind != WingGoal::comeHome;
            GeoPoint place = path_.frame.toGeo(state_.position);
            if (placed || to_centre) place = g.place;
            g.point = addPoint(place, known_ ? std::optional(state_.amsl_m) : std::nullopt, g.source);
            if (placed && g.goal.kind == WingGoal::pass) {
                path_.points.back().amsl_m = g.amsl_m;
                path_.points.back().over_ground_m = g.over_ground_m;
                path_.points.back().on_the_way = g.on_the_way;
            }
            leg.to = g.point;
            leg.line_to = path_.line.size();
            path_.legs.push_back(leg);
        }
    }

    void simulate(WingLeg& piece) {
        if (piece.time_s) piece.time_s = std::min(*piece.time_s, kMostCircling_s);
        double shown = state_.heading_rad, climb = state_.climb_mps;
        for (int i = 0; i < kMostSteps; ++i) {
            const bool done = flyWing(state_, piece, {}, limits_, kStep_s);
            const bool turned = std::abs(std::remainder(state_.heading_rad - shown, 2 * M_PI)) > kTurnShown_rad;
            if (done || turned || std::abs(state_.climb_mps - climb) > kClimbShown_mps) {
                put();
                shown = state_.heading_rad;
                climb = state_.climb_mps;
            }
            if (done) return;
            skip(piece);
        }
        put();
    }

    /// On its line, level or on its slope, nothing changes until the end: straight there.
    void skip(const WingLeg& piece) {
        if (piece.shape != WingLeg::line || piece.lands || std::abs(state_.bank_rad) > 0.005) return;
        const Vec2 line = piece.to - piece.from;
        const double run = length(line);
        const Vec2 along = line * (1 / run);
        const double done = dot(state_.position - piece.from, along);
        const double ahead = run - piece.reach_m - done;
        const double rise = (piece.to_amsl_m - piece.from_amsl_m) / run;
        const double height = piece.from_amsl_m + rise * done;
        const double speed = length(state_.velocity);
        const bool on = std::abs(cross(state_.position - piece.from, along)) < 0.1 && done > 0 && ahead > 4 * speed &&
                        std::abs(cross(state_.velocity, along)) < 0.01 * speed &&
                        std::abs(height - state_.amsl_m) < 0.2 && std::abs(state_.climb_mps - rise * speed) < 0.05 &&
                        std::abs(state_.air_mps - piece.speed_mps) < 0.01;
        if (!on) return;
        put();
        const double go = ahead - 0.5;
        state_.position = state_.position + along * go;
        state_.amsl_m += rise * go;
    }

    /// The legs only a repeat flies: to its target, and into the leg that follows there.
    void again(std::size_t k, const GoBack& repeat) {
        const Goal& g = goals_[k];
        std::size_t target = goals_.size();
        for (std::size_t i = goals_.size(); i-- > 0;)
            if (goals_[i].source == repeat.target && !goals_[i].on_the_way) target = i;
        if (target == goals_.size() || target == k || !g.flown || !goals_[target].flown) return;
        if (g.after.rolling || goals_[target].goal.kind == WingGoal::takeOff) return;
        state_ = g.after;
        nominal_amsl_ = g.amsl_m.value_or(state_.amsl_m);
        known_ = g.amsl_m.has_value() && goals_[target].amsl_m.has_value();
        const WingGoal goal = withHeight(goals_[target]);
        const auto next = target + 1 < goals_.size() ? std::optional(withHeight(goals_[target + 1])) : std::nullopt;
        PathLeg leg;
        leg.from = g.point;
        leg.to = goals_[target].point;
        leg.repeat = true;
        leg.source = leg.item_from = g.source;
        leg.line_from = path_.line.size();
        put(true);
        auto pieces = wingLegs(limits_, g.goal.place, nominal_amsl_, {}, goal, next);
        if (!pieces.empty()) simulate(pieces.front());
        // From there it is on the line of the leg after its target: as much of it as the turn takes.
        if (next && goal.kind == WingGoal::pass && pieces.size() == 1) {
            auto on = wingLegs(limits_, goal.place, goal.amsl_m, goal.place - g.goal.place, *next, {});
            for (int i = 0; i < 100 && !on.empty(); ++i) {
                if (flyWing(state_, on.front(), {}, limits_, kStep_s)) break;
                if (i % 4 == 3) put();
            }
        }
        leg.line_to = path_.line.size();
        path_.legs.push_back(leg);
    }

    const Plan& plan_;
    const Terrain* terrain_;
    WingLimits limits_;
    std::optional<double> ground_;
    Path path_;
    std::vector<Goal> goals_;
    WingState state_;
    Vec2 nominal_, came_, climb_end_;
    double nominal_amsl_ = 0;
    bool known_ = true;
};

}  // namespace

Path wingPathOf(const Plan& plan, const FlightProgram& program, const Terrain* terrain) {
    return WingPathBuilder(plan, program, terrain).run();
}

}  // namespace anhinga

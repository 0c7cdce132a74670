// What it takes to fly, against textbook calculations made here another way: Glauert's induced velocity solved on the
// tilted disc, the blades' drag summed over the disc, a wing's best endurance in closed form. Besides, against what is
// usual for small aircraft.
#include <catch2/catch.hpp>

#include <cmath>

#include "core/flight/Power.h"
#include "core/flight/Rehearse.h"
#include "core/plan/ProfileLibrary.h"
#include "support.h"

using namespace anhinga;

namespace {

constexpr double kRho = 1.225, kGravity = 9.80665;

struct Machine {
    const char* name;
    int rotors;
    double diameter_m, mass_kg, drag_area_m2, tip_mps;
    double blades;  // what they take in hover, watts for a watt of induced power
    double drive;   // motors and their electronics
    double others_w;
};

/// Induced velocity of a disc that is tilted forward by `tilt` in a flow of `v`, by halving.
double inducedVelocity(double thrust_n, double area_m2, double v, double tilt) {
    double low = 0, high = 100;
    for (int i = 0; i < 100; ++i) {
        const double vi = (low + high) / 2;
        const double through = v * std::sin(tilt) + vi, across = v * std::cos(tilt);
        (2 * kRho * area_m2 * vi * std::hypot(through, across) < thrust_n ? low : high) = vi;
    }
    return low;
}

/// How much more the blades' drag takes at an advance ratio: cube of the speed of the air at each place of the disc.
double bladeSum(double advance) {
    constexpr int kRings = 60, kTurns = 120;
    double moving = 0, still = 0;
    for (int r = 0; r < kRings; ++r)
        for (int k = 0; k < kTurns; ++k) {
            const double x = (r + 0.5) / kRings, turn = 2 * M_PI * (k + 0.5) / kTurns;
            const double tangential = x + advance * std::sin(turn), radial = advance * std::cos(turn);
            moving += std::pow(std::hypot(tangential, radial), 3);
            still += x * x * x;
        }
    return moving / still;
}

double powerOf(const Machine& m, double v) {
    const double area = m.rotors * M_PI * m.diameter_m * m.diameter_m / 4;
    const double weight = m.mass_kg * kGravity, drag = kRho / 2 * m.drag_area_m2 * v * v;
    const double thrust = std::sqrt(weight * weight + drag * drag), tilt = std::atan2(drag, weight);
    const double hover = thrust * inducedVelocity(thrust, area, 0, 0);
    // Thrust times the speed of the air through the disc: what lifts and what drags it along.
    const double lifts = thrust * (inducedVelocity(thrust, area, v, tilt) + v * std::sin(tilt));
    return (lifts + m.blades * hover * bladeSum(v / m.tip_mps)) / m.drive + m.others_w;
}

template <class F>
double least(F power) {
    double best = power(0.0);
    for (double v = 0; v < 30; v += 0.25) best = std::min(best, power(v));
    return best;
}

}  // namespace

TEST_CASE("hover and best endurance of twelve aircraft are what textbooks make of them", "[flight][power]") {
    const Machine rotors[] = {{"whoop", 4, 0.09, 0.2, 0.008, 60, 0.8, 0.70, 3},
                              {"small folding", 4, 0.24, 0.9, 0.0285, 80, 0.5, 0.82, 14},
                              {"inspection", 4, 0.30, 1.9, 0.07, 80, 0.5, 0.82, 14},
                              {"racer", 4, 0.13, 0.65, 0.015, 110, 0.6, 0.75, 5},
                              {"survey", 4, 0.44, 3.5, 0.093, 80, 0.5, 0.82, 14},
                              {"mapper", 6, 0.38, 4.8, 0.12, 85, 0.45, 0.80, 25},
                              {"octocopter", 8, 0.40, 9.5, 0.30, 90, 0.45, 0.80, 40},
                              {"sprayer", 6, 0.76, 24, 0.60, 100, 0.4, 0.85, 60},
                              {"long arms", 4, 0.66, 6.0, 0.15, 75, 0.4, 0.85, 20}};
    for (const Machine& m : rotors) {
        INFO(m.name);
        VehicleProfile v;
        v.mass_kg = m.mass_kg;
        v.rotor_area_m2 = m.rotors * M_PI * m.diameter_m * m.diameter_m / 4;
        v.drag_area_m2 = m.drag_area_m2;
        v.tip_mps = m.tip_mps;
        v.blade_share = m.blades;
        v.efficiency = m.drive;
        v.other_power_w = m.others_w;
        CHECK(flightPower_w(v, 0, 0, kRho) == Approx(powerOf(m, 0)).epsilon(0.1));
        CHECK(least([&](double s) { return flightPower_w(v, s, 0, kRho); }) ==
              Approx(least([&](double s) { return powerOf(m, s); })).epsilon(0.1));
        CHECK(flightPower_w(v, 12, 0, kRho) == Approx(powerOf(m, 12)).epsilon(0.1));
    }
    // A helicopter: its blades turn as fast whatever they carry; their drag coefficient is 0.012.
    const VehicleProfile h = helicopter();
    const double blades = kRho * h.rotor_area_m2 * h.solidity * 0.012 / 8 * std::pow(h.tip_mps, 3);
    const auto helicopterOf = [&](double speed) {
        const double weight = h.mass_kg * kGravity, drag = kRho / 2 * h.drag_area_m2 * speed * speed;
        const double thrust = std::hypot(weight, drag), tilt = std::atan2(drag, weight);
        const double lifts = thrust * (inducedVelocity(thrust, h.rotor_area_m2, speed, tilt) + speed * std::sin(tilt));
        return (lifts + blades * bladeSum(speed / h.tip_mps)) / h.efficiency + h.other_power_w;
    };
    CHECK(flightPower_w(h, 0, 0, kRho) == Approx(helicopterOf(0)).epsilon(0.1));
    CHECK(least([&](double s) { return flightPower_w(h, s, 0, kRho); }) == Approx(least(helicopterOf)).epsilon(0.1));
    // Wings: least power where the drag by lift is three times the other, sqrt(3 cd0 / k) of lift.
    VehicleProfile glider = skimmer();
    glider.mass_kg = 4.2;
    glider.wing_area_m2 = 0.7;
    glider.drag_zero = 0.028;
    glider.drag_induced = 0.03;
    for (const VehicleProfile& w : {skimmer(), glider}) {
        INFO(w.mass_kg);
        const double weight = w.mass_kg * kGravity, lift = std::sqrt(3 * w.drag_zero / w.drag_induced);
        const double speed = std::sqrt(2 * weight / (kRho * w.wing_area_m2 * lift));
        const double power = weight * speed * 4 * w.drag_zero / lift / w.efficiency + w.other_power_w;
        CHECK(least([&](double s) { return s > 3 ? flightPower_w(w, s, 0, kRho) : 1e9; }) ==
              Approx(power).epsilon(0.1));
    }
}

TEST_CASE("multirotors of the library cruise on little less than they hover on", "[flight][power]") {
    int seen = 0;
    for (const VehicleProfile& v : genericProfiles().vehicles) {
        if (v.kind != VehicleKind::multirotor) continue;
        INFO(v.name);
        ++seen;
        const double hover = flightPower_w(v, 0, 0, kRho);
        CHECK(hover / v.mass_kg > 80);
        CHECK(hover / v.mass_kg < 110);
        const double cruise = flightPower_w(v, v.cruise_mps, 0, kRho) / hover;
        CHECK(cruise >= 0.9);
        CHECK(cruise <= 1);
        // Held level against the drag at its fastest by a tilt that such aircraft fly with.
        const double drag = kRho / 2 * v.drag_area_m2 * v.max_mps * v.max_mps;
        CHECK(std::atan2(drag, v.mass_kg * kGravity) * 180 / M_PI < 35);
    }
    CHECK(seen == 4);
}

// Current and battery: current against throttle, what was left, how far the cells sag, and whether one sags more.
#include <cmath>

#include "core/base/Numbers.h"
#include "core/plan/Plan.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kRelated = 0.6, kVaries_percent = 1.5;  // correlation; deviation of the throttle
constexpr double kLeftAttention_percent = 20, kLeftBad_percent = 10;
constexpr double kSagAttention_v = 0.16, kSagBad_v = 0.3;     // a cell, at the current of 95 of 100 seconds
constexpr double kCellAttention_v = 0.06, kCellBad_v = 0.15;  // below the mean of the others
constexpr double kCellFull_v = 4.25, kCellEmpty_v = 3.0;

int cellsOf(const Flown& flown) {
    int n = 0;
    while (flown.find(fmt::format("battery.cell_{}_v", n + 1)) != nullptr) ++n;
    if (n > 0) return n;
    if (flown.plan != nullptr) return static_cast<int>(flown.plan->vehicle.battery_cells);
    const Channel* voltage = flown.find("battery.voltage_v");
    if (voltage == nullptr) return 0;
    // As few as can give the highest voltage.
    const double most = statsOf(*voltage, flown.span.from_s, flown.span.to_s).highest;
    return most > 0 ? toInt(std::ceil(most / kCellFull_v)) : 0;
}
}  // namespace

Answer askPower(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    const Channel* current = flown.find("battery.current_a");
    const Channel* throttle = flown.find("throttle.percent");
    if (current == nullptr || throttle == nullptr)
        return unknown(current == nullptr ? "The log has no current" : "The log has no throttle");
    const auto amps = flown.steadily(*current), percent = flown.steadily(*throttle);
    const Stats spread = statsOf(percent);
    if (spread.count < 20) return unknown("Less than 20 seconds of steady flight");
    if (spread.deviation < kVaries_percent)
        return unknown(fmt::format("The throttle hardly changes ({:.0f} % ± {:.1f}): nothing to follow", spread.mean,
                                   spread.deviation));
    const FittedLine line = fitLine(percent, amps);
    Answer a;
    a.value = line.r;
    a.unit = "r";
    a.verdict = line.r < kRelated || line.slope <= 0 ? Verdict::attention : Verdict::ok;
    a.evidence = fmt::format("{:.2f} A for each percent of throttle (r {:.2f}); {:.1f} A on the mean", line.slope,
                             line.r, statsOf(amps).mean);
    a.channels = {current->name, throttle->name};
    a.ruled_out.emplace_back("turns and rolls: those seconds are left out");
    if (a.verdict != Verdict::ok) {
        a.advice = "Calibrate the current sensor; look for a motor, propeller or controller that wastes power";
        a.next_flight = "Climb and descend slowly between two heights five times, in calm air";
    }
    return a;
}

Answer askBatteryLeft(const Flown& flown) {
    const Channel* left = flown.find("battery.left_percent");
    if (left == nullptr) return unknown("The log does not say what was left in the battery");
    Answer a;
    const Stats s = statsOf(*left, flown.span.from_s, flown.span.to_s);
    const double reserve = flown.plan != nullptr ? flown.plan->vehicle.reserve_percent : kLeftAttention_percent;
    a.value = s.lowest;
    a.unit = "%";
    a.from_s = std::max(flown.span.from_s, s.lowest_s - 10);
    a.to_s = flown.span.to_s;
    a.verdict = judged(-s.lowest, -reserve, -std::min(kLeftBad_percent, reserve));
    a.evidence = fmt::format("{:.0f} % left at the end, {:.0f} % at the beginning; the reserve is {:.0f} %", s.lowest,
                             s.highest, reserve);
    a.channels = {left->name};
    a.held_back.emplace_back("the aircraft's own reckoning: it is as good as its capacity setting and current sensor");
    if (a.verdict != Verdict::ok) {
        a.advice = "Plan shorter flights, or replace the battery";
        a.next_flight = "Charge, fly half as long, charge again and read what went in";
    }
    return a;
}

Answer askBatterySag(const Flown& flown) {
    const Channel* voltage = flown.find("battery.voltage_v");
    const Channel* current = flown.find("battery.current_a");
    const int cells = cellsOf(flown);
    if (voltage == nullptr || cells == 0) return unknown("The log has no voltage");
    if (current == nullptr)
        return unknown("The log has no current: how far the load pulls the voltage down cannot be told");
    const std::size_t n = flown.cells();
    const auto volts = onGrid(*voltage, flown.span.from_s, Flown::kStep_s, n),
               amps = onGrid(*current, flown.span.from_s, Flown::kStep_s, n);
    // Changes over two seconds: discharge is slower than that, so they are the resistance's.
    std::vector<double> dv, di;
    double most_di = 0;
    for (std::size_t i = 2; i < n; ++i)
        if (std::isfinite(volts[i] - volts[i - 2]) && std::isfinite(amps[i] - amps[i - 2])) {
            dv.push_back(volts[i] - volts[i - 2]);
            di.push_back(amps[i] - amps[i - 2]);
            most_di = std::max(most_di, std::abs(di.back()));
        }
    const double load = percentile(amps, 95);
    if (dv.size() < 15 || most_di < 1 || !std::isfinite(load))
        return unknown("The current hardly changes: the battery's resistance cannot be told");
    const FittedLine line = fitLine(di, dv);
    Answer a;
    const double ohm = std::max(0.0, -line.slope);
    const double sag = ohm * load / cells;
    a.value = sag;
    a.unit = "V";
    a.channels = {voltage->name, current->name};
    a.verdict = judged(sag, kSagAttention_v, kSagBad_v);
    a.evidence = fmt::format("{:.0f} mΩ: {:.2f} V a cell at {:.0f} A ({} cells)", 1000 * ohm, sag, load, cells);
    if (std::abs(line.r) < 0.5) {
        a.held_back.push_back(fmt::format("voltage and current go together poorly (r {:.2f})", line.r));
        a.confidence = Answer::low;
        if (a.verdict == Verdict::bad) a.verdict = Verdict::attention;
    }
    const Stats lowest = statsOf(*voltage, flown.span.from_s, flown.span.to_s);
    a.from_s = std::max(flown.span.from_s, lowest.lowest_s - 5);
    a.to_s = std::min(flown.span.to_s, lowest.lowest_s + 5);
    if (lowest.lowest / cells < kCellEmpty_v) {
        a.verdict = Verdict::bad;
        a.evidence += fmt::format("; down to {:.2f} V a cell", lowest.lowest / cells);
    }
    // One cell below the others, under load.
    if (flown.find("battery.cell_2_v") != nullptr && flown.no_air.empty()) {
        std::vector<double> means;
        for (int c = 1; c <= cells; ++c) {
            const Channel* cell = flown.find(fmt::format("battery.cell_{}_v", c));
            means.push_back(cell != nullptr ? statsOf(flown.inAir(*cell)).mean : NAN);
        }
        double sum = 0;
        for (const double m : means) sum += m;
        for (std::size_t c = 0; c < means.size(); ++c) {
            const double below = (sum - means[c]) / static_cast<double>(means.size() - 1) - means[c];
            const Verdict v = judged(below, kCellAttention_v, kCellBad_v);
            if (v == Verdict::ok) continue;
            a.verdict = std::max(a.verdict, v);
            a.evidence += fmt::format("; cell {} is {:.2f} V below the others", c + 1, below);
            a.channels = {fmt::format("battery.cell_{}_v", c + 1), voltage->name};
        }
    } else {
        a.held_back.emplace_back("no voltages of single cells in the log: a weak one among them is not seen");
    }
    if (a.verdict != Verdict::ok) {
        a.advice =
            "Do not fly this battery far; measure its cells' resistance, warm it before flight, replace it if it stays";
        a.next_flight = "Hover with a second battery of the same kind: does it sag as much?";
    }
    return a;
}

}  // namespace anhinga::health

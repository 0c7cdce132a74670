#include "core/review/Health.h"

#include <algorithm>
#include <cmath>

#include "core/review/health/Question.h"

namespace anhinga {

namespace {

struct Row {
    const char *id, *title, *question;
    Answer (*ask)(const health::Flown&);
};
constexpr Row kQuestions[] = {
    {"vibration", "Vibration", "Do the accelerometers shake?", health::askVibration},
    {"clipping", "Clipping", "Were accelerometers driven to their limit?", health::askClipping},
    {"gyros", "Gyros", "Do the gyros shake, and at which frequency?", health::askGyros},
    {"compass-motors", "Compass and motors", "Do the motors disturb the compass?", health::askCompassMotors},
    {"compass-model", "Compass field", "Does the compass see the Earth's field?", health::askCompassModel},
    {"height", "Height estimate", "Does the estimated height follow barometer and GPS?", health::askHeight},
    {"height-kept", "Height kept", "Does it keep the height asked for?", health::askHeightKept},
    {"descent", "Descent", "Does it come down too fast?", health::askDescent},
    {"attitude", "Attitude", "Does the attitude follow what is asked for?", health::askAttitude},
    {"hold", "Hold", "Does it stand still when it holds?", health::askHold},
    {"gps-jump", "GPS jumps", "Did the GPS jump?", health::askGpsJumps},
    {"gps-quality", "GPS reception", "Did the GPS see enough?", health::askGpsQuality},
    {"power", "Current and throttle", "Does the current follow the throttle?", health::askPower},
    {"battery-left", "Battery left", "How much was left in the battery?", health::askBatteryLeft},
    {"battery-sag", "Battery sag", "Does the battery sag?", health::askBatterySag},
    {"motors", "Motors", "Do the motors share the work?", health::askMotors},
    {"rotor-speed", "Rotor speed", "Is rotor or motor speed steady?", health::askRotorSpeed},
    {"sticks", "Sticks", "Were the sticks used against the mode?", health::askSticks},
    {"control", "Modes and messages", "What did the pilot do, and what the machine?", health::askControl},
    {"recording", "Recording", "Is the log complete?", health::askRecording},
};

int rank(Verdict v) {
    return v == Verdict::bad ? 0 : v == Verdict::attention ? 1 : v == Verdict::ok ? 2 : 3;
}

}  // namespace

const char* verdictText(Verdict verdict) {
    constexpr const char* kTexts[] = {"ok", "attention", "bad", "unknown"};
    return kTexts[static_cast<int>(verdict)];
}

const char* confidenceText(Answer::Confidence confidence) {
    constexpr const char* kTexts[] = {"low", "medium", "high"};
    return kTexts[static_cast<int>(confidence)];
}

std::vector<Answer> diagnose(const FlightLog& log, const HealthOptions& options) {
    const health::Flown flown(log, options);
    std::vector<Answer> out;
    for (const Row& row : kQuestions) {
        if (options.stop.stop_requested()) break;
        Answer a = row.ask(flown);
        a.id = row.id;
        a.title = row.title;
        a.question = row.question;
        // No figure is no verdict.
        if (a.verdict != Verdict::unknown && !std::isfinite(a.value)) {
            a.verdict = Verdict::unknown;
            a.confidence = Answer::low;
            a.evidence = "There are too few seconds to judge by";
        }
        if (a.verdict != Verdict::unknown && a.to_s <= a.from_s) {
            a.from_s = flown.span.from_s;
            a.to_s = flown.span.to_s;
        }
        out.push_back(std::move(a));
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Answer& a, const Answer& b) { return rank(a.verdict) < rank(b.verdict); });
    return out;
}

int count(const std::vector<Answer>& answers, Verdict verdict) {
    return static_cast<int>(
        std::count_if(answers.begin(), answers.end(), [&](const Answer& a) { return a.verdict == verdict; }));
}

}  // namespace anhinga

namespace anhinga::health {

namespace {
constexpr double kOffGround_m = 1.5, kTurning_percent = 8;
// Steady flying: more than this is a turn, a roll or an acceleration.
constexpr double kSteadyRoll_deg = 12, kSteadyPitch_deg = 15, kSteadyYaw_dps = 12;
constexpr double kMostSpan_s = 7 * 86400;  // a log that says more has a wrong clock
}  // namespace

Flown::Flown(const FlightLog& from, const HealthOptions& options) : log(from), plan(options.plan) {
    span = {log.firstTime(), log.firstTime() + std::min(log.duration_s(), kMostSpan_s)};
    if (options.session >= 0 && options.session < static_cast<int>(log.sessions.size())) {
        const LogSession& s = log.sessions[static_cast<std::size_t>(options.session)];
        span = {s.from_s, std::min(s.to_s, s.from_s + kMostSpan_s)};
    }
    const auto n = static_cast<std::size_t>(std::max(0.0, std::ceil(span.length_s() / kStep_s)));
    in_air.assign(n, 0);
    steady.assign(n, 0);
    const Channel* height = find("position.height_home_m");
    const Channel* throttle = find("throttle.percent");
    const Channel* speed = find("velocity.ground_mps");
    if (height == nullptr && throttle == nullptr) no_air = "neither heights nor throttle are in the log";
    const auto heights = height != nullptr ? onGrid(*height, span.from_s, kStep_s, n) : std::vector<double>(n, NAN);
    const auto throttles =
        throttle != nullptr ? onGrid(*throttle, span.from_s, kStep_s, n) : std::vector<double>(n, NAN);
    const auto speeds = speed != nullptr ? onGrid(*speed, span.from_s, kStep_s, n) : std::vector<double>(n, NAN);
    for (std::size_t i = 0; i < n; ++i) {
        const bool up = std::isfinite(heights[i]) ? heights[i] > kOffGround_m : true;
        const bool works =
            std::isfinite(throttles[i]) ? throttles[i] > kTurning_percent : std::isfinite(heights[i]) || speeds[i] > 1;
        in_air[i] = static_cast<char>(up && works);
        air_s += in_air[i] != 0 ? kStep_s : 0;
    }
    if (air_s <= 0 && no_air.empty()) no_air = "it was not in the air";
    steady = in_air;
    const auto exclude = [&](const char* name, double most, bool rate) {
        const Channel* c = find(name);
        if (c == nullptr) return;
        double before = NAN, before_s = NAN;
        for (std::size_t i = 0; i < c->t_s.size(); ++i) {
            double v = std::abs(c->value[i]);
            if (rate) {
                const double step = c->t_s[i] - before_s;
                if (std::isfinite(step) && step < 0.2) continue;  // noise of near samples is no turn
                v = std::abs(std::remainder(c->value[i] - before, 360.0)) / step;
                before = c->value[i];
                before_s = c->t_s[i];
            }
            const double cell = (c->t_s[i] - span.from_s) / kStep_s;
            if (v > most && cell >= 0 && cell < static_cast<double>(n)) steady[static_cast<std::size_t>(cell)] = 0;
        }
    };
    exclude("attitude.roll_deg", kSteadyRoll_deg, false);
    exclude("attitude.pitch_deg", kSteadyPitch_deg, false);
    exclude("attitude.yaw_deg", kSteadyYaw_dps, true);
}

const Channel* Flown::find(const std::string& name) const {
    const Channel* c = log.find(name);
    if (c == nullptr || c->t_s.empty()) return nullptr;
    const auto first = std::lower_bound(c->t_s.begin(), c->t_s.end(), span.from_s);
    return first != c->t_s.end() && *first <= span.to_s ? c : nullptr;
}

std::vector<double> Flown::inAir(const Channel& channel) const {
    auto out = onGrid(channel, span.from_s, kStep_s, cells());
    for (std::size_t i = 0; i < out.size(); ++i)
        if (in_air[i] == 0) out[i] = NAN;
    return out;
}

std::vector<double> Flown::steadily(const Channel& channel) const {
    auto out = onGrid(channel, span.from_s, kStep_s, cells());
    for (std::size_t i = 0; i < out.size(); ++i)
        if (steady[i] == 0) out[i] = NAN;
    return out;
}

Stretch Flown::air() const {
    const auto first = std::find(in_air.begin(), in_air.end(), 1);
    const auto last = std::find(in_air.rbegin(), in_air.rend(), 1);
    if (first == in_air.end()) return {span.from_s, span.from_s};
    return {span.from_s + static_cast<double>(first - in_air.begin()) * kStep_s,
            span.to_s - static_cast<double>(last - in_air.rbegin()) * kStep_s};
}

Verdict judged(double value, double attention, double bad) {
    return value >= bad ? Verdict::bad : value >= attention ? Verdict::attention : Verdict::ok;
}

Answer unknown(std::string why) {
    Answer a;
    a.verdict = Verdict::unknown;
    a.evidence = std::move(why);
    a.confidence = Answer::low;
    return a;
}

Stretch worstStretch(const Flown& flown, const std::vector<double>& per_second, double length_s) {
    const auto n = static_cast<std::size_t>(std::max(1.0, length_s / Flown::kStep_s));
    double best = -INFINITY;
    std::size_t at = 0;
    for (std::size_t i = 0; i < per_second.size(); ++i) {
        double sum = 0;
        int known = 0;
        for (std::size_t k = i; k < std::min(per_second.size(), i + n); ++k)
            if (std::isfinite(per_second[k])) {
                sum += per_second[k];
                ++known;
            }
        if (known == 0 || 2 * known < static_cast<int>(n)) continue;
        if (sum / known > best) {
            best = sum / known;
            at = i;
        }
    }
    const double from = flown.span.from_s + static_cast<double>(at) * Flown::kStep_s;
    return {from, std::min(flown.span.to_s, from + static_cast<double>(n) * Flown::kStep_s)};
}

}  // namespace anhinga::health

// Who flew: changes of mode, what was said about failures; and whether the log itself is complete.
#include <algorithm>
#include <cmath>

#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kHole_s = 3;  // without any position
constexpr double kHolesAttention_s = 5, kHolesBad_s = 60;

bool alarming(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    constexpr const char* kWords[] = {"failsafe", "lost",    "crash",  "emergency",
                                      "critical", "failure", "breach", "failed"};
    return std::any_of(std::begin(kWords), std::end(kWords),
                       [&](const char* w) { return text.find(w) != std::string::npos; });
}
}  // namespace

Answer askControl(const Flown& flown) {
    const FlightLog& log = flown.log;
    const auto inside = [&](double t) { return t >= flown.span.from_s - 1 && t <= flown.span.to_s + 1; };
    std::vector<const ModeChange*> modes;
    for (const ModeChange& m : log.modes)
        if (inside(m.t_s)) modes.push_back(&m);
    std::vector<const LogEvent*> alarms;
    for (const LogEvent& e : log.events)
        if (inside(e.t_s) && (e.kind == "message" || e.kind == "failsafe") && alarming(e.text)) alarms.push_back(&e);
    if (modes.empty() && alarms.empty()) return unknown("The log has neither modes nor messages");
    Answer a;
    a.unit = "alarms";
    a.value = static_cast<double>(alarms.size());
    a.verdict = alarms.empty() ? Verdict::ok : Verdict::attention;
    a.confidence = Answer::high;
    a.evidence = fmt::format("{} modes:", modes.size());
    constexpr std::size_t kMost = 8;
    for (std::size_t i = 0; i < std::min(kMost, modes.size()); ++i)
        a.evidence += fmt::format("{} {} at {}", i > 0 ? "," : "", modes[i]->name,
                                  durationText(std::max(0.0, modes[i]->t_s - flown.span.from_s)));
    if (modes.size() > kMost) a.evidence += fmt::format(" and {} more", modes.size() - kMost);
    if (!alarms.empty()) {
        a.evidence += fmt::format("; said: \"{}\" at {}", alarms.front()->text,
                                  durationText(std::max(0.0, alarms.front()->t_s - flown.span.from_s)));
        if (alarms.size() > 1) a.evidence += fmt::format(" and {} more", alarms.size() - 1);
        a.from_s = alarms.front()->t_s - 5;
        a.to_s = alarms.front()->t_s + 10;
        a.advice = "Read the messages around this moment, and what the height, the battery and the link did";
        a.next_flight = "None before the cause is known";
    } else if (modes.size() > 1) {
        a.from_s = modes[1]->t_s - 2;
        a.to_s = modes[1]->t_s + 8;
    }
    a.channels = {"position.height_home_m"};
    return a;
}

Answer askRecording(const Flown& flown) {
    Answer a;
    a.unit = "s";
    const Channel* lat = flown.find("position.lat_deg");
    double missing = 0, longest = 0, longest_at = 0;
    int holes = 0;
    if (lat != nullptr)
        for (std::size_t i = 1; i < lat->t_s.size(); ++i) {
            const double step = lat->t_s[i] - lat->t_s[i - 1];
            // Between two flights in a file nothing is missing.
            const auto same = [&](const LogSession& x) { return x.from_s <= lat->t_s[i - 1] && x.to_s >= lat->t_s[i]; };
            const auto& all = flown.log.sessions;
            if (!all.empty() && std::none_of(all.begin(), all.end(), same)) continue;
            if (step < kHole_s || lat->t_s[i] > flown.span.to_s || lat->t_s[i - 1] < flown.span.from_s) continue;
            ++holes;
            missing += step;
            if (step > longest) {
                longest = step;
                longest_at = lat->t_s[i - 1];
            }
        }
    a.value = missing;
    a.verdict = judged(missing, kHolesAttention_s, kHolesBad_s);
    if (lat == nullptr) {
        a.evidence = "no positions";
        a.verdict = Verdict::attention;
    } else if (holes == 0) {
        a.evidence = "no hole in the positions";
    } else {
        a.evidence =
            fmt::format("{} holes in the positions, {:.0f} s in all; the longest {:.0f} s", holes, missing, longest);
        a.from_s = longest_at;
        a.to_s = longest_at + longest;
        a.channels = {lat->name};
    }
    if (flown.log.damaged_bytes > 0 || flown.log.damaged_records > 0) {
        a.verdict = std::max(a.verdict, Verdict::attention);
        a.evidence += fmt::format("; {} damaged bytes passed over in {} places", flown.log.damaged_bytes,
                                  flown.log.damaged_records);
    }
    a.evidence += fmt::format("; {} channels", flown.log.list().size());
    const char* const kSeen[] = {"imu.gyro_x_dps", "imu.accel_z_mps2", "mag.x_ut", "baro.height_m",
                                 "battery.current_a"};
    std::string rates;
    for (const char* name : kSeen)
        if (const Channel* c = flown.find(name))
            rates += fmt::format("{} {} {:.0f} Hz", rates.empty() ? ";" : ",", name, sampleRate_hz(*c));
    a.evidence += rates;
    a.confidence = Answer::high;
    if (a.verdict != Verdict::ok) {
        a.advice =
            "Take the log aboard rather than the recording of the link; replace the memory card if it is damaged too";
        a.next_flight = "Any: look whether the next log has holes too";
    }
    return a;
}

}  // namespace anhinga::health

// The health report: what a log says about the aircraft. Each question has its own file in health/ and one row in the
// table of Health.cpp. Thresholds and where they come from: docs/health.md.
#pragma once

#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "core/flightlog/FlightLog.h"

namespace anhinga {

struct Plan;

enum class Verdict { ok, attention, bad, unknown };
const char* verdictText(Verdict verdict);

struct Answer {
    std::string id, title, question;  // "vibration", "Vibration", "Do the accelerometers shake?"
    Verdict verdict = Verdict::unknown;
    std::string evidence;                           // in numbers; of an unknown one: what is missing
    double value = 0;                               // what was judged
    std::string unit;                               // empty for an unknown one
    double from_s = 0, to_s = 0;                    // where to look
    std::vector<std::string> channels;              // to draw there, the first on the left axis
    std::string advice;                             // what to try; empty where nothing is wrong
    std::vector<std::string> ruled_out, held_back;  // what it is not, and why this is not sure
    std::string next_flight;                        // which would decide
    enum Confidence { low, medium, high } confidence = medium;
};
const char* confidenceText(Answer::Confidence confidence);

struct HealthOptions {
    int session = -1;            // of the log; -1: the whole
    const Plan* plan = nullptr;  // reserve and battery are its vehicle's; null: usual ones
    std::stop_token stop = {};   // between two questions; what was not asked yet is not among the answers
};

/// All questions, the worst verdict first, unknown ones last.
std::vector<Answer> diagnose(const FlightLog& log, const HealthOptions& options = {});
/// How many answers there are with this verdict.
int count(const std::vector<Answer>& answers, Verdict verdict);

}  // namespace anhinga

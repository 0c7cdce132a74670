// What is known of parameters: our stand-in's own, and those of real families that this program reads.
#include "core/base/Text.h"
#include "core/link/ParameterRoles.h"

namespace anhinga {

namespace {

/// n when `name` is `pattern` with a whole number from 1 to 16 in place of "{}"; 0 when it is not.
int numberIn(const std::string& name, std::string_view pattern) {
    const auto gap = pattern.find("{}");
    if (gap == std::string_view::npos || name.size() <= pattern.size() - 2) return 0;
    const auto after = pattern.substr(gap + 2);
    if (name.compare(0, gap, pattern.substr(0, gap)) != 0 ||
        name.compare(name.size() - after.size(), after.size(), after) != 0)
        return 0;
    const auto n = parseNumber(name.substr(gap, name.size() - gap - after.size()));
    return n && *n >= 1 && *n <= 16 && *n == std::floor(*n) ? static_cast<int>(*n) : 0;
}

struct Numbered {
    const char *pattern, *subject, *unit;
    double usual, low, high;
    const char* text;
};
constexpr Numbered kNumbered[] = {
    {"OUTPUT_DRIVES_{}", "Outputs", "", NAN, 0, 16, "What output {} drives: 0 nothing, 1 to 16 that motor"},
    {"OUTPUT_LEAST_{}", "Outputs", "", 1050, 800, 2200, "Shortest pulse of output {}, microseconds"},
    {"OUTPUT_MOST_{}", "Outputs", "", 1950, 800, 2200, "Longest pulse of output {}, microseconds"},
    {"PULSE_LEAST_{}", "Transmitter", "", 1100, 800, 2200, "Shortest pulse of channel {}, microseconds"},
    {"PULSE_MID_{}", "Transmitter", "", 1500, 800, 2200, "Pulse of channel {} at rest, microseconds"},
    {"PULSE_MOST_{}", "Transmitter", "", 1900, 800, 2200, "Longest pulse of channel {}, microseconds"},
    {"SWITCH_MODE_{}", "Transmitter", "", NAN, 0, 255, "Mode at position {} of the mode switch"}};

}  // namespace

std::span<const ParameterInfo> ownParameters() {
    static const ParameterInfo kOwn[] = {
#include "core/link/OwnParameters.inc"
    };
    return kOwn;
}

std::optional<ParameterInfo> parameterInfo(const std::string& name) {
    for (const ParameterInfo& p : ownParameters())
        if (name == p.name) return p;
    for (const Numbered& p : kNumbered)
        if (const int n = numberIn(name, p.pattern))
            return ParameterInfo{name, p.subject, p.unit, p.usual, p.low, p.high, fmt::format(fmt::runtime(p.text), n)};
    for (const RoleName& r : roleNames()) {
        if (r.family == kOwnFamily) continue;
        const int n = numberIn(name, r.name);
        if (n == 0 && name != r.name) continue;
        ParameterInfo info;
        info.name = name;
        info.subject = r.role == ParameterRole::returnHeight_m ? "Return home" : "Transmitter";
        info.text = fmt::format(fmt::runtime(r.meaning), n);
        return info;
    }
    return std::nullopt;
}

}  // namespace anhinga

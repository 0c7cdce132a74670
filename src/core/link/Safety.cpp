#include "core/link/Safety.h"

#include <cmath>
#include <span>

namespace anhinga {

namespace {

using Subject = SafetySubject;
using enum SafetyMeans;

enum Kinds { rotors = 1, wings = 2, any = 3 };

struct Row {
    Subject subject;
    int kinds;
    const char* name;
    double scale;
    struct At {
        int value = 0;
        SafetyMeans means = unknown;
    };
    At means[6];  // of an action; unused ones are `unknown`
};
constexpr Row kOwn[] = {
#include "core/link/safety/Own.inc"
};
constexpr Row kThree[] = {
#include "core/link/safety/Three.inc"
};
constexpr Row kTwelve[] = {
#include "core/link/safety/Twelve.inc"
};

std::span<const Row> rowsOf(AutopilotFamily family) {
    switch (family) {
        case AutopilotFamily::own:
            return kOwn;
        case AutopilotFamily::three:
            return kThree;
        case AutopilotFamily::twelve:
            return kTwelve;
        case AutopilotFamily::plain:
            break;
    }
    return {};
}

/// The first row of a subject whose parameter is held; null: none.
const Row* rowOf(const ParameterSet& held, AutopilotFamily family, VehicleKind kind, Subject subject) {
    const int wanted = hovers(kind) ? rotors : wings;
    for (const Row& row : rowsOf(family))
        if (row.subject == subject && (row.kinds & wanted) != 0 && held.contains(row.name)) return &row;
    return nullptr;
}

}  // namespace

const char* meansText(SafetyMeans means) {
    switch (means) {
        case unknown:
            return "does something that is not known here";
        case nothing:
            return "does nothing";
        case says:
            return "only says so";
        case returns:
            return "returns home";
        case lands:
            return "lands";
        case holds:
            return "holds";
        case carriesOn:
            return "carries on";
        case endsFlight:
            return "cuts its motors";
    }
    return "";
}

bool AircraftSafety::known() const {
    return !rowsOf(family_).empty();
}

std::optional<SafetySetting> AircraftSafety::at(Subject subject) const {
    const Row* row = rowOf(held_, family_, kind_, subject);
    if (row == nullptr) return std::nullopt;
    const Parameter& held = held_.at(row->name);
    if (!std::isfinite(held.value)) return std::nullopt;
    SafetySetting s{row->name, held, held.value * row->scale};
    for (const Row::At& m : row->means)
        if (m.means != unknown && held.value == m.value) s.means = m.means;
    return s;
}

std::optional<std::pair<std::string, Parameter>> AircraftSafety::wanting(Subject subject, double value) const {
    const Row* row = rowOf(held_, family_, kind_, subject);
    if (row == nullptr) return std::nullopt;
    Parameter p = held_.at(row->name);
    p.value = value / row->scale;
    constexpr int kFloat = 9;
    if (p.type != kFloat) p.value = std::round(p.value);
    return std::pair(std::string(row->name), p);
}

std::optional<std::pair<std::string, Parameter>> AircraftSafety::wanting(Subject subject, SafetyMeans means) const {
    const Row* row = rowOf(held_, family_, kind_, subject);
    if (row == nullptr || means == unknown) return std::nullopt;
    for (const Row::At& m : row->means)
        if (m.means == means) {
            Parameter p = held_.at(row->name);
            p.value = m.value;
            return std::pair(std::string(row->name), p);
        }
    return std::nullopt;
}

}  // namespace anhinga

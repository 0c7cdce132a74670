// The vehicle's parameters: read all, set one and read it back, keep them in a file, compare two sets.
#pragma once

#include <cmath>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/link/Conversation.h"

namespace anhinga {

struct Parameter {
    double value = 0;
    int type = 9;  // MAV_PARAM_TYPE; 9: 32-bit float
    bool operator==(const Parameter&) const = default;
};
using ParameterSet = std::map<std::string, Parameter>;

/// What is known of a parameter.
struct ParameterInfo {
    std::string name;
    std::string subject;  // what it is about: "Fence"
    std::string unit;     // empty: a whole number; "1": a ratio
    /// NaN where it is not known: that depends on the aircraft.
    double usual = NAN, low = NAN, high = NAN;
    std::string text;
    bool unlikeUsual(double value) const {
        return static_cast<float>(usual) != static_cast<float>(value) && usual == usual;
    }
    bool fits(double value) const { return !(value < low) && !(value > high); }
};
/// Of our stand-in's own vocabulary everything; of a real family's parameters what those mean that this program reads
/// (ParameterRoles); nothing of all others.
std::optional<ParameterInfo> parameterInfo(const std::string& name);
/// The stand-in's own, by name.
std::span<const ParameterInfo> ownParameters();

/// All of them; those that get lost are asked for one by one.
Result<ParameterSet> readParameters(VehicleLink& link, const TransferOptions& options = {});
Result<Parameter> readParameter(VehicleLink& link, const std::string& name, const TransferOptions& options = {});
/// Sets it and compares what the vehicle then says it holds. An error when it refuses, or holds another value: the
/// message says which.
Result<Parameter> setParameter(VehicleLink& link, const std::string& name, Parameter wanted,
                               const TransferOptions& options = {});

/// CSV: a line "# ..." of explanation, "name,value,type", then one a line by name. Values survive the round trip
/// exactly as 32-bit floats.
std::string writeParameters(const ParameterSet& set, const std::string& explanation);
/// Also reads NAME VALUE and NAME,VALUE without a type. Errors name the line.
Result<ParameterSet> parseParameters(const std::string& text, const std::string& file_name);

struct ParameterDifference {
    std::string name;
    std::optional<double> ours, theirs;  // nothing: not in that set
};
/// By name; 32-bit floats are compared as such.
std::vector<ParameterDifference> compareParameters(const ParameterSet& ours, const ParameterSet& theirs);
/// "0.15", "1", "3.4028235e+38": the shortest that is the same 32-bit float.
std::string parameterText(double value);

}  // namespace anhinga

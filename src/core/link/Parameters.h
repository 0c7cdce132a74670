// The vehicle's parameters: read all, set one and read it back, keep them in a file, compare two sets.
#pragma once

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

/// What is known of a parameter of autopilot family 3.
struct ParameterInfo {
    const char* name;
    const char* unit;
    double standard, low, high;
    const char* text;
};
/// nullptr when nothing is known of it.
const ParameterInfo* parameterInfo(const std::string& name);
std::span<const ParameterInfo> knownParameters();

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

// What units, numbers of modes, events and errors in self-describing logs of autopilot family 3 mean.
#pragma once

#include <optional>
#include <string_view>

namespace anhinga::selfdescribing {

/// What makes a value in a unit as files name it one of a canonical unit; nothing where they do not go together.
std::optional<double> unitFactor(std::string_view unit, std::string_view canonical);

/// Seconds that GPS time is ahead of UTC at a GPS time in Unix seconds; since 2009.
double leapSeconds(double gps_unix_s);

/// Modes that do what none of the words of core/base/Modes says, and are never commanded; empty where there is none.
const char* rareMode(bool wings, int mode);

/// What an event record's number says; empty for those that say nothing to an operator.
const char* eventWords(int id);
/// The part that an error record is about; empty for one that is not known.
const char* errorWords(int part);

}  // namespace anhinga::selfdescribing

// The native plan file NAME.anhinga.geojson: an RFC 7946 FeatureCollection, one feature a line, our data in the
// foreign member `anhinga`. Described in docs/plan-format.md.
#pragma once

#include <string>
#include <string_view>

#include "core/base/Result.h"
#include "core/plan/Plan.h"

namespace anhinga {

constexpr int kPlanFormatVersion = 8;
constexpr const char* kPlanExtension = ".anhinga.geojson";

/// Text of the file; the same plan always gives the same text.
std::string writePlanText(const Plan& plan);
/// Errors name line and column, or the feature and member, and what was expected. `name` stands in messages only.
Result<Plan> readPlanText(std::string_view text, const std::string& name);

Result<Plan> loadPlan(const std::string& path);
/// Atomic: the file is the old one or the new one, never half.
Result<void> savePlan(const Plan& plan, const std::string& path);
/// `file` of a plan stored at `plan_path`, as a path that can be opened.
std::string resolveBeside(const std::string& plan_path, const std::string& file);

/// The one word for what the camera makes and when that plans of formats 1 to 5 and the command line's older option
/// have: distance, time, stop, video or none. False, and nothing is changed, when it is none of them.
bool setCameraByOldWord(Pattern& pattern, std::string_view word);

}  // namespace anhinga

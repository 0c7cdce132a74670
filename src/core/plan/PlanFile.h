// The native plan file NAME.anhinga.geojson: an RFC 7946 FeatureCollection, one feature a line, our data in the
// foreign member `anhinga`. Described in docs/plan-format.md.
#pragma once

#include <string>
#include <string_view>

#include "core/base/File.h"
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
/// Atomic: the file is the old one or the new one, never half. What is written is read back first: a plan that could
/// not be opened again is not saved, and the error says what is wrong in it.
Result<void> savePlan(const Plan& plan, const std::string& path, const WriteOptions& options = {});
/// Whether a file of it could be opened again: every number is within what a plan file may hold.
Result<void> canBeSaved(const Plan& plan);
/// The same without looking again at what is as in `before`, which could be. The plan is taken apart meanwhile, and is
/// afterwards as it was.
Result<void> canBeSaved(Plan& plan, const Plan& before);
/// What a plan file may hold for a number of a pattern.
struct NumberRange {
    double low = 0, high = 0;
};
NumberRange allowedRange(double Pattern::*number);
/// `file` of a plan stored at `plan_path`, as a path that can be opened.
std::string resolveBeside(const std::string& plan_path, const std::string& file);
/// The same plan for a file elsewhere: terrain and pictures that were found from `from` are found from `to`; an empty
/// path stands for no file.
Plan movedTo(Plan plan, const std::string& from, const std::string& to);

/// The one word for what the camera makes and when that plans of formats 1 to 5 and the command line's older option
/// have: distance, time, stop, video or none. False, and nothing is changed, when it is none of them.
bool setCameraByOldWord(Pattern& pattern, std::string_view word);

}  // namespace anhinga

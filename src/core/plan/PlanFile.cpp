#include "core/plan/PlanFile.h"

#include <filesystem>

#include "core/base/File.h"

namespace anhinga {

namespace {
constexpr std::size_t kMaxPlanBytes = std::size_t{64} << 20;
}

Result<Plan> loadPlan(const std::string& path) {
    const auto text = readFile(path, kMaxPlanBytes);
    if (!text) return tl::unexpected(text.error());
    return readPlanText(*text, path);
}

Result<void> savePlan(const Plan& plan, const std::string& path) {
    return writeFileAtomic(path, writePlanText(plan));
}

std::string resolveBeside(const std::string& plan_path, const std::string& file) {
    const std::filesystem::path p(file);
    return p.is_absolute() ? file : (std::filesystem::path(plan_path).parent_path() / p).lexically_normal().string();
}

}  // namespace anhinga

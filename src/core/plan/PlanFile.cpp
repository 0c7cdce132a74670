#include "core/plan/PlanFile.h"

#include <cmath>
#include <filesystem>
#include <unordered_map>

#include "core/base/File.h"
#include "core/plan/PlanMembers.h"

namespace anhinga {

namespace {
constexpr std::size_t kMaxPlanBytes = std::size_t{64} << 20;
}

Result<Plan> loadPlan(const std::string& path) {
    const auto text = readFile(path, kMaxPlanBytes);
    if (!text) return tl::unexpected(text.error());
    return readPlanText(*text, path);
}

Result<void> savePlan(const Plan& plan, const std::string& path, const WriteOptions& options) {
    const std::string text = writePlanText(plan);
    if (text.size() > kMaxPlanBytes)
        return fail("{}: not saved, since it could not be opened again: it would have {} MB, and {} is the most", path,
                    text.size() >> 20, kMaxPlanBytes >> 20);
    const auto back = readPlanText(text, "the plan");
    if (!back) return fail("{}: not saved, since it could not be opened again: {}", path, back.error().message);
    if (writePlanText(*back) != text)
        return fail("{}: not saved, since it would be another plan when it is opened again", path);
    return writeFileAtomic(path, text, options);
}

namespace {

/// What is in `now` and not, the same, in `before`.
template <typename Part>
std::vector<Part> changed(const std::vector<Part>& now, const std::vector<Part>& before) {
    std::vector<Part> out;
    std::unordered_map<ItemId, const Part*> known;  // made once something stands elsewhere
    for (std::size_t i = 0; i < now.size(); ++i) {
        const Part* was = i < before.size() && before[i].id == now[i].id ? &before[i] : nullptr;
        if (was == nullptr) {
            if (known.empty())
                for (const Part& p : before) known.emplace(p.id, &p);
            const auto at = known.find(now[i].id);
            was = at != known.end() ? at->second : nullptr;
        }
        if (was == nullptr || *was != now[i]) out.push_back(now[i]);
    }
    return out;
}

Result<void> readsBack(const Plan& plan) {
    const auto back = readPlanText(writePlanText(plan), "the plan");
    if (!back) return tl::unexpected(back.error());
    return {};
}

}  // namespace

NumberRange allowedRange(double Pattern::*number) {
    for (const planfile::PatternNumber& n : planfile::kPatternNumbers)
        if (n.value == number) return {n.low, n.high};
    return {-INFINITY, INFINITY};
}

Result<void> canBeSaved(const Plan& plan) {
    return readsBack(plan);
}

Result<void> canBeSaved(Plan& plan, const Plan& before) {
    constexpr std::size_t kMostParts = 100000;
    if (plan.items.size() + plan.fences.size() + plan.rally.size() + plan.obstacles.size() + plan.zones.size() +
            plan.covers.size() >=
        kMostParts)
        return fail("more than the {} parts a plan may hold", kMostParts);
    // Without its long lists a plan is soon copied.
    Plan lists;
    const auto exchange = [&] {
        std::swap(plan.items, lists.items);
        std::swap(plan.zones, lists.zones);
        std::swap(plan.seals, lists.seals);
    };
    exchange();
    Plan probe = plan;
    exchange();
    probe.fences = changed(plan.fences, before.fences);
    probe.rally = changed(plan.rally, before.rally);
    probe.obstacles = changed(plan.obstacles, before.obstacles);
    probe.zones = changed(plan.zones, before.zones);
    probe.covers = changed(plan.covers, before.covers);
    if (plan.checklist == before.checklist) probe.checklist.clear();
    if (plan.sections == before.sections) probe.sections.clear();
    if (plan.cuts == before.cuts) probe.cuts.clear();
    if (const auto ok = readsBack(probe); !ok) return ok;
    const auto items = changed(plan.items, before.items);
    if (items.empty()) return {};
    Plan alone;
    alone.items = items;
    if (readsBack(alone)) return {};
    // Which of them it is.
    for (const Item& item : items) {
        alone.items = {item};
        if (const auto ok = readsBack(alone); !ok) return failIn(itemText(plan, item.id), ok.error());
    }
    return readsBack(plan);
}

std::string resolveBeside(const std::string& plan_path, const std::string& file) {
    const std::filesystem::path p(file);
    return p.is_absolute() ? file : (std::filesystem::path(plan_path).parent_path() / p).lexically_normal().string();
}

Plan movedTo(Plan plan, const std::string& from, const std::string& to) {
    namespace fs = std::filesystem;
    std::error_code none;
    const auto folderOf = [&](const std::string& file) {
        return fs::absolute(file, none).lexically_normal().parent_path();
    };
    if (!to.empty() && !from.empty() && folderOf(from) == folderOf(to)) return plan;
    for (auto* files : {&plan.terrain_files, &plan.imagery_files})
        for (std::string& f : *files) {
            const bool was_absolute = fs::path(f).is_absolute();
            const fs::path whole = fs::absolute(from.empty() ? f : resolveBeside(from, f), none).lexically_normal();
            // What lies below the plan is told from there, what was named by its whole path stays so, the rest is told
            // from where the plan lies now.
            const fs::path beside = to.empty() ? fs::path() : whole.lexically_relative(folderOf(to));
            const bool below = !beside.empty() && *beside.begin() != "..";
            f = beside.empty() || (was_absolute && !below) ? whole.string() : beside.string();
        }
    return plan;
}

}  // namespace anhinga

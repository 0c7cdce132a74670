// A copy of what is not saved yet, safe against a bad end of the program: one file for each running window, locked
// while that window lives, so that another window never takes it for a leftover.
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/plan/Plan.h"

namespace anhinga {

class KeptCopy {
  public:
    KeptCopy() = default;
    /// Makes `folder` when needed and takes a file of its own in it.
    static Result<KeptCopy> begin(const std::string& folder);
    KeptCopy(KeptCopy&& other) noexcept;
    KeptCopy& operator=(KeptCopy&& other) noexcept;
    KeptCopy(const KeptCopy&) = delete;
    KeptCopy& operator=(const KeptCopy&) = delete;
    /// Ends well: nothing is left.
    ~KeptCopy();

    /// Replaces the copy whole (temporary file, sync, rename). `original` is the plan's own file, empty for none.
    Result<void> write(const Plan& plan, const std::string& original);
    /// There is nothing unsaved any more.
    void clear();
    const std::string& file() const { return file_; }
    /// It was never begun, or its folder has been taken away since.
    bool gone() const;

  private:
    std::string file_;
    int lock_ = -1;
};

/// What a window that ended badly left behind.
struct LeftPlan {
    std::string file, original;
    Plan plan;
    std::string problem = {};  // why the copy cannot be read; it is there as a file all the same
};
/// Of windows that are gone, newest first. Locks that nothing belongs to are taken away.
std::vector<LeftPlan> leftPlans(const std::string& folder);
void removeLeft(const LeftPlan& left);

}  // namespace anhinga

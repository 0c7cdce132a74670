// A mission longer than the autopilot's memory, flown in one: its memory holds two halves; while one is flown the other
// is filled with what comes next. Between the halves stands a gate: return home, until the other half has been sent,
// read back and compared; then it leads on. A link that is lost therefore never makes the aircraft fly an old half
// again: it returns home at the gate.
#pragma once

#include <optional>
#include <vector>

#include "core/base/Result.h"
#include "core/link/MissionTransfer.h"

namespace anhinga {

/// What the aircraft's memory holds at each stage. All stages are equally long.
class BatchPlan {
  public:
    /// `limit`: mission items the aircraft can hold. Fails when the limit is too small, or a repeat would reach from
    /// one part into another.
    static Result<BatchPlan> make(const std::vector<MissionItem>& mission, int limit, bool item0_is_home);
    static Result<BatchPlan> make(const FlightProgram& program, int limit);

    /// Parts the mission was cut into. Part n stands in half n % 2.
    std::size_t parts() const { return parts_.size(); }
    /// What is sent before take-off: the first two parts, the gate behind the second closed.
    const std::vector<MissionItem>& first() const { return first_; }
    /// Where the items of part n stand: first and last index. The gate is the item after the last of its half.
    std::size_t beginOf(std::size_t part) const;
    std::size_t endOf(std::size_t part) const;
    std::size_t gateOf(std::size_t part) const;
    /// Last index of the half it stands in.
    std::size_t slotEndOf(std::size_t part) const;
    /// The memory with part n in its half and the gate behind it closed; everything else as in `memory`.
    std::vector<MissionItem> with(std::vector<MissionItem> memory, std::size_t part) const;
    /// The memory with the gate before part n open.
    std::vector<MissionItem> opened(std::vector<MissionItem> memory, std::size_t part) const;
    /// Index in the whole mission of an item of the memory while part n or n + 1 is flown; nothing for a gate.
    std::optional<std::size_t> sourceOf(std::size_t index, std::size_t part) const;

  private:
    struct Part {
        std::vector<MissionItem> items;   // what it begins with (speed, camera ...) first
        std::vector<std::size_t> source;  // of each; the item it stands for
    };
    std::vector<Part> parts_;
    std::size_t half_ = 0, base_ = 0;
    std::vector<MissionItem> first_;
};

/// Sends the parts as they are needed, on the caller's thread, until the last is sent.
class BatchSender {
  public:
    BatchSender(VehicleLink& link, BatchPlan plan) : link_(link), plan_(std::move(plan)) {}
    /// Hands over the first two parts with fence and rally points.
    Result<HandOver> begin(const MissionSet& set, bool item0_is_home, const TransferOptions& options,
                           const TranslationInput& input = {});
    Result<HandOver> begin(const ToSend& plan, const TransferOptions& options, const TranslationInput& input = {});
    /// True when tend() has something to send. Follows the flight: to be asked as long as it flies.
    bool due(const VehicleSnapshot& vehicle);
    /// Call it a few times a second while the mission is flown; blocks while it sends. An error is one of this try
    /// only: the next call tries again as long as the gate is not reached.
    Result<void> tend(const TransferOptions& options);
    bool done() const { return sent_ >= plan_.parts(); }
    std::size_t sent() const { return sent_; }
    const BatchPlan& plan() const { return plan_; }
    /// The part being flown.
    std::size_t part() const { return part_; }

  private:
    Result<void> write(const std::vector<MissionItem>& wanted, std::size_t first, std::size_t last,
                       const TransferOptions& options);
    VehicleLink& link_;
    BatchPlan plan_;
    std::vector<MissionItem> memory_;
    bool item0_is_home_ = true;
    TranslationInput input_;
    std::size_t sent_ = 0, part_ = 0;
};

}  // namespace anhinga

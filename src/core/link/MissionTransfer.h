// The MAVLink mission micro-service (mission, fence and rally lists) and the hand-over built on it: send, read back,
// compare. All block the calling thread, report progress, end by themselves when the vehicle falls silent, and stop
// when asked.
#pragma once

#include <vector>

#include "core/link/Conversation.h"
#include "core/mission/Mission.h"

namespace anhinga {

enum class MissionType { mission = 0, fence = 1, rally = 2 };
const char* missionTypeText(MissionType type);

/// Upload: the vehicle asks for each item; an empty list clears what it holds.
Result<void> uploadMission(VehicleLink& link, MissionType type, const std::vector<MissionItem>& items,
                           const TransferOptions& options = {});
/// Only the items first..last (of the whole list `items`) are sent; the vehicle keeps the rest. An error when the
/// vehicle does not know how: the whole list must be sent then.
Result<void> uploadPart(VehicleLink& link, MissionType type, const std::vector<MissionItem>& items, std::size_t first,
                        std::size_t last, const TransferOptions& options = {});
/// Several items are asked for at a time; one after the other with a vehicle that does not answer that.
Result<std::vector<MissionItem>> downloadMission(VehicleLink& link, MissionType type,
                                                 const TransferOptions& options = {});

struct HandOver {
    MissionSet held;  // as the vehicle holds them
    std::vector<MissionDifference> differences;
    bool verified = false;
    std::uint64_t fingerprint = 0;  // of what was sent
    std::size_t sent = 0;           // items that were sent, of all three lists
    bool stored = false;            // the vehicle has said that it keeps them over a power cut
};
/// Reads fence, route and rally points.
Result<MissionSet> downloadAll(VehicleLink& link, const TransferOptions& options = {});
/// Sends fence, route and rally points, reads all back and compares field by field. A vehicle that knows no rally
/// points is no failure as long as there are none to send. With `held` (what the vehicle is known to hold) only what
/// differs is sent; all is read back all the same.
Result<HandOver> handOver(VehicleLink& link, const MissionSet& set, bool item0_is_home,
                          const TransferOptions& options = {}, const MissionSet* held = nullptr);

/// MISSION_ITEM_INT for an item, and back.
mavlink::Message missionItemMessage(const MissionItem& item, MissionType type, int system, int component);
MissionItem missionItemOf(const mavlink::Message& message);

}  // namespace anhinga

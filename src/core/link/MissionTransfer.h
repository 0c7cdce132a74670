// The MAVLink mission micro-service (mission, fence and rally lists) and the hand-over built on it: send, read back,
// compare. All block the calling thread, report progress, end by themselves when the vehicle falls silent, and stop
// when asked.
#pragma once

#include <vector>

#include "core/dialect/Held.h"
#include "core/dialect/Meaning.h"
#include "core/link/Conversation.h"

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
    HeldPlan held;                               // as the vehicle holds them, in the plan's items
    std::vector<MissionDifference> differences;  // of meaning
    std::vector<KeptField> kept;                 // what its family rounds, leaves out or is told otherwise
    std::vector<Unsaid> refused;                 // not empty: nothing was sent, the aircraft cannot be told these
    std::string dialect;                         // the aircraft's family and kind in words
    std::string objection;  // what the aircraft said when it found the list it had taken not valid; empty: nothing
    bool verified = false;  // agrees in meaning, and nothing was objected to
    std::uint64_t fingerprint = 0;  // of what was sent
    std::size_t sent = 0;           // items that were sent, of all three lists
};
/// Reads fence, route and rally points, as they stand aboard.
Result<MissionSet> downloadAll(VehicleLink& link, const TransferOptions& options = {});
/// How the vehicle on the link is spoken to: by its family, its kind and what it says it can.
AutopilotDialect dialectOf(const VehicleSnapshot& vehicle);
/// Translates fence, route and rally points for the vehicle, sends them, reads all back and compares by meaning. What
/// the vehicle cannot be told ends it before anything is sent (`refused`). A vehicle that knows no fence or no rally
/// points takes a plan without them. With `held` (what the vehicle is known to hold) only what differs is sent, where
/// it takes parts; all is read back all the same.
Result<HandOver> handOver(VehicleLink& link, const MissionSet& set, bool item0_is_home,
                          const TransferOptions& options = {}, const MissionSet* held = nullptr,
                          const TranslationInput& input = {});
Result<HandOver> handOver(VehicleLink& link, const ToSend& plan, const TransferOptions& options = {},
                          const HeldPlan* held = nullptr, const TranslationInput& input = {});
/// What the vehicle holds now, compared with `set` without sending any of it.
Result<HandOver> compareHeld(VehicleLink& link, const MissionSet& set, bool item0_is_home,
                             const TransferOptions& options = {}, const TranslationInput& input = {});

Result<HandOver> compareHeld(VehicleLink& link, const ToSend& plan, const TransferOptions& options = {},
                             const TranslationInput& input = {});
/// What stands aboard, with home as its first entry, as plans count.
Result<HeldPlan> readHeld(VehicleLink& link, const TransferOptions& options = {});

/// MISSION_ITEM_INT for an item, and back.
mavlink::Message missionItemMessage(const MissionItem& item, MissionType type, int system, int component);
MissionItem missionItemOf(const mavlink::Message& message);

}  // namespace anhinga

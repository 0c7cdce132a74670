// The MAVLink micro-services the job needs: mission and fence transfer, hand-over with read-back, commands.
// All block the calling thread, report progress, end by themselves when the vehicle falls silent, and stop when asked.
#pragma once

#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/link/VehicleLink.h"
#include "core/mission/Mission.h"

namespace anhinga {

enum class MissionType { mission = 0, fence = 1, rally = 2 };
const char* missionTypeText(MissionType type);

/// 0..1, and what is being done now.
using Progress = std::function<void(double, const std::string&)>;

struct TransferOptions {
    Progress progress = {};
    std::stop_token stop = {};
    double resend_s = 0.8;   // no answer: say it again
    double silence_s = 7.0;  // no answer for so long: give up
};

/// Mission micro-service, upload: the vehicle asks for each item; an empty list clears what it holds.
Result<void> uploadMission(VehicleLink& link, MissionType type, const std::vector<MissionItem>& items,
                           const TransferOptions& options = {});
Result<std::vector<MissionItem>> downloadMission(VehicleLink& link, MissionType type,
                                                 const TransferOptions& options = {});

struct HandOver {
    MissionSet held;  // as the vehicle holds them
    std::vector<MissionDifference> differences;
    bool verified = false;
    std::uint64_t fingerprint = 0;  // of what was sent
};
/// Reads fence, route and rally points.
Result<MissionSet> downloadAll(VehicleLink& link, const TransferOptions& options = {});
/// Sends fence, route and rally points, reads all back and compares field by field. A vehicle that knows no rally
/// points is no failure as long as there are none to send.
Result<HandOver> handOver(VehicleLink& link, const MissionSet& set, bool item0_is_home,
                          const TransferOptions& options = {});

/// COMMAND_LONG with acknowledgement: resent with a raised confirmation count, then given up. A refusal is an error
/// with the reason in words.
Result<void> sendCommand(VehicleLink& link, std::uint16_t command, const std::vector<float>& params,
                         const std::string& name, std::stop_token stop = {});

/// What the operator's buttons do, for autopilot family 3 modes.
Result<void> commandArm(VehicleLink& link, std::stop_token stop = {});
Result<void> commandTakeOff(VehicleLink& link, double height_m, std::stop_token stop = {});
Result<void> commandStart(VehicleLink& link, std::stop_token stop = {});
Result<void> commandPause(VehicleLink& link, std::stop_token stop = {});
Result<void> commandResume(VehicleLink& link, std::stop_token stop = {});
Result<void> commandReturn(VehicleLink& link, std::stop_token stop = {});
Result<void> commandLand(VehicleLink& link, std::stop_token stop = {});

/// MISSION_ITEM_INT for an item, and back.
mavlink::Message missionItemMessage(const MissionItem& item, MissionType type, int system, int component);
MissionItem missionItemOf(const mavlink::Message& message);

}  // namespace anhinga

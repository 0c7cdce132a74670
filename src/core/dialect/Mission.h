// MAVLink mission items as they are sent and read back. Seen by dialects, link, readers of logs and stand-in alone.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/geo/Geo.h"
#include "core/plan/Height.h"

namespace anhinga {

/// Numbers of the MAVLink standard used in missions (MAV_CMD, MAV_FRAME).
namespace cmd {
constexpr std::uint16_t waypoint = 16, loiterForEver = 17, loiterTurns = 18, loiterToHeight = 31, spline = 82,
                        delay = 93, heading = 115, relay = 181, servo = 183, photoInterval = 2000, photoStop = 2001,
                        videoStart = 2500, videoStop = 2501, fenceCircleIn = 5003, fenceCircleOut = 5004, rally = 5100;
constexpr std::uint16_t loiterTime = 19, returnHome = 20, land = 21, takeOff = 22, jump = 177, changeSpeed = 178,
                        lookAt = 195, lookAtStop = 197, mountControl = 205, photoDistance = 206, photoNow = 203,
                        missionStart = 300, armDisarm = 400, setMessageInterval = 511, requestMessage = 512,
                        doSetMode = 176, changeHeight = 186, reposition = 192, pauseContinue = 193,
                        setMissionCurrent = 224, storage = 245, reboot = 246, gimbalPitchYaw = 1000,
                        gimbalConfigure = 1001, fenceKeepIn = 5001, fenceKeepOut = 5002;
}  // namespace cmd
namespace frame {
constexpr std::uint8_t amsl = 0, mission = 2, home = 3, ground = 10;
}

struct MissionItem {
    std::uint16_t seq = 0;
    std::uint8_t frame = frame::home;
    std::uint16_t command = 0;
    float param1 = 0, param2 = 0, param3 = 0, param4 = 0;
    std::int32_t x = 0, y = 0;  // latitude and longitude in 1e-7 degrees where the command has a place
    float z = 0;
};

/// Everything a hand-over sends: the three lists of the standard.
struct MissionSet {
    std::vector<MissionItem> mission, fence, rally;
};

/// True for commands the aircraft flies to (the rest happen on the way).
bool isNavigation(std::uint16_t command);
/// True when x, y are a place.
bool hasPlace(const MissionItem& item);
GeoPoint placeOf(const MissionItem& item);
std::int32_t toE7(double degrees);
/// MAV_FRAME for a height reference; and back (the *_INT doubles 5, 6 and 11 mean the same).
std::uint8_t frameOf(HeightRef ref);
HeightRef refOf(std::uint8_t frame);
/// 5, 6 and 11 become 0, 3 and 10.
std::uint8_t plainFrame(std::uint8_t frame);
/// "take off", "waypoint", ... for messages; "command 93" where there is no word.
std::string commandText(std::uint16_t command);

/// What a field ("param1" .. "param4", "x", "y", "z", "frame", "command", "count") of that command says: "hold time",
/// "radius", "height"; the field itself where there is no word.
std::string fieldWords(std::uint16_t command, const std::string& field);

/// One field of one item that is not what the plan holds.
struct MissionDifference {
    std::string type;  // "mission", "fence" or "rally"
    int seq = 0;
    std::string field;
    double plan = 0, vehicle = 0;
};
/// Field by field. Tolerances: coordinates 1 unit of 1e-7 degrees (rounding), heights and parameters 0.006
/// (autopilots that keep centimetres), or one millionth where that is more (what a 32-bit float can hold); an unset
/// parameter (NaN) equals 0; frames are compared in their plain form. Item 0 is skipped when it is home: the
/// autopilot writes its own there.
std::vector<MissionDifference> compareMissions(const std::string& type, const std::vector<MissionItem>& plan,
                                               const std::vector<MissionItem>& vehicle, bool skip_item0);
/// Fingerprint of what is flown, independent of anything not sent.
std::uint64_t missionFingerprint(const MissionSet& set);

}  // namespace anhinga

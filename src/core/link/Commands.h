// The MAVLink command micro-service, and what the operator's buttons do with it. All block the calling thread until the
// vehicle has answered, refused or fallen silent.
#pragma once

#include <stop_token>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/dialect/Mission.h"
#include "core/link/VehicleLink.h"

namespace anhinga {

/// COMMAND_LONG with acknowledgement: resent with a raised confirmation count, then given up. A refusal is an error
/// with the reason in words: the result, and what the aircraft said of it meanwhile.
Result<void> sendCommand(VehicleLink& link, std::uint16_t command, const std::vector<float>& params,
                         const std::string& name, std::stop_token stop = {});
/// COMMAND_INT likewise, with a place; `height_frame` is a MAV_FRAME.
Result<void> sendPlaceCommand(VehicleLink& link, std::uint16_t command, const std::vector<float>& params,
                              std::uint8_t height_frame, GeoPoint place, double height_m, const std::string& name,
                              std::stop_token stop = {});

Result<void> commandArm(VehicleLink& link, std::stop_token stop = {});
Result<void> commandDisarm(VehicleLink& link, std::stop_token stop = {});
/// To a height above home, metres.
Result<void> commandTakeOff(VehicleLink& link, double height_m, std::stop_token stop = {});
Result<void> commandStart(VehicleLink& link, std::stop_token stop = {});
Result<void> commandPause(VehicleLink& link, std::stop_token stop = {});
Result<void> commandResume(VehicleLink& link, std::stop_token stop = {});
Result<void> commandReturn(VehicleLink& link, std::stop_token stop = {});
Result<void> commandLand(VehicleLink& link, std::stop_token stop = {});
/// The mission goes on at this item.
Result<void> commandSkipTo(VehicleLink& link, int seq, std::stop_token stop = {});
/// Ground speed (air speed for a fixed wing), m/s.
Result<void> commandSpeed(VehicleLink& link, double mps, std::stop_token stop = {});
/// Height above home where it is, metres.
Result<void> commandHeight(VehicleLink& link, double height_home_m, std::stop_token stop = {});
/// Leaves the mission and flies there at this height above home.
Result<void> commandGoTo(VehicleLink& link, GeoPoint place, double height_home_m, std::stop_token stop = {});
/// Motors off wherever it is.
Result<void> commandEmergencyStop(VehicleLink& link, std::stop_token stop = {});
/// One photo, now, by this camera. A command said again takes no second one.
Result<void> commandPhoto(VehicleLink& link, int camera, std::stop_token stop = {});
Result<void> commandVideo(VehicleLink& link, int camera, bool on, std::stop_token stop = {});
/// Where the gimbal looks: against the horizon and the nose, degrees (down and left negative). It is taken over first
/// where somebody else steers it.
Result<void> commandGimbal(VehicleLink& link, double pitch_deg, double yaw_deg, std::stop_token stop = {});
/// A mode by its number.
Result<void> commandMode(VehicleLink& link, std::uint32_t custom_mode, std::stop_token stop = {});
/// Sends the key itself, in the clear, and waits until the aircraft signs with it; from then on everything is signed
/// and only what is signed is believed. On the ground alone. Fails, and changes nothing here, when it does not.
Result<void> commandSetupSigning(VehicleLink& link, const mavlink::SigningKey& key, std::stop_token stop = {});
/// Asks that missions are kept over a power cut; an error where that is not offered.
Result<void> commandStoreMission(VehicleLink& link, std::stop_token stop = {});

}  // namespace anhinga

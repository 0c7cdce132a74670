// The operator's vehicles, cameras and autopilots to choose from, with sensible generic ones to begin with. A plan
// keeps a copy of what was chosen: changing the library never changes a plan.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/plan/Plan.h"

namespace anhinga {

struct NamedTraits {
    std::string name;
    AutopilotTraits traits;
    bool operator==(const NamedTraits&) const = default;
};

struct ProfileLibrary {
    std::vector<VehicleProfile> vehicles;
    std::vector<CameraProfile> cameras;
    std::vector<NamedTraits> autopilots;
    bool operator==(const ProfileLibrary&) const = default;
};

/// "Skimmer 2", a generic fixed wing; and a generic helicopter.
VehicleProfile skimmer();
VehicleProfile helicopter();
/// Generic vehicles, cameras by sensor size, autopilots by MAVLink family number.
ProfileLibrary genericProfiles();

/// A JSON object of our own: {"anhinga_profiles": 1, "vehicles": [...], "cameras": [...], "autopilots": [...]}, each
/// profile with the members a plan file has for it. Unknown members are passed over; numbers out of range are an error
/// that names the profile.
Result<ProfileLibrary> readProfiles(std::string_view text, const std::string& name);
std::string writeProfiles(const ProfileLibrary& library);

/// One number of a profile, for forms: what it is, unit ("m/s", "°", ...), range, and where it lives.
struct ProfileNumber {
    const char *label, *unit;
    double* value;
    double low, high;
};
std::vector<ProfileNumber> numbersOf(VehicleProfile& vehicle);
/// `px_across` and `px_along` are whole numbers and not among these.
std::vector<ProfileNumber> numbersOf(CameraProfile& camera);

}  // namespace anhinga

// Numbers of predictor-encoded logs in words: flight modes, states of navigation, phases of a failsafe.
#pragma once

#include <cstdint>
#include <string>

namespace anhinga {

/// Flight mode by the flags of a slow frame. `navigates`: of the firmware that logs `navState`; the other kind counts
/// its switches: arming, levelling and so on.
std::string predictorMode(std::uint32_t flags, bool navigates);
/// By `navState`; empty where navigation does nothing, so that the flags decide.
std::string navigationMode(int state);
/// What a failsafe does in that phase; empty for none.
std::string failsafePhase(int phase, bool navigates);

}  // namespace anhinga

// Which of several sources of its kind a message is of.
#pragma once

#include "core/mavlink/Messages.h"

namespace anhinga::mavlink {

/// As the message numbers itself (the id of a battery, the port of outputs); 0 for the first and for what has no
/// number.
int instanceOf(const Message& message);
/// "BATTERY_STATUS", of the second one "BATTERY_STATUS#1", of another component than the autopilot
/// "BATTERY_STATUS#1@154" (component 0: the autopilot's).
std::string instanceName(const MessageInfo& info, int instance, int component);

}  // namespace anhinga::mavlink

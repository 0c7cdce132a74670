#include "core/mavlink/Instance.h"

#include <fmt/format.h>
#include <utility>

namespace anhinga::mavlink {

int instanceOf(const Message& m) {
    constexpr std::pair<const char*, const char*> kNumbered[] = {
        {"BATTERY_STATUS", "id"}, {"SERVO_OUTPUT_RAW", "port"}, {"RC_CHANNELS_RAW", "port"}, {"DISTANCE_SENSOR", "id"},
        {"RAW_IMU", "id"},        {"HIGHRES_IMU", "id"}};
    for (const auto& [name, field] : kNumbered)
        if (m.is(name)) return static_cast<int>(m.integer(field));
    return 0;
}

std::string instanceName(const MessageInfo& info, int instance, int component) {
    return std::string(info.name) + (instance > 0 ? fmt::format("#{}", instance) : "") +
           (component > 0 ? fmt::format("@{}", component) : "");
}

}  // namespace anhinga::mavlink

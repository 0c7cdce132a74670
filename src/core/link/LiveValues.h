// What an aircraft says now: the last message of every kind, how often that kind comes and how old it is.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <tuple>
#include <vector>

#include "core/mavlink/Messages.h"

namespace anhinga {

/// One field of a message as last heard, named as a recording's channels are: "ATTITUDE.roll", of the second battery
/// "BATTERY_STATUS#1.temperature", of a component other than the autopilot "HEARTBEAT@154.type".
struct LiveValue {
    std::string name, unit;
    std::string text;               // the number as it came, without a unit; "no number" for NaN; words of a text field
    std::optional<double> rate_hz;  // of its message; nothing before the second one
    double age_s = 0;
};

/// Of one aircraft. Bounded: beyond kMostKinds kinds of message the later ones are not kept.
class LiveValues {
  public:
    static constexpr std::size_t kMostKinds = 600;
    void take(const mavlink::Message& message, double now_ms);
    /// Every field of everything heard, by name. `autopilot`: the component whose messages bear no number.
    std::vector<LiveValue> list(double now_ms, int autopilot) const;

  private:
    static constexpr std::size_t kRemembered = 12;
    struct Heard {
        mavlink::Message last;
        std::array<double, kRemembered> at_ms{};  // a ring
        std::size_t count = 0;
    };
    static std::optional<double> rate(const Heard& heard, double now_ms);
    std::map<std::tuple<int, std::uint32_t, int>, Heard> heard_;  // by component, message id, and which of several
};

}  // namespace anhinga

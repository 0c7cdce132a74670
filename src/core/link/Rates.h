// Which messages are asked of a vehicle and how often; fewer where the link does not carry them.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>

namespace anhinga {

struct WishedRate {
    std::string_view message;
    double hz;
};
/// What the Field shows, at the rates it shows it.
std::span<const WishedRate> wishedRates();

/// Decides the share of the wished rates (1, 1/2, 1/4, 1/8) from how the link does: halved when packets are lost or a
/// radio's buffer is full, doubled again after a good time.
class RateGovernor {
  public:
    /// `loss`: share of packets lost lately; `radio_left_percent`: room in the radio's buffer. Times in seconds of any
    /// steady clock. True when the share has changed.
    bool judge(double now_s, double loss, std::optional<double> radio_left_percent);
    /// True when the vehicle of that system number should be asked now: at first, again in case that was lost, and
    /// whenever the share has changed.
    bool due(double now_s, int system, double loss, std::optional<double> radio_left_percent);
    double share() const { return share_; }

  private:
    int system_ = 0, asked_ = 0;
    double asked_s_ = -1e9;
    double share_ = 1, changed_s_ = -1e9, bad_s_ = -1e9;
};

}  // namespace anhinga

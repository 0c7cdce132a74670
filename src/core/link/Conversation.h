// What the request-and-answer micro-services share: how long to wait for an answer before asking again, when to give
// up, progress and stopping.
#pragma once

#include <functional>
#include <stop_token>
#include <string>

#include "core/base/Result.h"
#include "core/link/VehicleLink.h"

namespace anhinga {

/// 0..1, and what is being done now.
using Progress = std::function<void(double, const std::string&)>;

struct TransferOptions {
    Progress progress = {};
    std::stop_token stop = {};
    double silence_s = 7.0;  // no answer for so long: give up
};

/// Waiting time from the answers so far: smoothed round trip and its spread (as RFC 6298), doubled while nothing comes.
class AnswerTime {
  public:
    explicit AnswerTime(double guess_s) : mean_s_(guess_s), spread_s_(guess_s / 4) {}
    void answered(double took_s);
    void missed() { backoff_ = std::min(8.0, backoff_ * 1.5); }
    double wait_s() const;

  private:
    double mean_s_, spread_s_, backoff_ = 1;
    bool measured_ = false;
};

inline void report(const TransferOptions& options, double share, const std::string& what) {
    if (options.progress) options.progress(share, what);
}

/// A message to a vehicle's autopilot.
mavlink::Message addressed(std::string_view name, const VehicleSnapshot& vehicle);
/// Nothing came while `what`: "its logs were listed".
Error silent(const TransferOptions& options, const std::string& what);

}  // namespace anhinga

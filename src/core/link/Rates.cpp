#include "core/link/Rates.h"

#include <algorithm>

namespace anhinga {

std::span<const WishedRate> wishedRates() {
    static constexpr WishedRate kWished[] = {{"ATTITUDE", 10},        {"GLOBAL_POSITION_INT", 5},
                                             {"VFR_HUD", 5},          {"NAV_CONTROLLER_OUTPUT", 5},
                                             {"RC_CHANNELS", 2},      {"GPS_RAW_INT", 2},
                                             {"SYS_STATUS", 1},       {"BATTERY_STATUS", 1},
                                             {"MISSION_CURRENT", 1},  {"EKF_STATUS_REPORT", 1},
                                             {"ESTIMATOR_STATUS", 1}, {"SCALED_IMU", 2},
                                             {"VIBRATION", 1},        {"WIND", 1},
                                             {"WIND_COV", 1},         {"EXTENDED_SYS_STATE", 1},
                                             {"FENCE_STATUS", 1},     {"HOME_POSITION", 0.5},
                                             {"SYSTEM_TIME", 0.2}};
    return kWished;
}

bool RateGovernor::judge(double now_s, double loss, std::optional<double> radio_left_percent) {
    constexpr double kBadLoss = 0.15, kGoodLoss = 0.08, kFullRadio = 25, kRoomyRadio = 60;
    constexpr double kSettle_s = 4, kGoodTime_s = 20, kLeast = 0.125;
    const bool bad = loss > kBadLoss || radio_left_percent.value_or(100) < kFullRadio;
    const bool good = loss < kGoodLoss && radio_left_percent.value_or(100) > kRoomyRadio;
    if (!good) bad_s_ = now_s;
    if (now_s - changed_s_ < kSettle_s) return false;
    double share = share_;
    if (bad)
        share = std::max(kLeast, share_ / 2);
    else if (good && now_s - bad_s_ > kGoodTime_s && now_s - changed_s_ > kGoodTime_s)
        share = std::min(1.0, share_ * 2);
    if (share == share_) return false;
    share_ = share;
    changed_s_ = now_s;
    return true;
}

bool RateGovernor::due(double now_s, int system, double loss, std::optional<double> radio_left_percent) {
    constexpr int kTimes = 3;
    constexpr double kAgain_s = 4;
    if (system != system_) {
        system_ = system;
        asked_ = 0;
        asked_s_ = -1e9;
    }
    if (judge(now_s, loss, radio_left_percent)) {
        asked_ = 0;
        asked_s_ = -1e9;
    }
    if (asked_ >= kTimes || now_s - asked_s_ < kAgain_s) return false;
    ++asked_;
    asked_s_ = now_s;
    return true;
}

}  // namespace anhinga

#include "core/watch/Progress.h"

namespace anhinga {

ProgressFollower::ProgressFollower(std::shared_ptr<const FlightLog> rehearsal) : log_(std::move(rehearsal)) {
    if (!log_) return;
    lat_ = log_->find("position.lat_deg");
    lon_ = log_->find("position.lon_deg");
    item_ = log_->find("mission.item");
    height_ = log_->find("position.height_home_m");
}

void ProgressFollower::restart() {
    at_ = 0;
    begun_ = false;
    last_boot_s_.reset();
    battery_began_.reset();
}

void ProgressFollower::goOnFrom(const ProgressFollower& before) {
    if (!before.begun_ || before.lat_ == nullptr || lat_ == nullptr || lat_->t_s.empty()) return;
    const auto at = std::lower_bound(lat_->t_s.begin(), lat_->t_s.end(), before.lat_->t_s[before.at_]);
    at_ = std::min(static_cast<std::size_t>(at - lat_->t_s.begin()), lat_->t_s.size() - 1);
    begun_ = true;
    last_boot_s_ = before.last_boot_s_;
    battery_began_ = before.battery_began_;
    rehearsed_began_ = before.rehearsed_began_;
}

std::optional<double> ProgressFollower::until(int number) const {
    if (!begun_ || item_ == nullptr) return std::nullopt;
    for (std::size_t i = at_; i < item_->value.size(); ++i)
        if (item_->value[i] >= number) return item_->t_s[i] - item_->t_s[at_];
    return std::nullopt;
}

std::optional<FlightProgress> ProgressFollower::follow(const VehicleSnapshot& v) {
    if (!log_ || lat_ == nullptr || lon_ == nullptr || item_ == nullptr || lat_->t_s.empty()) return std::nullopt;
    if (!v.armed) {
        restart();
        return std::nullopt;
    }
    if (!v.position || !v.mission_item) return std::nullopt;
    if (!begun_ && modeKind(v) != ModeKind::mission) return std::nullopt;
    begun_ = true;
    // Ahead of where it was, among the times the rehearsal flies to the same item: the nearest place. Further than one
    // item on only when the aircraft has gone on, too.
    const std::size_t n = std::min({lat_->t_s.size(), lon_->t_s.size(), item_->t_s.size()});
    const LocalFrame frame(*v.position);
    const auto here = static_cast<double>(*v.mission_item);
    const auto beside_m = [&](std::size_t i) {
        const double across = length(frame.toLocal({lat_->value[i], lon_->value[i]}));
        const bool heights = v.height_home_m && height_ != nullptr && i < height_->value.size();
        return std::hypot(across, heights ? *v.height_home_m - height_->value[i] : 0);
    };
    std::size_t from = at_;
    while (from < n && item_->value[from] != here) ++from;
    if (from < n) {
        double best_m = INFINITY;
        std::size_t to = from;
        for (; to < n && item_->value[to] == here; ++to) best_m = std::min(best_m, beside_m(to));
        // It may stay there for a while, or pass there again: the clock decides among the near ones.
        constexpr double kAsNear_m = 2;
        const double elapsed_s = v.boot_s && last_boot_s_ ? std::max(0.0, *v.boot_s - *last_boot_s_) : 0;
        const double expected_s = lat_->t_s[at_] + elapsed_s;
        double nearest_s = INFINITY;
        std::size_t best = from;
        for (std::size_t i = from; i < to; ++i) {
            const double off_s = std::abs(lat_->t_s[i] - expected_s);
            if (beside_m(i) > best_m + kAsNear_m || off_s >= nearest_s) continue;
            nearest_s = off_s;
            best = i;
        }
        at_ = best;
    }
    last_boot_s_ = v.boot_s;
    const double best_m = length(frame.toLocal({lat_->value[at_], lon_->value[at_]}));

    FlightProgress p;
    const double t = lat_->t_s[at_];
    p.rehearsed_s = t - log_->firstTime();
    p.left_s = lat_->t_s.back() - t;
    p.beside_m = best_m;
    const auto at = [&](const char* name) -> std::optional<double> {
        const Channel* c = log_->find(name);
        return c != nullptr ? c->at(t) : std::nullopt;
    };
    p.height_home_m = at("position.height_home_m");
    p.battery_percent = at("battery.left_percent");
    for (const LogEvent& e : log_->events)
        if (e.kind == "photo" && e.t_s <= t) ++p.photos;
    const Channel* battery = log_->find("battery.left_percent");
    if (v.battery_percent && p.battery_percent && battery != nullptr && !battery->value.empty()) {
        if (!battery_began_) {
            battery_began_ = *v.battery_percent;
            rehearsed_began_ = *p.battery_percent;
        }
        const double used = *battery_began_ - *v.battery_percent, planned = rehearsed_began_ - *p.battery_percent;
        constexpr double kEnough_percent = 4;  // before, one percent more or less would decide
        const double factor = planned > kEnough_percent ? std::clamp(used / planned, 0.5, 3.0) : 1;
        p.battery_at_landing = *v.battery_percent - factor * (*p.battery_percent - battery->value.back());
    }
    return p;
}

}  // namespace anhinga

#include "core/watch/Progress.h"
#include "core/base/Numbers.h"

namespace anhinga {

ProgressFollower::ProgressFollower(std::shared_ptr<const FlightLog> rehearsal, std::optional<EndlessFlown> endless)
    : log_(std::move(rehearsal)), endless_(std::move(endless)) {
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
    forecast_.reset();
    forecast_boot_s_.reset();
}

void ProgressFollower::goOnFrom(const ProgressFollower& before) {
    if (!before.begun_ || before.lat_ == nullptr || lat_ == nullptr || lat_->t_s.empty()) return;
    const auto at = std::lower_bound(lat_->t_s.begin(), lat_->t_s.end(), before.lat_->t_s[before.at_]);
    at_ = std::min(static_cast<std::size_t>(at - lat_->t_s.begin()), lat_->t_s.size() - 1);
    begun_ = true;
    last_boot_s_ = before.last_boot_s_;
    battery_began_ = before.battery_began_;
    rehearsed_began_ = before.rehearsed_began_;
    drawn_began_mah_ = before.drawn_began_mah_;
    rehearsed_drawn_mah_ = before.rehearsed_drawn_mah_;
    forecast_ = before.forecast_;
    factor_ = before.factor_;
    forecast_boot_s_ = before.forecast_boot_s_;
}

std::optional<double> ProgressFollower::until(int number) const {
    if (!begun_ || item_ == nullptr) return std::nullopt;
    for (std::size_t i = at_; i < item_->value.size(); ++i)
        if (item_->value[i] >= number) return item_->t_s[i] - item_->t_s[at_];
    return std::nullopt;
}

/// The rest costs what it was rehearsed to cost, times what this flight has cost so far against its rehearsal. A tenth
/// of the battery flown as rehearsed is added to both, so that the first percents decide nothing; what is drawn is
/// measured finer in milliampere hours than in whole percents, where the aircraft tells them.
std::optional<double> ProgressFollower::forecast(const VehicleSnapshot& v, double t_s,
                                                 std::optional<double> rehearsed_percent) {
    const Channel* left = log_->find("battery.left_percent");
    if (!v.battery_percent || !rehearsed_percent || left == nullptr || left->value.empty()) return std::nullopt;
    const Channel* drawn = log_->find("battery.used_mah");
    const auto mah = drawn != nullptr ? drawn->at(t_s) : std::nullopt;
    if (!battery_began_) {
        battery_began_ = *v.battery_percent;
        rehearsed_began_ = *rehearsed_percent;
        drawn_began_mah_ = v.battery_used_mah;
        rehearsed_drawn_mah_ = mah.value_or(0);
    }
    const double planned = rehearsed_began_ - *rehearsed_percent;
    double used = *battery_began_ - *v.battery_percent;
    double now = *v.battery_percent;
    const double planned_mah = mah.value_or(0) - rehearsed_drawn_mah_;
    constexpr double kGrain_percent = 1.5;  // of whole percents, whichever way they are rounded
    if (v.battery_used_mah && drawn_began_mah_ && planned > kGrain_percent && planned_mah > 0) {
        const double fine = (*v.battery_used_mah - *drawn_began_mah_) * planned / planned_mah;
        // Where the two do not agree the capacity is another than planned, and the percents are nearer to it.
        if (std::abs(fine - used) < kGrain_percent) {
            used = fine;
            now = *battery_began_ - fine;
        }
    } else if (std::abs(used - planned) < kGrain_percent) {
        used = planned;  // as near as whole percents can tell
        now = *battery_began_ - planned;
    }
    constexpr double kAsRehearsed_percent = 10;
    factor_ = std::clamp((used + kAsRehearsed_percent) / (planned + kAsRehearsed_percent), 0.5, 3.0);
    const double expected = now - factor_ * (*rehearsed_percent - left->value.back());
    // What is shown goes after it within seconds.
    constexpr double kSettles_s = 8;
    const double elapsed_s = v.boot_s && forecast_boot_s_ ? std::max(0.0, *v.boot_s - *forecast_boot_s_) : INFINITY;
    forecast_ = forecast_ ? *forecast_ + (expected - *forecast_) * -std::expm1(-elapsed_s / kSettles_s) : expected;
    forecast_boot_s_ = v.boot_s;
    return forecast_;
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
    p.battery_at_landing = forecast(v, t, p.battery_percent);
    if (endless_) {
        // What ends it is not known: no time and no landing is made up.
        p.battery_at_landing.reset();
        const EndlessLoop& loop = endless_->loop;
        if (*v.mission_item >= loop.first && *v.mission_item <= loop.repeat) {
            p.pass = 1 + static_cast<int>(std::count(v.reached->begin(), v.reached->end(), loop.last_leg));
            if (v.battery_percent && endless_->pass_percent > 0) {
                // The one under way was begun with what is left of it.
                const double usable = *v.battery_percent - endless_->reserve_percent;
                p.passes_more = std::max(0, toInt(usable / (endless_->pass_percent * factor_)));
            }
        }
    }
    return p;
}

}  // namespace anhinga

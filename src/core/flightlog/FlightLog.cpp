#include "core/flightlog/FlightLog.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace anhinga {

namespace {
constexpr double kMeanEarthRadius_m = 6371008.8;  // distances along a track: sphere is enough (error below 0.6 %)

double trackStep_m(double lat1, double lon1, double lat2, double lon2) {
    const double rad = M_PI / 180;
    const double dx = std::remainder(lon2 - lon1, 360.0) * std::cos((lat1 + lat2) / 2 * rad);
    return std::hypot(dx, lat2 - lat1) * rad * kMeanEarthRadius_m;
}
}  // namespace

std::optional<double> Channel::at(double t) const {
    const auto after = std::upper_bound(t_s.begin(), t_s.end(), t);
    if (after == t_s.begin()) return std::nullopt;
    return value[static_cast<std::size_t>(after - t_s.begin()) - 1];
}

bool isCanonical(const std::string& name) {
    return !name.empty() && name[0] >= 'a' && name[0] <= 'z';
}

bool mayBeSeveral(std::string_view channel) {
    const auto group = channel.substr(0, channel.find('.'));
    return group == "gps" || group == "mag" || group == "imu" || group == "baro" || group == "battery";
}

std::string numberedChannel(std::string_view channel, std::size_t number) {
    const auto dot = channel.find('.');
    return fmt::format("{}.{}{}", channel.substr(0, dot), number, channel.substr(dot));
}

std::string canonicalUnit(const std::string& name) {
    constexpr std::pair<const char*, const char*> kEnds[] = {
        {"_deg", "deg"}, {"_mps2", "m/s2"}, {"_mps", "m/s"}, {"_dps", "deg/s"}, {"_ut", "uT"},    {"_mah", "mAh"},
        {"_wh", "Wh"},   {"_hpa", "hPa"},   {"_v", "V"},     {"_a", "A"},       {"percent", "%"}, {"_m", "m"}};
    for (const auto& [end, unit] : kEnds)
        if (name.ends_with(end)) return unit;
    return name.starts_with("rpm.") ? "rpm" : "";
}

Channel& FlightLog::channel(const std::string& name, const std::string& unit) {
    Channel& c = channels_[name];
    if (c.name.empty()) {
        c.name = name;
        c.unit = unit;
    }
    return c;
}

void FlightLog::promise(const std::string& name, const std::string& unit, std::size_t count,
                        std::function<void(Channel&)> decode) {
    channel(name, unit);
    Promised& promised = promised_[name];
    promised.count = count;
    promised.decode = std::move(decode);
}

void FlightLog::keep(Channel& channel, Promised& promised) {
    const std::lock_guard lock(promised.lock);
    if (!promised.decode) return;
    promised.decode(channel);
    promised.decode = nullptr;
}

const Channel* FlightLog::find(const std::string& name) const {
    const auto at = channels_.find(name);
    if (at == channels_.end()) return nullptr;
    if (const auto promised = promised_.find(name); promised != promised_.end()) keep(at->second, promised->second);
    return &at->second;
}

bool FlightLog::has(const std::string& name) const {
    return channels_.contains(name);
}

std::vector<ChannelInfo> FlightLog::list() const {
    std::vector<ChannelInfo> all;
    for (const auto& [name, c] : channels_) {
        const auto promised = promised_.find(name);
        all.push_back({name, c.unit, promised != promised_.end() ? promised->second.count : c.t_s.size()});
    }
    std::sort(all.begin(), all.end(), [](const ChannelInfo& a, const ChannelInfo& b) {
        const bool ca = isCanonical(a.name), cb = isCanonical(b.name);
        return ca != cb ? ca : a.name < b.name;
    });
    return all;
}

std::vector<const Channel*> FlightLog::channels() const {
    std::vector<const Channel*> all;
    for (const ChannelInfo& c : list()) all.push_back(find(c.name));
    return all;
}

double FlightLog::firstTime() const {
    if (span_s_) return span_s_->first;
    double first = std::numeric_limits<double>::infinity();
    for (const auto& [name, c] : channels_)
        if (!c.t_s.empty()) first = std::min(first, c.t_s.front());
    return std::isfinite(first) ? first : 0;
}

double FlightLog::duration_s() const {
    if (span_s_) return span_s_->second - span_s_->first;
    double last = 0;
    for (const auto& [name, c] : channels_)
        if (!c.t_s.empty()) last = std::max(last, c.t_s.back());
    return last - firstTime();
}

int flightsInFile(const FlightLog& log) {
    std::size_t n = log.sessions.size();
    for (const auto& other : log.others) n += other->sessions.size();
    return static_cast<int>(n);
}

std::optional<FlightOfFile> flightOfFile(const FlightLog& log, int number) {
    if (number < 0) return std::nullopt;
    const auto n = [](const FlightLog& of) { return static_cast<int>(of.sessions.size()); };
    if (number < n(log)) return FlightOfFile{&log, number};
    number -= n(log);
    for (const auto& other : log.others) {
        if (number < n(*other)) return FlightOfFile{other.get(), number};
        number -= n(*other);
    }
    return std::nullopt;
}

double FlightLog::zero() const {
    return sessions.empty() ? firstTime() : sessions.front().from_s;
}

std::optional<LoggedPlace> FlightLog::homeAt(double t_s) const {
    if (homes.empty()) return std::nullopt;
    const auto after =
        std::upper_bound(homes.begin(), homes.end(), t_s, [](double t, const LoggedHome& h) { return t < h.t_s; });
    return after == homes.begin() ? homes.front().place : std::prev(after)->place;
}

std::optional<LoggedPlace> FlightLog::placeOf(const LogEvent& photo) const {
    if (photo.place) return photo.place;
    const Channel* lat = find("position.lat_deg");
    const Channel* lon = find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return std::nullopt;
    // Straight between the samples around it.
    constexpr double kNear_s = 1;
    const auto between = [&](const Channel& c) -> std::optional<double> {
        const auto after = std::upper_bound(c.t_s.begin(), c.t_s.end(), photo.t_s);
        const auto i = static_cast<std::size_t>(after - c.t_s.begin());
        const bool has_before = i > 0 && photo.t_s - c.t_s[i - 1] <= kNear_s,
                   has_after = i < c.t_s.size() && c.t_s[i] - photo.t_s <= kNear_s;
        if (has_before && has_after)
            return c.value[i - 1] +
                   (c.value[i] - c.value[i - 1]) * (photo.t_s - c.t_s[i - 1]) / (c.t_s[i] - c.t_s[i - 1]);
        if (has_before) return c.value[i - 1];
        return has_after ? std::optional(c.value[i]) : std::nullopt;
    };
    const auto at_lat = between(*lat), at_lon = between(*lon);
    if (!at_lat || !at_lon) return std::nullopt;
    LoggedPlace place{*at_lat, *at_lon, std::nullopt};
    if (const Channel* amsl = find("position.height_amsl_m")) place.amsl_m = between(*amsl);
    return place;
}

void FlightLog::takeParameter(double t_s, const std::string& name, double value) {
    if (name.empty() || std::isnan(value)) return;
    const auto [known, fresh] = params.emplace(name, value);
    if (fresh || known->second == value) return;
    param_changes.push_back({t_s, name, known->second, value});
    events.push_back({t_s, "message", fmt::format("{} changed: {:g}, was {:g}", name, value, known->second)});
    known->second = value;
}

void FlightLog::findSessions(const std::vector<double>& restarts, double gap_s) {
    sessions.clear();
    const Channel* lat = find("position.lat_deg");
    const Channel* lon = find("position.lon_deg");
    const Channel* height = find("position.height_home_m");
    if (lat == nullptr || lon == nullptr || lat->t_s.empty() || lon->value.size() != lat->value.size()) {
        if (channels_.empty()) return;
        // Without a place only what the log says divides it.
        double from = firstTime();
        const double end = from + duration_s();
        std::vector<double> ends(restarts);
        ends.push_back(INFINITY);
        for (const double next : ends) {
            LogSession s{from, std::min(end, next), start_unix_s > 0 ? start_unix_s + from : 0, 0, 0, 0};
            if (height != nullptr)
                for (std::size_t i = 0; i < height->t_s.size(); ++i)
                    if (height->t_s[i] >= from && height->t_s[i] < next) {
                        s.to_s = std::isfinite(next) ? height->t_s[i] : end;
                        s.max_height_home_m = std::max(s.max_height_home_m, height->value[i]);
                    }
            sessions.push_back(s);
            from = next;
        }
        return;
    }
    const auto restartBetween = [&](double a, double b) {
        return std::any_of(restarts.begin(), restarts.end(), [&](double r) { return r > a && r <= b; });
    };
    for (std::size_t i = 0; i < lat->t_s.size(); ++i) {
        const double t = lat->t_s[i];
        const bool fresh = i == 0 || t - lat->t_s[i - 1] > gap_s || restartBetween(lat->t_s[i - 1], t);
        if (fresh) {
            // A flight begins where its records do, also when its first place comes later.
            double from = i == 0 ? std::min(t, firstTime()) : t;
            for (const double r : restarts)
                if (i > 0 && r > lat->t_s[i - 1] && r <= t) from = r;
            sessions.push_back({from, t, start_unix_s > 0 ? start_unix_s + from : 0, 0, 0, 0});
        }
        LogSession& s = sessions.back();
        if (!fresh) s.distance_m += trackStep_m(lat->value[i - 1], lon->value[i - 1], lat->value[i], lon->value[i]);
        s.to_s = t;
        if (height != nullptr)
            if (const auto h = height->at(t)) s.max_height_home_m = std::max(s.max_height_home_m, *h);
    }
    if (const double end = firstTime() + duration_s(); end - sessions.back().to_s <= gap_s)
        sessions.back().to_s = std::max(sessions.back().to_s, end);
    for (LogSession& s : sessions) {
        const auto first = std::lower_bound(lat->t_s.begin(), lat->t_s.end(), s.from_s) - lat->t_s.begin(),
                   behind = std::upper_bound(lat->t_s.begin(), lat->t_s.end(), s.to_s) - lat->t_s.begin();
        if (behind > first) {
            const auto a = static_cast<std::size_t>(first), b = static_cast<std::size_t>(behind - 1);
            s.landed_from_takeoff_m = trackStep_m(lat->value[a], lon->value[a], lat->value[b], lon->value[b]);
        }
        std::optional<double> since;
        for (const LogEvent& e : events) {
            if (e.t_s < s.from_s - 1 || e.t_s > s.to_s + 1) continue;
            if (e.kind == "armed" && !since) since = e.t_s;
            if (e.kind == "disarmed" && since) {
                s.armed_s += e.t_s - *since;
                since.reset();
            }
        }
        if (since) s.armed_s += s.to_s - *since;
    }
}

}  // namespace anhinga

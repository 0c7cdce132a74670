// FlightLog: a flight as columns over time, whatever it came from (rehearsal, recording, onboard log).
// Times are seconds from the log's start. Canonical channel names are listed in docs/channels.md.
#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

namespace anhinga {

struct Channel {
    std::string name, unit;
    std::vector<double> t_s, value;  // same length, times ascending
    void add(double t, double v) {
        t_s.push_back(t);
        value.push_back(v);
    }
    /// Value at the last sample not after t; nothing before the first.
    std::optional<double> at(double t) const;
};

struct ModeChange {
    double t_s = 0;
    std::string name;
};
struct LogEvent {
    double t_s = 0;
    std::string kind;  // "armed", "disarmed", "photo", "message", "mark", "item"
    std::string text;
};
/// One power-on period or armed flight inside a file.
struct LogSession {
    double from_s = 0, to_s = 0;
    double start_unix_s = 0;  // 0: the file does not say
    double distance_m = 0, max_height_home_m = 0, armed_s = 0;
};

class FlightLog {
  public:
    std::string format;
    std::string vehicle;  // "vehicle 1, multirotor"; empty: the log does not say
    double start_unix_s = 0;
    std::vector<ModeChange> modes;
    std::vector<LogEvent> events;
    std::vector<LogSession> sessions;
    std::map<std::string, std::size_t> message_counts;
    std::map<std::string, double> params;
    std::vector<int> missions;  // items in each mission that was sent, in order
    std::size_t damaged_bytes = 0, damaged_records = 0;

    /// The channel of that name, made when it is not there yet. References stay valid.
    Channel& channel(const std::string& name, const std::string& unit);
    const Channel* find(const std::string& name) const;
    /// All channels, canonical ones first, each group by name.
    std::vector<const Channel*> channels() const;
    double duration_s() const;
    double firstTime() const;

    /// Fills `sessions`: a new one wherever the position channel pauses longer than `gap_s` or the log says it restarts
    /// (`restarts`, times). Distances from the position channels.
    void findSessions(const std::vector<double>& restarts, double gap_s = 30);

  private:
    std::unordered_map<std::string, Channel> channels_;
};

/// True for the names every log shares ("position.lat_deg"), false for "MESSAGE.field".
bool isCanonical(const std::string& name);
/// Unit of a canonical channel, told by the end of its name ("deg" for "..._deg"); empty where there is none.
std::string canonicalUnit(const std::string& name);

}  // namespace anhinga

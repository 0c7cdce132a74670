// FlightLog: a flight as columns over time, whatever it came from (rehearsal, recording, onboard log).
// Times are seconds from the log's start. Canonical channel names are listed in docs/channels.md.
#pragma once

#include <cstddef>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
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
/// A place as a log states it itself.
struct LoggedPlace {
    double lat_deg = 0, lon_deg = 0;
    std::optional<double> amsl_m;
    bool operator==(const LoggedPlace&) const = default;
};
struct LogEvent {
    double t_s = 0;
    std::string kind;  // "armed", "disarmed", "photo", "message", "mark", "item"
    std::string text;
    std::optional<LoggedPlace> place = {};  // of a photo, where its record holds one
};
/// Home as the log states it, from that moment on.
struct LoggedHome {
    double t_s = 0;
    LoggedPlace place;
};
/// A parameter that was changed while the log ran.
struct LoggedChange {
    double t_s = 0;
    std::string name;
    double from = 0, to = 0;
};
/// Who spoke in a recording: a MAVLink component.
struct LogSpeaker {
    int system = 0, component = 0;
    std::string kind;  // in words
    std::size_t packets = 0;
};
/// One power-on period or armed flight inside a file.
struct LogSession {
    double from_s = 0, to_s = 0;
    double start_unix_s = 0;  // 0: the file does not say
    double distance_m = 0, max_height_home_m = 0, armed_s = 0;
    double landed_from_takeoff_m = 0;  // from its first place to its last
};

/// An item of a mission as the standard numbers it: frame, command, parameters, place in degrees where it has one.
struct LoggedItem {
    int seq = 0, frame = 0, command = 0;
    double param[4] = {0, 0, 0, 0};
    double x = 0, y = 0, z = 0;  // latitude, longitude, height; else two more parameters and one
    bool operator==(const LoggedItem&) const = default;
};
/// A mission that stands in a log, as far as it does: items may be missing.
struct LoggedMission {
    double t_s = 0;
    std::size_t count = 0;  // said
    std::vector<LoggedItem> items;
    bool read = false;  // from the aircraft, which held it; else it was sent there, or the log is the aircraft's own
};

/// What is known of a channel without its values.
struct ChannelInfo {
    std::string name, unit;
    std::size_t count = 0;
};

/// May be moved, not copied. Reading it is thread-safe once it is complete; who reads one channel does not wait for
/// another one to be decoded.
class FlightLog {
  public:
    std::string format;
    bool believed = true;  // else packets that were not believed when they came
    /// Packets that came during the same recording and were not believed, in a file of their own.
    std::size_t not_believed = 0;
    std::string not_believed_file;
    std::string vehicle;  // "vehicle 1, multirotor"; empty: the log does not say
    int system = 0;       // its MAVLink number; 0: the log does not say
    int autopilot = -1;   // MAV_AUTOPILOT; -1: the log does not say
    int type = 0;         // MAV_TYPE; 0: the log does not say
    double start_unix_s = 0;
    std::vector<ModeChange> modes;
    std::vector<LogEvent> events;
    std::vector<LogSession> sessions;
    std::map<std::string, std::size_t> message_counts;
    std::map<std::string, double> params;
    std::vector<LoggedChange> param_changes;
    std::vector<LoggedHome> homes;  // in order of time; empty: the log states none
    std::vector<LogSpeaker> speakers;
    /// Other aircraft in the same recording, each a log of its own.
    std::vector<std::shared_ptr<const FlightLog>> others;
    std::vector<int> missions;  // items in each mission that was sent, in order
    std::vector<LoggedMission> mission_lists;
    std::size_t damaged_bytes = 0, damaged_records = 0;

    /// The channel of that name, made when it is not there yet. References stay valid.
    Channel& channel(const std::string& name, const std::string& unit);
    /// A channel of `count` values that `decode` fills when it is first asked for.
    void promise(const std::string& name, const std::string& unit, std::size_t count,
                 std::function<void(Channel&)> decode);
    /// Null when there is none. One that was promised is decoded now.
    const Channel* find(const std::string& name) const;
    bool has(const std::string& name) const;
    /// All channels, canonical ones first, each group by name; nothing is decoded.
    std::vector<ChannelInfo> list() const;
    /// The same, with all values: every promised one is decoded.
    std::vector<const Channel*> channels() const;
    /// First and last time of the whole log, where it is known without its channels.
    void setSpan(double from_s, double to_s) { span_s_ = {from_s, to_s}; }
    double duration_s() const;
    double firstTime() const;
    /// What times that leave the program count from: the start of the first session.
    double zero() const;
    /// The home that holds at that time: the last stated before it, else the first one.
    std::optional<LoggedPlace> homeAt(double t_s) const;
    /// Where a photo was taken: what its record holds, else where the aircraft was at that moment; nothing where the
    /// log has no place within a second of it.
    std::optional<LoggedPlace> placeOf(const LogEvent& photo) const;
    /// Keeps the value of a parameter; one that changes is an event, too. NaN is no value.
    void takeParameter(double t_s, const std::string& name, double value);

    /// Fills `sessions`, the first from the first record on: a new one wherever the position channel pauses longer than
    /// `gap_s` or the log says it restarts
    /// (`restarts`, times). Distances from the position channels.
    void findSessions(const std::vector<double>& restarts, double gap_s = 30);

  private:
    struct Promised {
        std::size_t count = 0;
        std::function<void(Channel&)> decode;  // empty once it was kept
        std::mutex lock;                       // of both
    };
    static void keep(Channel& channel, Promised& promised);

    mutable std::unordered_map<std::string, Channel> channels_;
    mutable std::unordered_map<std::string, Promised> promised_;
    std::optional<std::pair<double, double>> span_s_;
};

/// A flight of a file: one session of the aircraft whose log it is, or of another in the same recording.
struct FlightOfFile {
    const FlightLog* log = nullptr;
    int session = 0;
};
/// The flights of a file are counted from 0: the sessions of its log, then those of the other aircraft. Nothing beyond.
std::optional<FlightOfFile> flightOfFile(const FlightLog& log, int number);
int flightsInFile(const FlightLog& log);

/// True for the names every log shares ("position.lat_deg"), false for "MESSAGE.field".
bool isCanonical(const std::string& name);
/// Whether an aircraft may have several of what a canonical channel is of: receivers, compasses, batteries ...
bool mayBeSeveral(std::string_view channel);
/// "gps.2.fix" of "gps.fix" and 2.
std::string numberedChannel(std::string_view channel, std::size_t number);
/// Unit of a canonical channel, told by the end of its name ("deg" for "..._deg"); empty where there is none.
std::string canonicalUnit(const std::string& name);

}  // namespace anhinga

// MAVLink recordings: 8 bytes big-endian Unix microseconds, then a packet, again and again; and captures, the bare
// stream. Several aircraft in one are logs of their own.
#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>

#include "core/logio/LogReader.h"
#include "core/logio/RecordingLog.h"
#include "core/mavlink/Frame.h"

namespace anhinga {

namespace {

using mavlink::Message;
using mavlink::Parser;

std::uint64_t stampAt(std::span<const std::uint8_t> bytes) {
    std::uint64_t us = 0;
    for (int i = 0; i < 8; ++i) us = us << 8 | bytes[i];
    return us;
}
/// Between 2000 and 2100: what a stamp of a recording can be.
bool plausible(std::uint64_t us) {
    return us > 946684800000000ULL && us < 4102444800000000ULL;
}

std::span<const std::uint8_t> asBytes(std::string_view s) {
    return {reinterpret_cast<const std::uint8_t*>(s.data()), s.size()};
}

using Sender = std::pair<int, int>;  // system and component

/// The autopilots are the components whose heartbeats name one, in the order in which they are heard within the first
/// megabytes; of two in one system the first. None where nobody does: then it is whoever is no ground station.
std::vector<Sender> findAutopilots(std::span<const std::uint8_t> bytes) {
    constexpr std::size_t kLookAt = 8 << 20, kMost = 32;
    bytes = bytes.first(std::min(bytes.size(), kLookAt));
    std::vector<Sender> found_ones;
    Message m;
    for (std::size_t at = 0; at < bytes.size() && found_ones.size() < kMost;) {
        const bool start = bytes[at] == 0xFD || bytes[at] == 0xFE;
        const auto found = start ? Parser::look(bytes.subspan(at), m) : Parser::Found{Parser::Look::bad, 1};
        const bool packet = found.look == Parser::Look::message || found.look == Parser::Look::unknown;
        if (found.look == Parser::Look::message && m.is("HEARTBEAT") && namesAutopilot(m) &&
            std::none_of(found_ones.begin(), found_ones.end(), [&](const Sender& s) { return s.first == m.system; }))
            found_ones.emplace_back(m.system, m.component);
        at += packet ? found.length : 1;
    }
    return found_ones;
}

/// Everybody who speaks in a recording, and the log of each aircraft among them.
class Recording {
  public:
    Recording(const std::shared_ptr<FlightLog>& log, const SharedBytes& shared) : log_(*log) {
        const auto autopilots = findAutopilots(asBytes(shared.bytes));
        first_.emplace(*log, shared, autopilots.empty() ? std::nullopt : std::optional(autopilots.front()));
        for (std::size_t i = 1; i < autopilots.size(); ++i) {
            auto other = std::make_shared<FlightLog>();
            other->format = log->format;
            others_.push_back(
                {autopilots[i].first, other, std::make_unique<RecordingLog>(*other, shared, autopilots[i])});
        }
    }
    void add(const Message& m, std::uint64_t stamp_us, std::size_t at) {
        ++log_.message_counts[std::string(m.info->name)];
        Speaker& speaker = speakers_[{m.system, m.component}];
        ++speaker.packets;
        if (m.is("HEARTBEAT")) {
            speaker.type = static_cast<int>(m.integer("type"));
            speaker.autopilot |= namesAutopilot(m);
        }
        first_->add(m, stamp_us, at);
        for (Other& other : others_) {
            if (m.system == other.system) ++other.log->message_counts[std::string(m.info->name)];
            // Its own packets, and what was said to it.
            if (m.system == other.system || m.is("MISSION_COUNT") || m.is("MISSION_ITEM_INT") || m.is("MISSION_ITEM"))
                other.recording->add(m, stamp_us, at);
        }
    }
    void finish() {
        first_->finish();
        for (Other& other : others_) {
            other.recording->finish();
            log_.others.push_back(other.log);
        }
        for (const auto& [who, speaker] : speakers_)
            log_.speakers.push_back(
                {who.first, who.second,
                 speaker.autopilot ? "autopilot" : componentWords(speaker.type, who.first, who.second),
                 speaker.packets});
    }

  private:
    struct Other {
        int system;
        std::shared_ptr<FlightLog> log;
        std::unique_ptr<RecordingLog> recording;
    };
    struct Speaker {
        int type = -1;
        bool autopilot = false;
        std::size_t packets = 0;
    };
    FlightLog& log_;
    std::optional<RecordingLog> first_;
    std::vector<Other> others_;
    std::map<Sender, Speaker> speakers_;
};

}  // namespace

bool looksLikeRecording(std::string_view text) {
    // Two stamped packets, one behind the other, within the first kilobytes: the start of a recording may be damaged,
    // and the eight bytes before a packet of a bare stream may look like a stamp.
    const auto bytes = asBytes(text.substr(0, 65536));
    const auto stamped = [&](std::size_t i) {
        return i + 8 < bytes.size() && (bytes[i + 8] == 0xFD || bytes[i + 8] == 0xFE) &&
               plausible(stampAt(bytes.subspan(i)));
    };
    Message m;
    for (std::size_t i = 0; i + 17 < bytes.size(); ++i) {
        if (!stamped(i)) continue;
        const auto found = Parser::look(bytes.subspan(i + 8), m);
        if (found.look != Parser::Look::message) continue;
        const std::size_t next = i + 8 + found.length;
        if (stamped(next) || (i == 0 && next + 8 >= bytes.size())) return true;
    }
    return false;
}

bool looksLikeCapture(std::string_view text) {
    // Three packets that follow each other within the first kilobytes.
    const auto bytes = asBytes(text.substr(0, 65536));
    Message m;
    for (std::size_t i = 0; i < bytes.size(); ++i) {
        std::size_t at = i, packets = 0;
        while (at < bytes.size() && (bytes[at] == 0xFD || bytes[at] == 0xFE) && packets < 3) {
            const auto found = Parser::look(bytes.subspan(at), m);
            if (found.look != Parser::Look::message) break;
            at += found.length;
            ++packets;
        }
        if (packets >= 3) return true;
    }
    return false;
}

Result<LogPtr> readCapture(const SharedBytes& shared, const std::string&) {
    const auto bytes = asBytes(shared.bytes);
    auto log = std::make_shared<FlightLog>();
    log->format = "MAVLink capture";
    Recording recording(log, shared);
    Message m;
    bool in_damage = false;
    Milestones milestones(shared);
    for (std::size_t at = 0; at < bytes.size();) {
        milestones.pass(at);
        const bool start = bytes[at] == 0xFD || bytes[at] == 0xFE;
        const auto found = start ? Parser::look(bytes.subspan(at), m) : Parser::Found{Parser::Look::bad, 1};
        if (found.look == Parser::Look::message || found.look == Parser::Look::unknown) {
            if (found.look == Parser::Look::message)
                recording.add(m, 0, at);
            else
                ++log->message_counts["UNKNOWN"];
            in_damage = false;
            at += found.length;
            continue;
        }
        if (!in_damage) ++log->damaged_records;
        in_damage = true;
        ++log->damaged_bytes;
        ++at;
    }
    recording.finish();
    return log;
}

Result<LogPtr> readRecording(const SharedBytes& shared, const std::string& name) {
    const auto bytes = asBytes(shared.bytes);
    auto log = std::make_shared<FlightLog>();
    log->format = "MAVLink recording";
    Recording recording(log, shared);
    Message m;
    std::size_t at = 0, packets = 0;
    bool in_damage = false;
    Milestones milestones(shared);
    while (at + 8 < bytes.size()) {
        milestones.pass(at);
        const std::uint64_t stamp = stampAt(bytes.subspan(at));
        const bool start = (bytes[at + 8] == 0xFD || bytes[at + 8] == 0xFE) && plausible(stamp);
        const auto found = start ? Parser::look(bytes.subspan(at + 8), m) : Parser::Found{Parser::Look::bad, 1};
        if (found.look == Parser::Look::message || found.look == Parser::Look::unknown) {
            if (found.look == Parser::Look::message) {
                recording.add(m, stamp, at + 8);
                ++packets;
            } else {
                ++log->message_counts["UNKNOWN"];
            }
            in_damage = false;
            at += 8 + found.length;
            continue;
        }
        if (!in_damage) ++log->damaged_records;
        in_damage = true;
        ++log->damaged_bytes;
        ++at;
    }
    log->damaged_bytes += bytes.size() - std::min(at, bytes.size());
    if (packets == 0) return fail("{}: no MAVLink packet in it could be read", name);
    recording.finish();
    return log;
}

}  // namespace anhinga

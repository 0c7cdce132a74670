// ULog written: one message a channel group.
#include <algorithm>
#include <limits>
#include <map>

#include "core/logio/LogReader.h"
#include "core/logio/UlogTables.h"

namespace anhinga {

namespace {

void append(std::string& out, const void* data, std::size_t n) {
    out.append(static_cast<const char*>(data), n);
}
template <class T>
void appendValue(std::string& out, T v) {
    append(out, &v, sizeof v);
}
void record(std::string& out, char type, std::string_view body) {
    appendValue(out, static_cast<std::uint16_t>(body.size()));
    out += type;
    out += body;
}
void info(std::string& out, const std::string& key, std::string_view value) {
    const std::string typed = fmt::format("char[{}] {}", value.size(), key);
    std::string body(1, static_cast<char>(typed.size()));
    record(out, 'I', body + typed + std::string(value));
}
std::uint64_t micros(double t_s) {
    return static_cast<std::uint64_t>(std::max(0.0, t_s) * 1e6 + 0.5);
}

/// Written as floats: what comes hundreds of times a second and is not measured to seven digits.
bool isCoarse(const std::string& group) {
    constexpr std::string_view kGroups[] = {"imu", "mag", "motor", "vibration", "desired", "baro"};
    return std::find(std::begin(kGroups), std::end(kGroups), group) != std::end(kGroups);
}

}  // namespace

std::string writeUlog(const FlightLog& log) {
    std::string out(kUlogMagic);
    out += '\1';
    appendValue<std::uint64_t>(out, 0);
    record(out, 'B', std::string(40, '\0'));
    info(out, "sys_name", kUlogOwnSystem);
    if (!log.vehicle.empty()) info(out, "vehicle", log.vehicle);
    if (log.start_unix_s > 0) {
        const std::string key = "uint64_t time_ref_utc_us";
        std::string body(1, static_cast<char>(key.size()));
        body += key;
        appendValue(body, micros(log.start_unix_s));
        record(out, 'I', body);
    }
    // Groups: "position.lat_deg" is field lat_deg of message position, so that reading gives the names back.
    std::map<std::string, std::vector<const Channel*>> groups;
    for (const Channel* c : log.channels())
        if (isCanonical(c->name) && !c->t_s.empty()) groups[c->name.substr(0, c->name.find('.'))].push_back(c);
    for (const auto& [group, channels] : groups) {
        std::string format = group + ":uint64_t timestamp;";
        const char* type = isCoarse(group) ? "float " : "double ";
        for (const Channel* c : channels) format += type + c->name.substr(group.size() + 1) + ";";
        record(out, 'F', format);
    }
    for (const auto& [name, value] : log.params) {
        const std::string key = "float " + name;
        std::string body(1, static_cast<char>(key.size()));
        body += key;
        appendValue(body, static_cast<float>(value));
        if (key.size() < 256) record(out, 'P', body);
    }
    // Records in order of time at the end; until then all of them in one piece of memory.
    struct Placed {
        std::uint64_t us;
        std::size_t from, to;
    };
    std::vector<Placed> timed;
    std::string records;
    std::uint16_t id = 0;
    for (const auto& [group, channels] : groups) {
        std::string subscribe(1, '\0');
        appendValue(subscribe, id);
        record(out, 'A', subscribe + group);
        const bool coarse = isCoarse(group);
        std::vector<double> times;
        for (const Channel* c : channels) times.insert(times.end(), c->t_s.begin(), c->t_s.end());
        std::sort(times.begin(), times.end());
        times.erase(std::unique(times.begin(), times.end()), times.end());
        std::vector<std::size_t> next(channels.size(), 0);
        std::string body;
        for (const double t : times) {
            body.clear();
            appendValue(body, id);
            appendValue(body, micros(t));
            for (std::size_t i = 0; i < channels.size(); ++i) {
                const Channel& c = *channels[i];
                double v = std::numeric_limits<double>::quiet_NaN();
                while (next[i] < c.t_s.size() && c.t_s[next[i]] <= t) v = c.value[next[i]++];
                if (coarse)
                    appendValue(body, static_cast<float>(v));
                else
                    appendValue(body, v);
            }
            const std::size_t from = records.size();
            record(records, 'D', body);
            timed.push_back({micros(t), from, records.size()});
        }
        ++id;
    }
    const auto say = [&](double t, const std::string& text) {
        std::string body(1, '6');
        appendValue(body, micros(t));
        const std::size_t from = records.size();
        record(records, 'L', body + text);
        timed.push_back({micros(t), from, records.size()});
    };
    for (const ModeChange& m : log.modes) say(m.t_s, "mode " + m.name);
    for (const LogEvent& e : log.events) say(e.t_s, e.text.empty() ? e.kind : e.kind + " " + e.text);
    std::stable_sort(timed.begin(), timed.end(), [](const Placed& a, const Placed& b) { return a.us < b.us; });
    out.reserve(out.size() + records.size());
    for (const Placed& r : timed) out.append(records, r.from, r.to - r.from);
    return out;
}

}  // namespace anhinga

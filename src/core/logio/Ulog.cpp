// ULog: the open self-describing log format (file header, definitions, data). Read: formats with nesting and arrays,
// multi-instance subscriptions, parameters, logged strings, dropouts. Indexed once; see UlogTables.h.
#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <set>

#include "core/base/Modes.h"
#include "core/logio/LogReader.h"
#include "core/logio/UlogTables.h"

namespace anhinga {

namespace {

constexpr std::size_t kMaxColumns = 2000, kMaxFormats = 5000, kMostVehicle = 200;

struct Column {
    std::string name;
    char kind;  // as UlogTables::Field
    std::size_t offset;
};
struct Layout {
    std::vector<Column> columns;
    std::size_t size = 0;
};

class UlogReader {
  public:
    UlogReader(const SharedBytes& shared, FlightLog& log) : bytes_(shared.bytes), log_(log), milestones_(shared) {
        tables_->shared = shared;
        tables_->shared.told = nullptr;  // nobody waits for what is decoded later
    }

    void run() {
        std::size_t at = 16;
        while (at + 3 <= bytes_.size()) {
            milestones_.pass(at);
            const auto size = static_cast<std::size_t>(load<std::uint16_t>(bytes_.data() + at));
            const char type = bytes_[at + 2];
            if (at + 3 + size > bytes_.size()) break;
            body_at_ = at + 3;
            if (!take(type, bytes_.substr(at + 3, size))) ++log_.damaged_records;
            at += 3 + size;
        }
        log_.damaged_bytes += bytes_.size() - at;
        tables_->start_us = start_us_.value_or(0);
        for (const std::string& name : tables_->channels())
            log_.promise(name, isCanonical(name) && ours_ ? canonicalUnit(name) : "", tables_->count(name),
                         [tables = tables_, name](Channel& out) { tables->decode(name, out); });
        if (first_s_ <= last_s_) log_.setSpan(first_s_, last_s_);
        if (dropouts_ > 0 && first_s_ <= last_s_)
            log_.events.push_back({std::max(first_s_, first_dropout_s_), "message",
                                   fmt::format("the log has {} {}, of {:.1f} s in all, the first one here", dropouts_,
                                               dropouts_ > 1 ? "gaps" : "gap", dropped_s_)});
        if (!ours_) nameUlogTopics(tables_, log_);
        log_.findSessions({});
    }

  private:
    template <class T>
    static T load(const char* at) {
        T v;
        std::memcpy(&v, at, sizeof v);
        return v;
    }
    static std::pair<char, std::size_t> typeOf(std::string_view name) {
        constexpr std::pair<std::string_view, std::pair<char, std::size_t>> kTypes[] = {
            {"int8_t", {'b', 1}},   {"uint8_t", {'B', 1}}, {"bool", {'B', 1}},     {"int16_t", {'h', 2}},
            {"uint16_t", {'H', 2}}, {"int32_t", {'i', 4}}, {"uint32_t", {'I', 4}}, {"int64_t", {'q', 8}},
            {"uint64_t", {'Q', 8}}, {"float", {'f', 4}},   {"double", {'d', 8}},   {"char", {'c', 1}}};
        for (const auto& [n, t] : kTypes)
            if (n == name) return t;
        return {0, 0};
    }
    /// Adds the fields of a format behind `prefix`; false for a format that is unknown, too deep or too wide.
    bool layOut(const std::string& format, const std::string& prefix, int depth, Layout& layout) {
        const auto found = formats_.find(format);
        if (found == formats_.end() || depth > 8) return false;
        std::string_view text = found->second;
        while (!text.empty()) {
            const auto end = text.find(';');
            std::string_view field = text.substr(0, end);
            text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
            const auto space = field.find(' ');
            if (space == std::string_view::npos) continue;
            std::string_view type = field.substr(0, space);
            const std::string name(field.substr(space + 1));
            std::size_t count = 1;
            bool array = false;
            if (const auto bracket = type.find('['); bracket != std::string_view::npos) {
                count = static_cast<std::size_t>(std::atoi(std::string(type.substr(bracket + 1)).c_str()));
                type = type.substr(0, bracket);
                array = true;
            }
            const auto [kind, width] = typeOf(type);
            if (count > 70000 || (kind != 'c' && layout.columns.size() + count > kMaxColumns)) return false;
            for (std::size_t i = 0; i < count; ++i) {
                const std::string full = prefix + name + (array ? fmt::format("[{}]", i) : "");
                if (kind == 0) {
                    if (!layOut(std::string(type), full + ".", depth + 1, layout)) return false;
                    continue;
                }
                if (kind != 'c' && !name.starts_with("_padding")) layout.columns.push_back({full, kind, layout.size});
                layout.size += width;
            }
        }
        return true;
    }
    double seconds(std::uint64_t us) {
        if (!start_us_) start_us_ = us;
        return (static_cast<double>(us) - static_cast<double>(*start_us_)) * 1e-6;
    }

    bool take(char type, std::string_view body) {
        switch (type) {
            case 'F': {
                const auto colon = body.find(':');
                if (colon == std::string_view::npos || formats_.size() > kMaxFormats) return false;
                formats_[std::string(body.substr(0, colon))] = std::string(body.substr(colon + 1));
                return true;
            }
            case 'I': {
                if (body.empty() || body.size() < 1u + static_cast<unsigned char>(body[0])) return false;
                const auto key = body.substr(1, static_cast<unsigned char>(body[0]));
                const auto text = body.substr(1 + key.size());
                if (key.ends_with(" sys_name")) ours_ = text == kUlogOwnSystem;
                if (ours_ && !start_us_) start_us_ = 0;  // times stand in ours as they are
                if (key.ends_with(" vehicle")) log_.vehicle = std::string(text.substr(0, kMostVehicle));
                if (key == "uint64_t time_ref_utc_us" && text.size() == 8)
                    log_.start_unix_s = static_cast<double>(load<std::uint64_t>(text.data())) * 1e-6;
                return true;
            }
            case 'P': {
                if (body.empty() || body.size() < 5u + static_cast<unsigned char>(body[0])) return false;
                const auto key = body.substr(1, static_cast<unsigned char>(body[0]));
                const char* at = body.data() + 1 + key.size();
                const auto space = key.find(' ');
                if (space == std::string_view::npos) return false;
                const double value =
                    key.starts_with("float") ? static_cast<double>(load<float>(at)) : load<std::int32_t>(at);
                const std::string name(key.substr(space + 1));
                if (first_s_ <= last_s_)
                    log_.takeParameter(last_s_, name, value);
                else
                    log_.params[name] = value;
                return true;
            }
            case 'A': {
                if (body.size() < 4) return false;
                const int instance = static_cast<unsigned char>(body[0]);
                const auto id = load<std::uint16_t>(body.data() + 1);
                const std::string name(body.substr(3));
                Layout layout;
                if (!layOut(name, "", 0, layout)) return false;
                if (layout.columns.empty() || layout.columns[0].name != "timestamp") return false;
                Subscription s;
                s.name = instance > 0 ? fmt::format("{}#{}", name, instance) : name;
                for (std::size_t i = 1; i < layout.columns.size(); ++i)
                    tables_->add(s.name + "." + layout.columns[i].name,
                                 {layout.columns[i].kind, layout.columns[i].offset}, s.records);
                subscriptions_[id] = std::move(s);
                return true;
            }
            case 'D':
                return data(body);
            case 'L': {
                if (body.size() < 9) return false;
                logged(seconds(load<std::uint64_t>(body.data() + 1)), std::string(body.substr(9)));
                return true;
            }
            case 'C': {  // with a tag before its time
                if (body.size() < 11) return false;
                logged(seconds(load<std::uint64_t>(body.data() + 3)), std::string(body.substr(11)));
                return true;
            }
            case 'O': {
                if (body.size() < 2) return false;
                if (dropouts_++ == 0) first_dropout_s_ = last_s_;
                dropped_s_ += load<std::uint16_t>(body.data()) * 1e-3;
                return true;
            }
            default:
                return std::strchr("BMRSQ", type) != nullptr;
        }
    }
    bool data(std::string_view body) {
        if (body.size() < 10) return false;
        const auto id = load<std::uint16_t>(body.data());
        const auto found = subscriptions_.find(id);
        if (found == subscriptions_.end()) return false;
        ++log_.message_counts[found->second.name];
        const double t = seconds(load<std::uint64_t>(body.data() + 2));
        first_s_ = std::min(first_s_, t);
        last_s_ = std::max(last_s_, t);
        found->second.records->at.push_back(static_cast<std::uint32_t>(body_at_));
        return true;
    }
    void logged(double t, std::string text) {
        const auto space = text.find(' ');
        const std::string word = text.substr(0, space), rest = space == std::string::npos ? "" : text.substr(space + 1);
        static const std::set<std::string> kWords{"armed", "disarmed", "photo", "item", "message"};
        if (ours_ && word == "mode")
            log_.modes.push_back({t, modeWordToday(rest)});
        else if (ours_ && kWords.contains(word))
            log_.events.push_back({t, word, rest});
        else
            log_.events.push_back({t, "message", std::move(text)});
    }

    std::string_view bytes_;
    FlightLog& log_;
    Milestones milestones_;
    bool ours_ = false;
    std::optional<std::uint64_t> start_us_;
    std::map<std::string, std::string> formats_;
    struct Subscription {
        std::string name;
        std::shared_ptr<UlogTables::Records> records = std::make_shared<UlogTables::Records>();
    };
    std::map<std::uint16_t, Subscription> subscriptions_;
    std::shared_ptr<UlogTables> tables_ = std::make_shared<UlogTables>();
    std::size_t body_at_ = 0, dropouts_ = 0;
    double dropped_s_ = 0, first_dropout_s_ = 0;
    double first_s_ = std::numeric_limits<double>::infinity(), last_s_ = -std::numeric_limits<double>::infinity();
};

}  // namespace

bool looksLikeUlog(std::string_view bytes) {
    return bytes.starts_with(kUlogMagic);
}

Result<LogPtr> readUlog(const SharedBytes& shared, const std::string& name) {
    const std::string_view bytes = shared.bytes;
    if (bytes.size() < 16) return fail("{}: the ULog header is not complete", name);
    auto log = std::make_shared<FlightLog>();
    log->format = "ULog";
    UlogReader(shared, *log).run();
    if (log->message_counts.empty()) return fail("{}: a ULog file without any data in it", name);
    return log;
}

}  // namespace anhinga

// Onboard logs that describe themselves: format records (FMT) first, then records of those formats; units and
// multipliers (FMTU, UNIT, MULT) where there are any. Binary (each record begins with 0xA3 0x95 and its number) and
// text (one record a line). Indexed once; a channel is decoded when it is asked for.
#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <map>

#include "core/base/MappedFile.h"
#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "core/geo/Geo.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

namespace {

constexpr unsigned char kHead1 = 0xA3, kHead2 = 0x95, kFormatRecord = 128;
constexpr std::size_t kHeader = 3, kFormatLength = 89, kMostFields = 64, kMostInstances = 64;

template <class T>
T load(const char* at) {
    T v;
    std::memcpy(&v, at, sizeof v);
    return v;
}

/// Bytes of a format character; 0 for one that is not known.
std::size_t widthOf(char c) {
    switch (c) {
        case 'b':
        case 'B':
        case 'M':
            return 1;
        case 'h':
        case 'H':
        case 'c':
        case 'C':
        case 'g':
            return 2;
        case 'i':
        case 'I':
        case 'f':
        case 'e':
        case 'E':
        case 'L':
        case 'n':
            return 4;
        case 'd':
        case 'q':
        case 'Q':
            return 8;
        case 'N':
            return 16;
        case 'Z':
        case 'a':
            return 64;
        default:
            return 0;
    }
}
bool isText(char c) {
    return c == 'n' || c == 'N' || c == 'Z';
}
bool isNumber(char c) {
    return !isText(c) && c != 'a';
}

/// IEEE 754 half precision.
double halfFloat(std::uint16_t h) {
    const int exponent = h >> 10 & 31, fraction = h & 1023;
    const double sign = (h & 0x8000) != 0 ? -1 : 1;
    if (exponent == 31) return fraction != 0 ? NAN : sign * INFINITY;
    if (exponent == 0) return sign * std::ldexp(fraction, -24);
    return sign * std::ldexp(1024 + fraction, exponent - 25);
}

double numberOf(const char* at, char c) {
    switch (c) {
        case 'b':
            return load<std::int8_t>(at);
        case 'B':
        case 'M':
            return load<std::uint8_t>(at);
        case 'h':
            return load<std::int16_t>(at);
        case 'H':
            return load<std::uint16_t>(at);
        case 'c':
            return load<std::int16_t>(at) / 100.0;
        case 'C':
            return load<std::uint16_t>(at) / 100.0;
        case 'g':
            return halfFloat(load<std::uint16_t>(at));
        case 'i':
            return load<std::int32_t>(at);
        case 'I':
            return load<std::uint32_t>(at);
        case 'e':
            return load<std::int32_t>(at) / 100.0;
        case 'E':
            return load<std::uint32_t>(at) / 100.0;
        case 'L':
            return load<std::int32_t>(at) * 1e-7;
        case 'f':
            return static_cast<double>(load<float>(at));
        case 'd':
            return load<double>(at);
        case 'q':
            return static_cast<double>(load<std::int64_t>(at));
        case 'Q':
            return static_cast<double>(load<std::uint64_t>(at));
        default:
            return NAN;
    }
}

std::string upToZero(std::string_view text) {
    return std::string(text.substr(0, text.find('\0')));
}
std::vector<std::string> split(std::string_view text) {
    std::vector<std::string> out;
    while (!text.empty() && out.size() < kMostFields) {
        const auto comma = text.find(',');
        out.emplace_back(trimmed(text.substr(0, comma)));
        text.remove_prefix(comma == std::string_view::npos ? text.size() : comma + 1);
    }
    return out;
}

/// Where the records of a kind lie; grows without moving what it holds.
class Places {
  public:
    void add(std::uint32_t at) {
        if (size_ % kBlock == 0) blocks_.push_back(std::make_unique<std::array<std::uint32_t, kBlock>>());
        (*blocks_.back())[size_ % kBlock] = at;
        ++size_;
    }
    std::uint32_t operator[](std::size_t i) const { return (*blocks_[i / kBlock])[i % kBlock]; }
    std::size_t size() const { return size_; }

  private:
    static constexpr std::size_t kBlock = 4096;
    std::vector<std::unique_ptr<std::array<std::uint32_t, kBlock>>> blocks_;
    std::size_t size_ = 0;
};

struct Field {
    std::string name, unit;
    char type = 0;
    std::size_t offset = 0;  // in a binary record
    double factor = 1;       // beside what the type says
};

/// One format, and where its records are.
struct Kind {
    int id = 0;
    std::string name;
    std::size_t length = 0;  // of a binary record
    std::vector<Field> fields;
    int time = -1, instance = -1;  // which fields
    double time_s = 1e-6;          // one unit of the time field
    std::map<int, Places> places;  // by instance
    std::size_t count() const {
        std::size_t n = 0;
        for (const auto& [i, p] : places) n += p.size();
        return n;
    }
    int field(std::string_view wanted) const {
        for (std::size_t i = 0; i < fields.size(); ++i)
            if (fields[i].name == wanted) return static_cast<int>(i);
        return -1;
    }
};

/// Formats and places of a log, and how a value is read: the same for both forms.
class Index {
  public:
    explicit Index(SharedBytes bytes) : bytes_(std::move(bytes)) {}
    virtual ~Index() = default;
    /// Finds every record. Damage is counted in the log.
    virtual void build(FlightLog& log) = 0;
    /// Nobody waits any more.
    void settle() { bytes_.told = nullptr; }
    virtual double number(const Kind& kind, std::uint32_t at, std::size_t field) const = 0;
    virtual std::string text(const Kind& kind, std::uint32_t at, std::size_t field) const = 0;

    double time(const Kind& kind, std::uint32_t at) const {
        return number(kind, at, static_cast<std::size_t>(kind.time)) * kind.time_s;
    }
    const Kind* kind(std::string_view name) const {
        const auto at = by_name_.find(name);
        return at == by_name_.end() ? nullptr : &kinds_.at(at->second);
    }
    const std::map<int, Kind>& kinds() const { return kinds_; }
    std::map<int, Kind>& kinds() { return kinds_; }

  protected:
    /// A format as its record says it. False when it cannot be.
    bool define(int id, std::size_t length, const std::string& name, const std::string& types,
                const std::string& labels) {
        if (name.empty() || types.size() > kMostFields) return false;
        Kind k;
        k.id = id;
        k.name = name;
        k.length = length;
        const auto names = split(labels);
        std::size_t offset = kHeader;
        for (std::size_t i = 0; i < types.size(); ++i) {
            const std::size_t width = widthOf(types[i]);
            if (width == 0 || i >= names.size() || names[i].empty()) return false;
            k.fields.push_back({names[i], types[i] == 'L' ? "deg" : "", types[i], offset, 1});
            offset += width;
        }
        if (length != offset) return false;
        k.time = k.field("TimeUS");
        if (k.time < 0) {
            k.time = k.field("TimeMS");
            k.time_s = 1e-3;
        }
        if (k.time >= 0 && !isNumber(k.fields[static_cast<std::size_t>(k.time)].type)) k.time = -1;
        // Several of a sensor: the field is called so, or the units say so (FMTU).
        k.instance = k.field("I");
        if (k.instance >= 0 && widthOf(k.fields[static_cast<std::size_t>(k.instance)].type) != 1) k.instance = -1;
        // A format that comes again, the same, changes nothing.
        const auto known = kinds_.find(id);
        if (known != kinds_.end() && known->second.count() > 0) return known->second.name == name;
        if (by_name_.contains(name) && by_name_.at(name) != id) return false;
        by_name_[name] = id;
        kinds_[id] = std::move(k);
        return true;
    }

    SharedBytes bytes_;
    std::map<int, Kind> kinds_;
    std::map<std::string, int, std::less<>> by_name_;
};

class BinaryIndex : public Index {
  public:
    using Index::Index;
    void build(FlightLog& log) override {
        const std::string_view b = bytes_.bytes;
        std::array<std::uint32_t, 256> lengths{};
        std::array<Kind*, 256> kinds{};
        lengths[kFormatRecord] = kFormatLength;
        std::size_t at = 0;
        bool in_damage = false;
        Milestones milestones(bytes_);
        while (at + kHeader <= b.size()) {
            milestones.pass(at);
            const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(b[i]); };
            const std::uint32_t length = byte(at) == kHead1 && byte(at + 1) == kHead2 ? lengths[byte(at + 2)] : 0;
            const std::size_t next = at + length;
            // A record counts when another one, or the end, follows it.
            const bool whole = length > 0 && next <= b.size() &&
                               (next + 1 >= b.size() || (byte(next) == kHead1 && byte(next + 1) == kHead2) ||
                                byte(at + 2) == kFormatRecord);
            if (!whole) {
                if (!in_damage) ++log.damaged_records;
                in_damage = true;
                ++log.damaged_bytes;
                ++at;
                continue;
            }
            in_damage = false;
            if (byte(at + 2) == kFormatRecord) {
                takeFormat(b.substr(at, kFormatLength), lengths, kinds);
                ++formats_;
            } else {
                Kind& k = *kinds[byte(at + 2)];
                const int instance =
                    k.instance < 0 ? 0 : byte(at + k.fields[static_cast<std::size_t>(k.instance)].offset);
                if (instance < static_cast<int>(kMostInstances)) k.places[instance].add(static_cast<std::uint32_t>(at));
                if (k.name == "FMTU") takeUnits(k, static_cast<std::uint32_t>(at));
            }
            at = next;
        }
        log.damaged_bytes += b.size() - std::min(at, b.size());
        if (formats_ > 0) log.message_counts["FMT"] = formats_;
    }
    double number(const Kind& k, std::uint32_t at, std::size_t field) const override {
        const Field& f = k.fields[field];
        return numberOf(bytes_.bytes.data() + at + f.offset, f.type) * f.factor;
    }
    std::string text(const Kind& k, std::uint32_t at, std::size_t field) const override {
        const Field& f = k.fields[field];
        return upToZero(bytes_.bytes.substr(at + f.offset, widthOf(f.type)));
    }

  private:
    void takeFormat(std::string_view r, std::array<std::uint32_t, 256>& lengths, std::array<Kind*, 256>& kinds) {
        const int id = static_cast<unsigned char>(r[3]);
        const std::size_t length = static_cast<unsigned char>(r[4]);
        if (id == kFormatRecord ||
            !define(id, length, upToZero(r.substr(5, 4)), upToZero(r.substr(9, 16)), upToZero(r.substr(25, 64))))
            return;
        lengths[static_cast<std::size_t>(id)] = static_cast<std::uint32_t>(kinds_.at(id).length);
        kinds[static_cast<std::size_t>(id)] = &kinds_.at(id);
    }
    /// Which field tells several of a kind apart: known before their first record.
    void takeUnits(const Kind& units, std::uint32_t at) {
        const int type = units.field("FmtType"), ids = units.field("UnitIds");
        if (type < 0 || ids < 0 || !isText(units.fields[static_cast<std::size_t>(ids)].type)) return;
        const auto found = kinds_.find(toInt(number(units, at, static_cast<std::size_t>(type)), -1));
        if (found == kinds_.end() || found->second.count() > 0) return;
        const std::string marks = text(units, at, static_cast<std::size_t>(ids));
        for (std::size_t i = 0; i < std::min(marks.size(), found->second.fields.size()); ++i)
            if (marks[i] == '#' && widthOf(found->second.fields[i].type) == 1)
                found->second.instance = static_cast<int>(i);
    }
    std::size_t formats_ = 0;
};

class TextIndex : public Index {
  public:
    using Index::Index;
    void build(FlightLog& log) override {
        const std::string_view b = bytes_.bytes;
        std::size_t at = 0, formats = 0;
        Milestones milestones(bytes_);
        while (at < b.size()) {
            milestones.pass(at);
            const std::size_t end = std::min(b.find('\n', at), b.size());
            const std::string_view line = trimmed(b.substr(at, end - at));
            const std::string_view name = trimmed(line.substr(0, line.find(',')));
            if (name == "FMT") {
                ++formats;
                takeFormat(line);
            } else if (const auto id = by_name_.find(name); id != by_name_.end()) {
                Kind& k = kinds_.at(id->second);
                int instance = 0;
                if (k.instance >= 0)
                    if (const auto v = parseNumber(part(line, static_cast<std::size_t>(k.instance))))
                        instance = static_cast<int>(std::clamp(*v, 0.0, 1e6));
                const bool complete =
                    std::count(line.begin(), line.end(), ',') >= static_cast<std::ptrdiff_t>(k.fields.size());
                if (complete && instance < static_cast<int>(kMostInstances))
                    k.places[instance].add(static_cast<std::uint32_t>(at));
                else
                    damaged(log, line);
            } else if (!line.empty()) {
                damaged(log, line);
            }
            at = end + 1;
        }
        if (formats > 0) log.message_counts["FMT"] = formats;
    }
    double number(const Kind&, std::uint32_t at, std::size_t field) const override {
        return parseNumber(part(lineAt(at), field)).value_or(NAN);
    }
    std::string text(const Kind& k, std::uint32_t at, std::size_t field) const override {
        std::string_view line = lineAt(at);
        if (field + 1 < k.fields.size()) return std::string(part(line, field));
        // The last one may have commas in it.
        for (std::size_t i = 0; i <= field; ++i) {
            const auto comma = line.find(',');
            if (comma == std::string_view::npos) return "";
            line.remove_prefix(comma + 1);
        }
        return std::string(trimmed(line));
    }

  private:
    static void damaged(FlightLog& log, std::string_view line) {
        ++log.damaged_records;
        log.damaged_bytes += line.size();
    }
    std::string_view lineAt(std::uint32_t at) const {
        const std::string_view b = bytes_.bytes;
        return trimmed(b.substr(at, std::min(b.find('\n', at), b.size()) - at));
    }
    /// The field's text; 0 is the one behind the name.
    static std::string_view part(std::string_view line, std::size_t field) {
        for (std::size_t i = 0; i <= field; ++i) {
            const auto comma = line.find(',');
            if (comma == std::string_view::npos) return {};
            line.remove_prefix(comma + 1);
        }
        return trimmed(line.substr(0, line.find(',')));
    }
    void takeFormat(std::string_view line) {
        // FMT, id, length, name, types, label, label, ...
        const auto id = parseNumber(part(line, 0)), length = parseNumber(part(line, 1));
        std::string_view labels = line;
        for (int i = 0; i < 5; ++i) {
            const auto comma = labels.find(',');
            if (comma == std::string_view::npos) return;
            labels.remove_prefix(comma + 1);
        }
        if (!id || !length || *id < 0 || *id > 255 || *length < 0 || *length > 255) return;
        if (static_cast<int>(*id) == kFormatRecord) return;
        define(static_cast<int>(*id), static_cast<std::size_t>(*length), std::string(part(line, 2)),
               std::string(part(line, 3)), std::string(labels));
    }
};

/// A canonical channel and where its values come from, the better source first.
struct Source {
    const char *name, *kind, *field;
    double factor;
};
constexpr double kDegrees = 180 / M_PI;
constexpr Source kSources[] = {{"position.lat_deg", "POS", "Lat", 1},
                               {"position.lat_deg", "GPS", "Lat", 1},
                               {"position.lon_deg", "POS", "Lng", 1},
                               {"position.lon_deg", "GPS", "Lng", 1},
                               {"position.height_amsl_m", "POS", "Alt", 1},
                               {"position.height_amsl_m", "GPS", "Alt", 1},
                               {"position.height_home_m", "POS", "RelHomeAlt", 1},
                               {"position.height_home_m", "CTUN", "Alt", 1},
                               {"position.height_home_m", "GPS", "RAlt", 1},
                               {"position.height_ground_m", "RFND", "Dist", 1},
                               {"velocity.ground_mps", "GPS", "Spd", 1},
                               {"velocity.climb_mps", "GPS", "VZ", -1},
                               {"velocity.air_mps", "ARSP", "Airspeed", 1},
                               {"attitude.roll_deg", "ATT", "Roll", 1},
                               {"attitude.pitch_deg", "ATT", "Pitch", 1},
                               {"attitude.yaw_deg", "ATT", "Yaw", 1},
                               {"desired.roll_deg", "ATT", "DesRoll", 1},
                               {"desired.pitch_deg", "ATT", "DesPitch", 1},
                               {"desired.yaw_deg", "ATT", "DesYaw", 1},
                               {"desired.height_home_m", "CTUN", "DAlt", 1},
                               {"gps.satellites", "GPS", "NSats", 1},
                               {"gps.hdop", "GPS", "HDop", 1},
                               {"gps.fix", "GPS", "Status", 1},
                               {"baro.height_m", "BARO", "Alt", 1},
                               {"imu.accel_x_mps2", "IMU", "AccX", 1},
                               {"imu.accel_y_mps2", "IMU", "AccY", 1},
                               {"imu.accel_z_mps2", "IMU", "AccZ", 1},
                               {"imu.gyro_x_dps", "IMU", "GyrX", kDegrees},
                               {"imu.gyro_y_dps", "IMU", "GyrY", kDegrees},
                               {"imu.gyro_z_dps", "IMU", "GyrZ", kDegrees},
                               {"mag.x_ut", "MAG", "MagX", 0.1},
                               {"mag.y_ut", "MAG", "MagY", 0.1},
                               {"mag.z_ut", "MAG", "MagZ", 0.1},
                               {"vibration.x_mps2", "VIBE", "VibeX", 1},
                               {"vibration.y_mps2", "VIBE", "VibeY", 1},
                               {"vibration.z_mps2", "VIBE", "VibeZ", 1},
                               {"vibration.clipped", "VIBE", "Clip", 1},
                               {"vibration.clipped", "VIBE", "Clip0", 1},
                               {"battery.voltage_v", "BAT", "Volt", 1},
                               {"battery.voltage_v", "CURR", "Volt", 1},
                               {"battery.current_a", "BAT", "Curr", 1},
                               {"battery.current_a", "CURR", "Curr", 1},
                               {"battery.used_mah", "BAT", "CurrTot", 1},
                               {"battery.used_mah", "CURR", "CurrTot", 1},
                               {"battery.used_wh", "BAT", "EnrgTot", 1},
                               {"battery.left_percent", "BAT", "RemPct", 1},
                               {"throttle.percent", "CTUN", "ThO", 100},
                               {"link.rssi", "RSSI", "RXRSSI", 1}};

/// Makes a log of an index: names, promises, what is said in words.
class Maker {
  public:
    Maker(std::shared_ptr<Index> index, FlightLog& log) : index_(std::move(index)), log_(log) {}
    void run() {
        applyUnits();
        findTime();
        for (const auto& [id, kind] : index_->kinds()) addKind(kind);
        for (const Source& s : kSources) addSource(s);
        addField();
        addMotors();
        takeParameters();
        takeWords();
        findStart();
        if (known_time_) log_.setSpan(0, last_s_ - first_s_);
        log_.findSessions({});
    }

  private:
    double at(double absolute_s) const { return absolute_s - first_s_; }

    /// Runs over the records of a kind, in the order of the log.
    void each(const char* name, const std::function<void(const Kind&, std::uint32_t, double)>& act) const {
        const Kind* kind = index_->kind(name);
        if (kind == nullptr) return;
        for (const auto& [instance, places] : kind->places)
            for (std::size_t i = 0; i < places.size(); ++i)
                act(*kind, places[i], kind->time < 0 ? first_s_ : index_->time(*kind, places[i]));
    }
    /// A field's number or text; nothing where the kind has no such field.
    std::optional<double> number(const Kind& k, std::uint32_t at, const char* field) const {
        const int f = k.field(field);
        if (f < 0 || !isNumber(k.fields[static_cast<std::size_t>(f)].type)) return std::nullopt;
        return index_->number(k, at, static_cast<std::size_t>(f));
    }
    std::string text(const Kind& k, std::uint32_t at, const char* field) const {
        const int f = k.field(field);
        return f < 0 || !isText(k.fields[static_cast<std::size_t>(f)].type)
                   ? std::string()
                   : index_->text(k, at, static_cast<std::size_t>(f));
    }

    /// FMTU names a unit and a multiplier for each field; UNIT and MULT say what the letters mean.
    void applyUnits() {
        std::map<char, std::string> units;
        std::map<char, double> multipliers;
        each("UNIT", [&](const Kind& k, std::uint32_t at, double) {
            if (const auto id = number(k, at, "Id")) units[static_cast<char>(toInt(*id))] = text(k, at, "Label");
        });
        each("MULT", [&](const Kind& k, std::uint32_t at, double) {
            const auto id = number(k, at, "Id"), by = number(k, at, "Mult");
            if (id && by && std::isfinite(*by) && *by != 0) multipliers[static_cast<char>(toInt(*id))] = *by;
        });
        each("FMTU", [&](const Kind& k, std::uint32_t at, double) {
            const auto type = number(k, at, "FmtType");
            const auto found = type ? index_->kinds().find(toInt(*type, -1)) : index_->kinds().end();
            if (found == index_->kinds().end()) return;
            const std::string marks = text(k, at, "UnitIds"), by = text(k, at, "MultIds");
            auto& fields = found->second.fields;
            for (std::size_t i = 0; i < fields.size(); ++i) {
                if (i < marks.size() && units.contains(marks[i])) fields[i].unit = units.at(marks[i]);
                // These types say their own multiplier.
                const bool scaled = std::strchr("cCeEL", fields[i].type) != nullptr;
                const bool is_time = static_cast<int>(i) == found->second.time;
                if (!scaled && !is_time && i < by.size() && multipliers.contains(by[i]))
                    fields[i].factor = multipliers.at(by[i]);
            }
        });
    }

    void findTime() {
        for (const auto& [id, kind] : index_->kinds()) {
            if (kind.time < 0) continue;
            for (const auto& [instance, places] : kind.places) {
                if (places.size() == 0) continue;
                const double begin = index_->time(kind, places[0]), end = index_->time(kind, places[places.size() - 1]);
                if (!std::isfinite(begin) || !std::isfinite(end)) continue;
                // Records that describe the log carry no time of their own.
                if (begin > 0 && (!known_time_ || begin < first_s_)) first_s_ = begin;
                known_time_ = known_time_ || begin > 0;
                last_s_ = std::max(last_s_, end);
            }
        }
    }

    /// Fills a channel from a field; times stay ascending.
    static void decode(const Index& index, const Kind& kind, const Places& places, std::size_t field, double factor,
                       double first_s, Channel& c) {
        c.t_s.reserve(places.size());
        c.value.reserve(places.size());
        for (std::size_t i = 0; i < places.size(); ++i) {
            const double t = index.time(kind, places[i]) - first_s, v = index.number(kind, places[i], field) * factor;
            if (std::isnan(v) || !(t >= 0) || (!c.t_s.empty() && t < c.t_s.back())) continue;
            c.add(t, v);
        }
    }
    std::function<void(Channel&)> decoder(const Kind& kind, const Places& places, std::size_t field,
                                          double factor) const {
        return [index = index_, k = &kind, p = &places, field, factor, first = first_s_](Channel& c) {
            decode(*index, *k, *p, field, factor, first, c);
        };
    }

    void addKind(const Kind& kind) {
        if (kind.count() > 0) log_.message_counts[kind.name] = kind.count();
        if (kind.time < 0) return;
        for (const auto& [instance, places] : kind.places) {
            const std::string name = instance > 0 ? fmt::format("{}#{}", kind.name, instance) : kind.name;
            for (std::size_t f = 0; f < kind.fields.size(); ++f)
                if (isNumber(kind.fields[f].type) && static_cast<int>(f) != kind.time)
                    log_.promise(name + "." + kind.fields[f].name, kind.fields[f].unit, places.size(),
                                 decoder(kind, places, f, 1));
        }
    }

    const Kind* withField(const char* name, const char* field) const {
        const Kind* kind = index_->kind(name);
        const int f = kind != nullptr ? kind->field(field) : -1;
        const bool there = f >= 0 && kind->time >= 0 && kind->places.contains(0) &&
                           isNumber(kind->fields[static_cast<std::size_t>(f)].type);
        return there ? kind : nullptr;
    }
    void addSource(const Source& s) {
        const Kind* kind = withField(s.kind, s.field);
        if (kind == nullptr || log_.has(s.name)) return;
        const Places& places = kind->places.at(0);
        log_.promise(s.name, canonicalUnit(s.name), places.size(),
                     decoder(*kind, places, static_cast<std::size_t>(kind->field(s.field)), s.factor));
    }
    /// The strength of the field over all axes.
    void addField() {
        if (!log_.has("mag.x_ut") || !log_.has("mag.y_ut") || !log_.has("mag.z_ut")) return;
        const Kind* kind = index_->kind("MAG");
        const Places& places = kind->places.at(0);
        log_.promise(
            "mag.field_ut", "uT", places.size(), [index = index_, kind, p = &places, first = first_s_](Channel& c) {
                Channel axes[3];
                const char* names[] = {"MagX", "MagY", "MagZ"};
                for (int a = 0; a < 3; ++a)
                    decode(*index, *kind, *p, static_cast<std::size_t>(kind->field(names[a])), 0.1, first, axes[a]);
                const std::size_t n = std::min({axes[0].t_s.size(), axes[1].t_s.size(), axes[2].t_s.size()});
                for (std::size_t i = 0; i < n; ++i)
                    c.add(axes[0].t_s[i], std::hypot(axes[0].value[i], axes[1].value[i], axes[2].value[i]));
            });
    }
    /// Outputs to the motors, 1000 to 2000 microseconds as percent.
    void addMotors() {
        constexpr int kMost = 14;
        for (int i = 1; i <= kMost; ++i) {
            const std::string field = fmt::format("C{}", i), name = fmt::format("motor.{}", i);
            const Kind* kind = withField("RCOU", field.c_str());
            if (kind == nullptr) continue;
            const Places& places = kind->places.at(0);
            log_.promise(name, "%", places.size(),
                         [index = index_, kind, p = &places, field, first = first_s_](Channel& c) {
                             decode(*index, *kind, *p, static_cast<std::size_t>(kind->field(field)), 1, first, c);
                             for (double& v : c.value) v = (v - 1000) / 10;
                         });
        }
    }

    void takeParameters() {
        each("PARM", [&](const Kind& k, std::uint32_t at, double) {
            const std::string name = text(k, at, "Name");
            const auto value = number(k, at, "Value");
            if (!name.empty() && value) log_.params[name] = *value;
        });
        const auto has = [&](const char* name) { return log_.params.contains(name); };
        enum { fixedWing = 1, multirotor = 2, helicopter = 4, rover = 10 };
        type_ = has("H_RSC_MODE")                                                       ? helicopter
                : has("FRAME_CLASS") || has("MOT_SPIN_ARM") || has("MOT_THST_HOVER")    ? multirotor
                : has("TRIM_ARSPD_CM") || has("AIRSPEED_CRUISE") || has("RLL2SRV_RMAX") ? fixedWing
                                                                                        : multirotor;
        log_.vehicle = mavlink::typeText(type_);
        if (has("SYSID_THISMAV"))
            log_.vehicle = fmt::format("vehicle {:.0f}, {}", log_.params.at("SYSID_THISMAV"), log_.vehicle);
    }

    void takeWords() {
        constexpr int kFamily = 3;
        std::string before;
        each("MODE", [&](const Kind& k, std::uint32_t at, double t) {
            const auto n = number(k, at, k.field("ModeNum") >= 0 ? "ModeNum" : "Mode");
            if (!n || !(*n >= 0 && *n <= 1000)) return;
            const std::string mode = mavlink::modeName(kFamily, type_, static_cast<std::uint32_t>(*n));
            if (mode != before) log_.modes.push_back({this->at(t), mode});
            before = mode;
        });
        const auto event = [&](double t, const char* kind, std::string words) {
            log_.events.push_back({at(t), kind, std::move(words)});
        };
        each("MSG", [&](const Kind& k, std::uint32_t at, double t) { event(t, "message", text(k, at, "Message")); });
        std::size_t armed = 0;
        each("ARM", [&](const Kind& k, std::uint32_t at, double t) {
            if (const auto on = number(k, at, "ArmState")) {
                event(t, *on != 0 ? "armed" : "disarmed", "");
                ++armed;
            }
        });
        constexpr int kArmed = 10, kDisarmed = 11;
        if (armed == 0)
            each("EV", [&](const Kind& k, std::uint32_t at, double t) {
                const auto id = number(k, at, "Id");
                if (id && (*id == kArmed || *id == kDisarmed)) event(t, *id == kArmed ? "armed" : "disarmed", "");
            });
        int photos = 0;
        each("CAM", [&](const Kind&, std::uint32_t, double t) { event(t, "photo", std::to_string(++photos)); });
        if (photos == 0)
            each("TRIG", [&](const Kind&, std::uint32_t, double t) { event(t, "photo", std::to_string(++photos)); });
        std::stable_sort(log_.events.begin(), log_.events.end(),
                         [](const LogEvent& a, const LogEvent& b) { return a.t_s < b.t_s; });
        // A mission that is logged item by item: each time it begins again is another one.
        each("CMD", [&](const Kind& k, std::uint32_t at, double t) {
            const auto total = number(k, at, "CTot"), n = number(k, at, "CNum");
            if (total && n && *n == 0 && *total > 0 && *total < 65536) {
                log_.missions.push_back(static_cast<int>(*total));
                log_.mission_lists.push_back({t, static_cast<std::size_t>(*total), {}});
            }
            if (!n || log_.mission_lists.empty() || !(*n >= 0 && *n <= 65535)) return;
            LoggedItem item;
            const auto value = [&](const char* field) { return number(k, at, field).value_or(0); };
            const auto whole = [&](const char* field) {
                const double v = value(field);
                return v >= 0 && v < 65536 ? static_cast<int>(v) : 0;
            };
            item.seq = static_cast<int>(*n);
            item.command = whole("CId");
            item.frame = whole("Frame");
            const char* const params[] = {"Prm1", "Prm2", "Prm3", "Prm4"};
            for (int i = 0; i < 4; ++i) item.param[i] = value(params[i]);
            item.x = value("Lat");
            item.y = value("Lng");
            item.z = value("Alt");
            auto& items = log_.mission_lists.back().items;
            if (items.size() < log_.mission_lists.back().count) items.push_back(item);
        });
    }

    /// From the first GPS week and millisecond with a fix (GPS time is ahead of UTC by the leap seconds since 1980).
    void findStart() {
        bool found = false;
        each("GPS", [&](const Kind& k, std::uint32_t at, double t) {
            constexpr double kEpoch = 315964800, kWeek_s = 604800, kLeap_s = 18;
            if (found) return;
            const auto week = number(k, at, "GWk"), ms = number(k, at, "GMS"), fix = number(k, at, "Status");
            if (!week || !ms || *week < 1000 || *week > 10000 || fix.value_or(0) < 3) return;
            log_.start_unix_s = kEpoch + *week * kWeek_s + *ms / 1000 - kLeap_s - (t - first_s_);
            found = true;
        });
    }

    std::shared_ptr<Index> index_;
    FlightLog& log_;
    bool known_time_ = false;
    double first_s_ = 0, last_s_ = 0;
    int type_ = 2;
};

Result<LogPtr> make(std::shared_ptr<Index> index, const char* format, const std::string& name) {
    auto log = std::make_shared<FlightLog>();
    log->format = format;
    index->build(*log);
    index->settle();
    std::size_t records = 0;
    for (const auto& [id, kind] : index->kinds()) records += kind.count();
    if (records == 0) return fail("{}: {} without any record in it", name, format);
    Maker(std::move(index), *log).run();
    return log;
}

}  // namespace

bool looksLikeSelfDescribing(std::string_view b) {
    // A format record within the first kilobytes.
    constexpr std::string_view kBegin("\xA3\x95\x80", 3);
    return b.substr(0, 4096).find(kBegin) != std::string_view::npos;
}

Result<LogPtr> readSelfDescribing(const SharedBytes& bytes, const std::string& name) {
    return make(std::make_shared<BinaryIndex>(bytes), "self-describing log", name);
}

bool looksLikeSelfDescribingText(std::string_view b) {
    const std::string_view begin = b.substr(0, 4096);
    for (std::size_t at = begin.find("FMT,"); at != std::string_view::npos; at = begin.find("FMT,", at + 1))
        if (at == 0 || begin[at - 1] == '\n') return true;
    return false;
}

Result<LogPtr> readSelfDescribingText(const SharedBytes& bytes, const std::string& name) {
    return make(std::make_shared<TextIndex>(bytes), "self-describing log, text", name);
}

}  // namespace anhinga

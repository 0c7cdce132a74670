// The records of self-describing logs, binary and text: found once, counted, and read value by value.
#include "core/logio/SelfDescribingIndex.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <optional>

#include "core/base/Numbers.h"
#include "core/base/Text.h"

namespace anhinga::selfdescribing {

namespace {

constexpr unsigned char kHead1 = 0xA3, kHead2 = 0x95, kFormatRecord = 128;
constexpr std::size_t kHeader = 3, kFormatLength = 89, kMostFields = 64;

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

}  // namespace

bool isText(char c) {
    return c == 'n' || c == 'N' || c == 'Z';
}
bool isNumber(char c) {
    return !isText(c) && c != 'a';
}

bool Index::define(int id, std::size_t length, const std::string& name, const std::string& types,
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
        // An older layout has the receiver's own milliseconds of the week beside those since the start.
        k.time = k.field("Week") >= 0 && k.field("T") >= 0 ? k.field("T") : k.field("TimeMS");
        k.time_s = 1e-3;
    }
    if (k.time >= 0 && !isNumber(k.fields[static_cast<std::size_t>(k.time)].type)) k.time = -1;
    // Several of a sensor: the field is called so, or the units say so (FMTU).
    for (const char* several : {"I", "Instance", "Inst"})
        if (k.instance < 0) k.instance = k.field(several);
    if (k.instance >= 0 && widthOf(k.fields[static_cast<std::size_t>(k.instance)].type) != 1) k.instance = -1;
    // A format that comes again, the same, changes nothing.
    const auto known = kinds_.find(id);
    if (known != kinds_.end() && known->second.count() > 0) return known->second.name == name;
    if (by_name_.contains(name) && by_name_.at(name) != id) return false;
    by_name_[name] = id;
    kinds_[id] = std::move(k);
    return true;
}

namespace {

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
    double number(const Kind& k, std::uint32_t at, std::size_t field) const override {
        return parseNumber(part(lineAt(at), field)).value_or(NAN) * k.fields[field].factor;
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

}  // namespace

std::shared_ptr<Index> binaryIndex(const SharedBytes& bytes) {
    return std::make_shared<BinaryIndex>(bytes);
}
std::shared_ptr<Index> textIndex(const SharedBytes& bytes) {
    return std::make_shared<TextIndex>(bytes);
}

}  // namespace anhinga::selfdescribing

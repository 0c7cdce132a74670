// Onboard logs of predicted frames: header lines "H name:value" say which fields each kind of frame
// has, how each is predicted and encoded; then frames, each begun by its letter. Several logs may follow each other in
// one file. Frames are decoded once into whole numbers; a channel is made of them when it is asked for.
#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <cstring>
#include <map>

#include "core/base/Physics.h"
#include "core/base/Text.h"
#include "core/geo/Geo.h"
#include "core/logio/LogReader.h"
#include "core/logio/PredictorWords.h"

namespace anhinga {

namespace {

constexpr std::string_view kBegin = "H Product:";
constexpr std::size_t kMostFields = 128, kMostHeader = 200000, kMostNames = 2000;

/// Reads bytes and bits; past the end it is exhausted and gives zeros.
class Stream {
  public:
    Stream(std::string_view bytes, std::size_t at) : bytes_(bytes), at_(at) {}
    std::size_t at() const { return at_; }
    bool exhausted() const { return exhausted_; }
    unsigned byte() {
        if (at_ >= bytes_.size()) {
            exhausted_ = true;
            return 0;
        }
        return static_cast<unsigned char>(bytes_[at_++]);
    }
    /// Seven bits a byte, the lowest first, at most five bytes.
    std::uint32_t unsignedVb() {
        std::uint32_t v = 0;
        for (int shift = 0; shift < 35; shift += 7) {
            const unsigned b = byte();
            v |= (b & 127) << shift;
            if ((b & 128) == 0) return v;
        }
        bad_ = true;
        return 0;
    }
    /// The sign in the lowest bit.
    std::int32_t signedVb() {
        const std::uint32_t v = unsignedVb();
        return static_cast<std::int32_t>(v >> 1) ^ -static_cast<std::int32_t>(v & 1);
    }
    bool bad() const { return bad_; }

  private:
    std::string_view bytes_;
    std::size_t at_;
    bool exhausted_ = false, bad_ = false;
};

/// The lowest `bits` of a number as a signed one.
std::int32_t extended(std::uint32_t v, int bits) {
    const std::uint32_t sign = 1U << (bits - 1);
    v &= bits < 32 ? (1U << bits) - 1 : ~0U;
    return static_cast<std::int32_t>((v ^ sign) - sign);
}

using Triple = std::array<std::int32_t, 3>;
using Quad = std::array<std::int32_t, 4>;

/// Three numbers of 1 to 4 bytes; two bits of the lead byte each say how many.
Triple wholeBytes(Stream& s, unsigned lead) {
    Triple v{};
    for (std::int32_t& x : v) {
        const unsigned n = (lead & 3) + 1;
        std::uint32_t raw = 0;
        for (unsigned i = 0; i < n; ++i) raw |= s.byte() << (8 * i);
        x = extended(raw, static_cast<int>(8 * n));
        lead >>= 2;
    }
    return v;
}
Triple tag2_3S32(Stream& s) {
    const unsigned lead = s.byte();
    switch (lead >> 6) {
        case 0:
            return {extended(lead >> 4, 2), extended(lead >> 2, 2), extended(lead, 2)};
        case 1: {
            const unsigned b = s.byte();
            return {extended(lead, 4), extended(b >> 4, 4), extended(b, 4)};
        }
        case 2: {
            const unsigned b = s.byte(), c = s.byte();
            return {extended(lead, 6), extended(b, 6), extended(c, 6)};
        }
        default:
            return wholeBytes(s, lead);
    }
}
Triple tag2_3SVariable(Stream& s) {
    const unsigned lead = s.byte();
    switch (lead >> 6) {
        case 0:
            return {extended(lead >> 4, 2), extended(lead >> 2, 2), extended(lead, 2)};
        case 1: {
            const unsigned b = s.byte();
            return {extended(lead >> 1, 5), extended((lead & 1) << 4 | b >> 4, 5), extended(b, 4)};
        }
        case 2: {
            const unsigned b = s.byte(), c = s.byte();
            return {extended((lead & 63) << 2 | b >> 6, 8), extended((b & 63) << 1 | c >> 7, 7), extended(c, 7)};
        }
        default:
            return wholeBytes(s, lead);
    }
}
/// Four numbers of 0, 4, 8 or 16 bits, packed by half bytes (data version 2) or whole bytes (version 1).
Quad tag8_4S16(Stream& s, int version) {
    Quad v{};
    unsigned selector = s.byte();
    if (version < 2) {
        for (std::size_t i = 0; i < 4; ++i, selector >>= 2) {
            const unsigned kind = selector & 3;
            if (kind == 1) {  // two in one byte
                const unsigned b = s.byte();
                v[i] = extended(b, 4);
                ++i;
                selector >>= 2;
                if (i < 4) v[i] = extended(b >> 4, 4);
            } else if (kind == 2) {
                v[i] = extended(s.byte(), 8);
            } else if (kind == 3) {
                const unsigned low = s.byte();
                v[i] = extended(low | s.byte() << 8, 16);
            }
        }
        return v;
    }
    bool half = false;
    unsigned kept = 0;
    for (std::int32_t& x : v) {
        switch (selector & 3) {
            case 1:
                if (!half) {
                    kept = s.byte();
                    x = extended(kept >> 4, 4);
                } else {
                    x = extended(kept, 4);
                }
                half = !half;
                break;
            case 2:
                if (!half) {
                    x = extended(s.byte(), 8);
                } else {
                    const unsigned b = s.byte();
                    x = extended((kept & 15) << 4 | b >> 4, 8);
                    kept = b;
                }
                break;
            case 3:
                if (!half) {
                    const unsigned high = s.byte();
                    x = extended(high << 8 | s.byte(), 16);
                } else {
                    const unsigned b = s.byte(), c = s.byte();
                    x = extended((kept & 15) << 12 | b << 4 | c >> 4, 16);
                    kept = c;
                }
                break;
            default:
                break;
        }
        selector >>= 2;
    }
    return v;
}

enum Encoding {
    signedVb = 0,
    unsignedVb = 1,
    negative14 = 3,
    tag8_8 = 6,
    tag2_3 = 7,
    tag8_4 = 8,
    nothing = 9,
    tag2_3Var = 10
};
enum Predictor {
    zero = 0,
    previous = 1,
    straightLine = 2,
    average2 = 3,
    minThrottle = 4,
    motor0 = 5,
    increment = 6,
    homePlace = 7,
    fixed1500 = 8,
    vbatRef = 9,
    lastMainTime = 10,
    minMotor = 11
};

/// The fields of one kind of frame.
struct Frame {
    std::vector<std::string> names;
    std::vector<int> predictor, encoding;
    int field(std::string_view name) const {
        const auto at = std::find(names.begin(), names.end(), name);
        return at == names.end() ? -1 : static_cast<int>(at - names.begin());
    }
    bool usable() const {
        return !names.empty() && names.size() == encoding.size() && names.size() == predictor.size();
    }
};

using Values = std::vector<std::int32_t>;

/// Decoded frames of one kind: whole numbers over time.
struct Table {
    std::vector<std::string> names;
    std::vector<double> t_s;
    std::vector<std::vector<std::int32_t>> columns;
    void add(double t, const std::vector<std::string>& fields, const Values& values) {
        if (names.empty()) {
            names = fields;
            columns.resize(names.size());
        }
        t_s.push_back(t);
        // A later log of the file may have other fields: by name, what it lacks stays as it was.
        if (fields == names) {
            for (std::size_t i = 0; i < columns.size(); ++i) columns[i].push_back(values[i]);
            return;
        }
        for (std::size_t i = 0; i < columns.size(); ++i) {
            const auto at = std::find(fields.begin(), fields.end(), names[i]);
            columns[i].push_back(at != fields.end()   ? values[static_cast<std::size_t>(at - fields.begin())]
                                 : columns[i].empty() ? 0
                                                      : columns[i].back());
        }
    }
    int field(std::string_view name) const {
        const auto at = std::find(names.begin(), names.end(), name);
        return at == names.end() ? -1 : static_cast<int>(at - names.begin());
    }
};

struct Header {
    std::map<std::string, std::string> values;
    Frame intra, inter, slow, gps, home;
    int version = 2;
    std::int32_t i_interval = 32, p_num = 1, p_denom = 1;
    std::int32_t min_throttle = 1150, vbat_ref = 4095, motor_low = 1000, motor_high = 2000;
    double gyro_scale = 1, acc_1g = 0;
    bool centivolts = false;
};

std::vector<std::string> split(std::string_view text) {
    std::vector<std::string> out;
    while (!text.empty() && out.size() <= kMostFields) {
        const auto comma = text.find(',');
        out.emplace_back(text.substr(0, comma));
        text.remove_prefix(comma == std::string_view::npos ? text.size() : comma + 1);
    }
    return out;
}
std::vector<int> wholeNumbers(std::string_view text) {
    std::vector<int> out;
    for (const std::string& word : split(text)) out.push_back(std::atoi(word.c_str()));
    return out;
}

class Reader {
  public:
    Reader(const SharedBytes& shared, FlightLog& log) : bytes_(shared.bytes), log_(log), milestones_(shared) {}

    struct Tables {
        Table main, slow, gps;
        Header header;  // of the first log
    };
    std::shared_ptr<Tables> run() {
        std::size_t at = bytes_.find(kBegin);
        log_.damaged_bytes += std::min(at, bytes_.size());
        while (at < bytes_.size()) {
            std::size_t next = bytes_.find(kBegin, at + kBegin.size());
            const std::size_t end = std::min(next, bytes_.size());
            readOne(bytes_.substr(at, end - at));
            at = next;
            if (next == std::string_view::npos) break;
        }
        return tables_;
    }
    const std::vector<double>& restarts() const { return restarts_; }

    /// Modes in words: what navigation does, else what the flags say.
    void findModes() {
        const Table& main = tables_->main;
        const int nav = main.field("navState");
        std::size_t next = 0;
        std::uint32_t flags = 0;
        int state = 0;
        bool known = false;
        const auto say = [&](double t) {
            if (!known && nav < 0) return;
            std::string mode = navigationMode(state);
            if (mode.empty()) mode = predictorMode(flags, nav >= 0);
            if (log_.modes.empty() || log_.modes.back().name != mode) log_.modes.push_back({t, mode});
        };
        const auto takeFlags = [&](double until) {
            for (; next < flags_.size() && flags_[next].first <= until; ++next) {
                flags = flags_[next].second;
                known = true;
                say(flags_[next].first);
            }
        };
        for (std::size_t i = 0; nav >= 0 && i < main.t_s.size(); ++i) {
            takeFlags(main.t_s[i]);
            const int now = main.columns[static_cast<std::size_t>(nav)][i];
            if (now == state && i > 0) continue;
            state = now;
            say(main.t_s[i]);
        }
        takeFlags(INFINITY);
    }

  private:
    void readOne(std::string_view part) {
        Header h;
        std::size_t at = readHeader(part, h);
        if (!h.intra.usable()) {
            log_.damaged_bytes += part.size();
            ++log_.damaged_records;
            return;
        }
        if (logs_ == 0) tables_->header = h;
        for (const auto& [name, value] : h.values)
            if (const auto v = parseNumber(value); v && log_.params.size() < kMostNames) log_.params[name] = *v;
        // Each log has a clock of its own: a minute after the one before.
        constexpr double kApart_s = 60;
        base_s_ = logs_ == 0 ? 0 : last_s_ + kApart_s;
        if (const auto begun = startOf(h)) {
            if (logs_ == 0) log_.start_unix_s = *begun;
            // Where both say when they began, it lies where it was.
            else if (log_.start_unix_s > 0 && *begun - log_.start_unix_s > last_s_)
                base_s_ = *begun - log_.start_unix_s;
        }
        if (logs_ > 0) restarts_.push_back(base_s_);
        first_us_.reset();
        ++logs_;
        main_ = before_ = {};
        valid_ = false;
        home_.clear();
        slow_.assign(h.slow.names.size(), 0);
        gps_.assign(h.gps.names.size(), 0);
        readFrames(part, at, h);
        log_.events.push_back({last_s_, "disarmed", ""});
    }

    /// When it began, where the clock was set by then.
    static std::optional<double> startOf(const Header& h) {
        constexpr double kYear2000_s = 946684800;
        const auto found = h.values.find("Log start datetime");
        const auto time = found == h.values.end() ? std::nullopt : parseIsoTime(found->second);
        return time && time->unix_s > kYear2000_s ? std::optional(time->unix_s) : std::nullopt;
    }

    std::size_t readHeader(std::string_view part, Header& h) {
        std::size_t at = 0;
        while (at + 2 <= part.size() && part[at] == 'H' && part[at + 1] == ' ' && at < kMostHeader) {
            const std::size_t end = part.find('\n', at);
            if (end == std::string_view::npos) return part.size();
            std::string_view line = part.substr(at + 2, end - at - 2);
            at = end + 1;
            const auto colon = line.find(':');
            if (colon == std::string_view::npos) continue;
            const std::string name(line.substr(0, colon));
            std::string_view value = line.substr(colon + 1);
            while (!value.empty() && value.back() == '\r') value.remove_suffix(1);
            takeHeader(h, name, value);
        }
        // P frames have the fields of I frames.
        h.inter.names = h.intra.names;
        return at;
    }
    static void takeHeader(Header& h, const std::string& name, std::string_view value) {
        constexpr std::string_view kField = "Field ";
        if (name.starts_with(kField) && name.size() > kField.size() + 2) {
            const char kind = name[kField.size()];
            const std::string what = name.substr(kField.size() + 2);
            Frame* frame = kind == 'I'   ? &h.intra
                           : kind == 'P' ? &h.inter
                           : kind == 'S' ? &h.slow
                           : kind == 'G' ? &h.gps
                           : kind == 'H' ? &h.home
                                         : nullptr;
            if (frame == nullptr) return;
            if (what == "name") frame->names = split(value);
            if (what == "predictor") frame->predictor = wholeNumbers(value);
            if (what == "encoding") frame->encoding = wholeNumbers(value);
            if (frame->names.size() > kMostFields) frame->names.clear();
            return;
        }
        if (h.values.size() < kMostNames) h.values[name] = std::string(value);
        const int number = std::atoi(std::string(value).c_str());
        if (name == "Data version") h.version = number;
        if (name == "I interval") h.i_interval = std::clamp(number, 1, 1 << 20);
        if (name == "P interval") {
            const auto slash = value.find('/');
            h.p_num = slash == std::string_view::npos ? 1 : std::clamp(number, 1, 1 << 20);
            h.p_denom = slash == std::string_view::npos
                            ? std::clamp(number, 1, 1 << 20)
                            : std::clamp(std::atoi(std::string(value.substr(slash + 1)).c_str()), 1, 1 << 20);
        }
        if (name == "minthrottle") h.min_throttle = number;
        if (name == "vbatref") h.vbat_ref = number;
        if (name == "motorOutput") {
            const auto v = wholeNumbers(value);
            if (v.size() == 2) {
                h.motor_low = v[0];
                h.motor_high = v[1];
            }
        }
        if (name == "maxthrottle" && !h.values.contains("motorOutput")) {
            h.motor_high = number;
            h.motor_low = h.min_throttle;
        }
        if (name == "gyro_scale" || name == "gyro.scale") {
            // The bits of a 32-bit float, in hexadecimal.
            std::uint32_t bits = 0;
            const auto digits = value.starts_with("0x") ? value.substr(2) : value;
            if (std::from_chars(digits.data(), digits.data() + digits.size(), bits, 16).ec == std::errc{}) {
                float scale = 0;
                std::memcpy(&scale, &bits, sizeof scale);
                if (std::isfinite(scale) && scale > 0) h.gyro_scale = static_cast<double>(scale);
            }
        }
        if (name == "acc_1G") h.acc_1g = number;
        if (name == "vbatcellvoltage") {
            const auto v = wholeNumbers(value);
            h.centivolts = v.size() == 3 && v[2] > 100;
        }
    }

    /// Whether a main frame is meant to be logged at that iteration.
    static bool expected(const Header& h, std::uint32_t iteration) {
        return (iteration % static_cast<std::uint32_t>(h.i_interval) + static_cast<std::uint32_t>(h.p_num) - 1) %
                   static_cast<std::uint32_t>(h.p_denom) <
               static_cast<std::uint32_t>(h.p_num);
    }

    std::int32_t predict(const Header& h, const Frame& frame, std::size_t i, std::int32_t value, const Values& now,
                         const Values* last, const Values* last2) const {
        const auto u = [](std::int32_t x) { return static_cast<std::uint32_t>(x); };
        const auto sum = [&](std::int32_t x) { return static_cast<std::int32_t>(u(value) + u(x)); };
        switch (frame.predictor[i]) {
            case previous:
                return last != nullptr ? sum((*last)[i]) : value;
            case straightLine:
                return last != nullptr ? static_cast<std::int32_t>(u(value) + 2 * u((*last)[i]) - u((*last2)[i]))
                                       : value;
            case average2:
                return last != nullptr
                           ? sum(static_cast<std::int32_t>((static_cast<std::int64_t>((*last)[i]) + (*last2)[i]) / 2))
                           : value;
            case minThrottle:
                return sum(h.min_throttle);
            case motor0: {
                const int m = frame.field("motor[0]");
                return m >= 0 && static_cast<std::size_t>(m) < i ? sum(now[static_cast<std::size_t>(m)]) : value;
            }
            case increment: {
                if (last == nullptr) return value;
                std::uint32_t skipped = 0;
                while (skipped < static_cast<std::uint32_t>(h.i_interval) && !expected(h, u((*last)[i]) + 1 + skipped))
                    ++skipped;
                return static_cast<std::int32_t>(u((*last)[i]) + 1 + skipped);
            }
            case homePlace: {
                const bool second = frame.names[i].ends_with("[1]");
                return home_.size() >= 2 ? sum(home_[second ? 1 : 0]) : value;
            }
            case fixed1500:
                return sum(1500);
            case vbatRef:
                return sum(h.vbat_ref);
            case lastMainTime: {
                const int t = h.intra.field("time");
                return t >= 0 && !main_.empty() ? sum(main_[static_cast<std::size_t>(t)]) : value;
            }
            case minMotor:
                return sum(h.motor_low);
            default:
                return value;
        }
    }

    /// False when an encoding is not known or the bytes end.
    bool decode(const Header& h, const Frame& frame, Stream& s, const Values* last, const Values* last2,
                Values& out) const {
        out.assign(frame.names.size(), 0);
        for (std::size_t i = 0; i < out.size();) {
            const int encoding = frame.encoding[i];
            std::array<std::int32_t, 8> group{};
            std::size_t n = 1;
            switch (encoding) {
                case signedVb:
                    group[0] = s.signedVb();
                    break;
                case unsignedVb:
                    group[0] = static_cast<std::int32_t>(s.unsignedVb());
                    break;
                case negative14:
                    group[0] = -extended(s.unsignedVb(), 14);
                    break;
                case tag8_8: {
                    while (n < 8 && i + n < out.size() && frame.encoding[i + n] == tag8_8) ++n;
                    if (n == 1) {
                        group[0] = s.signedVb();
                        break;
                    }
                    const unsigned mask = s.byte();
                    for (std::size_t k = 0; k < n; ++k) group[k] = (mask >> k & 1) != 0 ? s.signedVb() : 0;
                    break;
                }
                case tag2_3:
                case tag2_3Var: {
                    const Triple v = encoding == tag2_3 ? tag2_3S32(s) : tag2_3SVariable(s);
                    n = 3;
                    std::copy(v.begin(), v.end(), group.begin());
                    break;
                }
                case tag8_4: {
                    const Quad v = tag8_4S16(s, h.version);
                    n = 4;
                    std::copy(v.begin(), v.end(), group.begin());
                    break;
                }
                case nothing:
                    break;
                default:
                    return false;
            }
            if (s.exhausted() || s.bad()) return false;
            for (std::size_t k = 0; k < n && i < out.size(); ++k, ++i)
                out[i] = predict(h, frame, i, group[k], out, last, last2);
        }
        return true;
    }

    void readFrames(std::string_view part, std::size_t at, const Header& h) {
        const std::uint32_t time_field = static_cast<std::uint32_t>(std::max(0, h.intra.field("time")));
        bool in_damage = false;
        const auto before = static_cast<std::size_t>(part.data() - bytes_.data());
        while (at < part.size()) {
            milestones_.pass(before + at);
            Stream s(part, at + 1);
            Values values;
            const char letter = part[at];
            bool ok = false, ended = false;
            switch (letter) {
                case 'I':
                    ok = decode(h, h.intra, s, nullptr, nullptr, values);
                    break;
                case 'P':
                    // Without what it is predicted from it cannot be read, but its length can.
                    ok = h.inter.usable() &&
                         decode(h, h.inter, s, valid_ ? &main_ : nullptr, valid_ ? &before_ : nullptr, values);
                    break;
                case 'S':
                    ok = h.slow.usable() && decode(h, h.slow, s, &slow_, &slow_, values);
                    break;
                case 'G':
                    ok = h.gps.usable() && decode(h, h.gps, s, &gps_, &gps_, values);
                    break;
                case 'H':
                    ok = h.home.usable() && decode(h, h.home, s, nullptr, nullptr, values);
                    break;
                case 'E':
                    ok = event(part, s, ended);
                    break;
                default:
                    break;
            }
            // A frame counts when another one, or the end, follows it.
            ok = ok && (ended || s.at() >= part.size() || std::strchr("IPSGHE", part[s.at()]) != nullptr);
            if (!ok) {
                if (!in_damage) ++log_.damaged_records;
                in_damage = true;
                valid_ = false;
                ++log_.damaged_bytes;
                ++at;
                continue;
            }
            in_damage = false;
            take(letter, h, std::move(values), time_field);
            at = s.at();
            if (ended) {
                // What is behind the end is the rest of a flash page.
                return;
            }
        }
    }

    void take(char letter, const Header& h, Values values, std::size_t time_field) {
        if (letter == 'I' || letter == 'P') {
            if (letter == 'P' && !valid_) {
                ++log_.damaged_records;
                return;
            }
            const auto us = static_cast<std::uint32_t>(values[time_field]);
            // A clock that jumps is damage; it is trusted again from the next whole frame on.
            constexpr std::uint32_t kJump_us = 10000000;
            if (first_us_ && valid_ && us - last_us_ > kJump_us) {
                valid_ = false;
                ++log_.damaged_records;
                return;
            }
            if (!first_us_) {
                first_us_ = us;
                unrolled_us_ = 0;
                log_.events.push_back({base_s_, "armed", ""});
            } else {
                unrolled_us_ += us - last_us_;
            }
            last_us_ = us;
            last_s_ = base_s_ + static_cast<double>(unrolled_us_) * 1e-6;
            before_ = letter == 'I' ? values : main_;
            main_ = values;
            valid_ = true;
            ++log_.message_counts["MAIN"];
            tables_->main.add(last_s_, h.intra.names, values);
        } else if (letter == 'S') {
            slow_ = values;
            if (!first_us_) return;
            ++log_.message_counts["SLOW"];
            tables_->slow.add(last_s_, h.slow.names, values);
            takeSlow(h, values);
        } else if (letter == 'G') {
            gps_ = values;
            if (!first_us_) return;
            ++log_.message_counts["GPS"];
            tables_->gps.add(last_s_, h.gps.names, values);
        } else if (letter == 'H') {
            home_ = values;
            const int lat = h.home.field("GPS_home[0]"), lon = h.home.field("GPS_home[1]");
            if (lat < 0 || lon < 0) return;
            const LoggedPlace place{values[static_cast<std::size_t>(lat)] * 1e-7,
                                    values[static_cast<std::size_t>(lon)] * 1e-7, std::nullopt};
            const bool nowhere = (place.lat_deg == 0 && place.lon_deg == 0) || !isValid({place.lat_deg, place.lon_deg});
            if (!nowhere && (log_.homes.empty() || !(log_.homes.back().place == place)))
                log_.homes.push_back({last_s_, place});
        }
    }

    /// Flags, phases of a failsafe, whether the receiver is heard.
    void takeSlow(const Header& h, const Values& values) {
        const auto value = [&](const char* name) -> std::optional<std::int32_t> {
            const int i = h.slow.field(name);
            return i < 0 ? std::nullopt : std::optional(values[static_cast<std::size_t>(i)]);
        };
        if (const auto flags = value("flightModeFlags"))
            flags_.emplace_back(last_s_, static_cast<std::uint32_t>(*flags));
        if (const auto phase = value("failsafePhase"); phase && *phase != failsafe_) {
            const std::string words = failsafePhase(*phase, navigates(h));
            log_.events.push_back({last_s_, "message", words.empty() ? "failsafe: over" : "failsafe: " + words});
            failsafe_ = *phase;
        }
        if (const auto heard = value("rxSignalReceived"); heard && (*heard != 0) != receiver_heard_) {
            receiver_heard_ = *heard != 0;
            log_.events.push_back(
                {last_s_, "message",
                 receiver_heard_ ? "the receiver is heard again" : "failsafe: the receiver hears nothing"});
        }
    }
    static bool navigates(const Header& h) { return h.intra.field("navState") >= 0; }

    bool event(std::string_view part, Stream& s, bool& ended) {
        enum { syncBeep = 0, adjustment = 13, resume = 14, disarm = 15, flightMode = 30, imuFail = 40, logEnd = 255 };
        constexpr std::string_view kEnd("End of log\0", 11);
        const unsigned kind = s.byte();
        const auto say = [&](const std::string& text) {
            if (!s.exhausted() && !s.bad()) log_.events.push_back({last_s_, "message", text});
        };
        switch (kind) {
            case syncBeep:
                s.unsignedVb();
                break;
            case adjustment: {
                const unsigned function = s.byte();
                if (function >= 128)
                    for (int i = 0; i < 4; ++i) s.byte();
                else
                    s.signedVb();
                say(fmt::format("adjustment {} in flight", function & 127));
                break;
            }
            case resume:
                s.unsignedVb();
                s.unsignedVb();
                say("logging goes on");
                break;
            case disarm:
                say(fmt::format("disarmed, reason {}", s.unsignedVb()));
                break;
            case flightMode: {
                const std::uint32_t flags = s.unsignedVb();
                s.unsignedVb();
                if (!s.exhausted() && !s.bad()) flags_.emplace_back(last_s_, flags);
                break;
            }
            case imuFail:
                s.unsignedVb();
                say("an inertial sensor failed");
                break;
            case logEnd:
                if (part.substr(s.at(), kEnd.size()) != kEnd) return false;
                ended = true;
                return true;
            default:
                return false;
        }
        return !s.exhausted() && !s.bad();
    }

    std::string_view bytes_;
    FlightLog& log_;
    Milestones milestones_;
    std::shared_ptr<Tables> tables_ = std::make_shared<Tables>();
    std::vector<double> restarts_;
    int logs_ = 0;
    double base_s_ = 0, last_s_ = 0;
    std::optional<std::uint32_t> first_us_;
    std::uint32_t last_us_ = 0;
    std::uint64_t unrolled_us_ = 0;
    bool valid_ = false;
    Values main_, before_, slow_, gps_, home_;
    std::vector<std::pair<double, std::uint32_t>> flags_;  // of flight modes, when they were said
    int failsafe_ = 0;
    bool receiver_heard_ = true;
};

/// Names and canonical channels of what was decoded.
void promiseAll(const std::shared_ptr<Reader::Tables>& tables, FlightLog& log) {
    const std::pair<const char*, const Table*> all[] = {
        {"MAIN", &tables->main}, {"SLOW", &tables->slow}, {"GPS", &tables->gps}};
    const auto promise = [&](const std::string& name, const std::string& unit, const Table& table, std::size_t column,
                             double factor, double offset) {
        log.promise(name, unit, table.t_s.size(), [tables, t = &table, column, factor, offset](Channel& c) {
            c.t_s = t->t_s;
            c.value.reserve(c.t_s.size());
            for (const std::int32_t v : t->columns[column]) c.value.push_back((v - offset) * factor);
        });
    };
    for (const auto& [name, table] : all)
        for (std::size_t i = 0; i < table->names.size(); ++i)
            if (table->names[i] != "time") promise(fmt::format("{}.{}", name, table->names[i]), "", *table, i, 1, 0);
    const Header& h = tables->header;
    const auto canonical = [&](const std::string& name, const Table& table, const std::string& field, double factor,
                               double offset = 0) {
        if (const int i = table.field(field); i >= 0)
            promise(name, name.starts_with("motor.") ? "%" : canonicalUnit(name), table, static_cast<std::size_t>(i),
                    factor, offset);
    };
    // A scale below a thousandth is radians a microsecond; else degrees a second are logged as they are.
    const double gyro = h.gyro_scale < 1e-3 ? h.gyro_scale * 1e6 * 180 / M_PI : h.gyro_scale;
    constexpr const char* kAxes[] = {"x", "y", "z"};
    for (int a = 0; a < 3; ++a) {
        canonical(fmt::format("imu.gyro_{}_dps", kAxes[a]), tables->main, fmt::format("gyroADC[{}]", a), gyro);
        if (h.acc_1g > 0)
            canonical(fmt::format("imu.accel_{}_mps2", kAxes[a]), tables->main, fmt::format("accSmooth[{}]", a),
                      kStandardGravity_mps2 / h.acc_1g);
    }
    constexpr int kMostMotors = 8;
    if (h.motor_high > h.motor_low)
        for (int m = 0; m < kMostMotors; ++m)
            canonical(fmt::format("motor.{}", m + 1), tables->main, fmt::format("motor[{}]", m),
                      100.0 / (h.motor_high - h.motor_low), h.motor_low);
    canonical("throttle.percent", tables->main, "rcCommand[3]", 0.1, 1000);
    if (h.centivolts) canonical("battery.voltage_v", tables->main, "vbatLatest", 0.01);
    canonical("battery.current_a", tables->main, "amperageLatest", 0.01);
    canonical("baro.height_m", tables->main, "BaroAlt", 0.01);
    // The estimate where there is one; else the barometer's height has to do, and is compared with nothing.
    const bool estimate = tables->main.field("navPos[2]") >= 0;
    canonical("position.height_home_m", tables->main, estimate ? "navPos[2]" : "BaroAlt", 0.01);
    canonical("desired.height_home_m", tables->main, "navTgtPos[2]", 0.01);
    canonical("estimate.height_home_m", tables->main, "navPos[2]", 0.01);
    canonical("link.rssi", tables->main, "rssi", 1);
    // Tenths of a degree; their pitch counts downwards.
    canonical("attitude.roll_deg", tables->main, "attitude[0]", 0.1);
    canonical("attitude.pitch_deg", tables->main, "attitude[1]", -0.1);
    canonical("attitude.yaw_deg", tables->main, "attitude[2]", 0.1);
    // What is commanded by the sticks; their yaw counts to the left.
    constexpr double kFull = 500, kZeroThrottle = 1000;
    canonical("stick.roll", tables->main, "rcCommand[0]", 1 / kFull);
    canonical("stick.pitch", tables->main, "rcCommand[1]", 1 / kFull);
    canonical("stick.yaw", tables->main, "rcCommand[2]", -1 / kFull);
    canonical("stick.throttle", tables->main, "rcCommand[3]", 1 / kZeroThrottle, kZeroThrottle);
    // Hundreds of electrical revolutions: a pair of poles each.
    if (const auto poles = h.values.find("motor_poles"); poles != h.values.end())
        if (const auto n = parseNumber(poles->second); n && *n >= 2)
            for (int m = 0; m < kMostMotors; ++m)
                canonical(fmt::format("rpm.{}", m + 1), tables->main, fmt::format("eRPM[{}]", m), 100 / (*n / 2));
    canonical("position.lat_deg", tables->gps, "GPS_coord[0]", 1e-7);
    canonical("position.lon_deg", tables->gps, "GPS_coord[1]", 1e-7);
    canonical("velocity.ground_mps", tables->gps, "GPS_speed", 0.01);
    canonical("gps.satellites", tables->gps, "GPS_numSat", 1);
}

}  // namespace

bool looksLikePredictorLog(std::string_view b) {
    return b.substr(0, 65536).find(kBegin) != std::string_view::npos;
}

Result<LogPtr> readPredictorLog(const SharedBytes& bytes, const std::string& name) {
    auto log = std::make_shared<FlightLog>();
    log->format = "predictor-encoded log";
    Reader reader(bytes, *log);
    const auto tables = reader.run();
    if (tables->main.t_s.empty()) return fail("{}: a predictor-encoded log without a frame that can be read", name);
    log->setSpan(0, tables->main.t_s.back());
    promiseAll(tables, *log);
    reader.findModes();
    log->findSessions(reader.restarts());
    return log;
}

}  // namespace anhinga

#include "core/base/Text.h"

#include <fmt/format.h>

#include <charconv>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <ctime>
#include <vector>

namespace anhinga {

std::string distanceText(double metres) {
    if (!std::isfinite(metres)) return "unknown";
    return std::abs(metres) < 999.5 ? fmt::format("{:.0f} m", metres) : fmt::format("{:.2f} km", metres / 1000);
}

std::string durationText(double seconds) {
    if (!std::isfinite(seconds) || seconds < 0) return "unknown";
    const auto s = static_cast<long long>(std::llround(seconds));
    if (s < 60) return fmt::format("{} s", s);
    if (s < 3600) return fmt::format("{} min {:02} s", s / 60, s % 60);
    return fmt::format("{} h {:02} min", s / 3600, s % 3600 / 60);
}

std::string isoUtc(double unix_seconds) {
    const auto t = static_cast<std::time_t>(unix_seconds);
    std::tm utc{};
    gmtime_r(&t, &utc);
    char text[40];
    const auto n = std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &utc);
    return {text, n};
}

std::string isoUtcMillis(double unix_seconds) {
    const double whole = std::floor(unix_seconds);
    const auto ms = static_cast<int>(std::lround((unix_seconds - whole) * 1000));
    std::string text = isoUtc(whole + (ms == 1000 ? 1 : 0));
    if (ms % 1000 != 0) text.insert(text.size() - 1, fmt::format(".{:03}", ms));
    return text;
}

std::string shownText(std::string_view text) {
    constexpr const char* kNoCharacter = "\xEF\xBF\xBD";
    std::string out;
    out.reserve(text.size());
    const auto byte = [&](std::size_t at) { return static_cast<unsigned char>(text[at]); };
    for (std::size_t i = 0; i < text.size();) {
        const unsigned char c = byte(i);
        if (c < 0x80) {
            ++i;
            if (c == '\n' || c == '\t' || (c >= 0x20 && c != 0x7f)) {
                out += static_cast<char>(c);
            } else {
                const unsigned picture = c == 0x7f ? 0x21 : c;  // U+2400 + c; U+2421 for delete
                out += "\xE2\x90";
                out += static_cast<char>(0x80 + picture);
            }
            continue;
        }
        const std::size_t length = c >= 0xF0 && c < 0xF5   ? 4
                                   : c >= 0xE0 && c < 0xF0 ? 3
                                   : c >= 0xC2 && c < 0xE0 ? 2
                                                           : 0;
        bool good = length > 0 && i + length <= text.size();
        std::uint32_t point = good ? c & (0xFF >> (length + 1)) : 0;
        for (std::size_t k = 1; good && k < length; ++k) {
            good = (byte(i + k) & 0xC0) == 0x80;
            point = point << 6 | (byte(i + k) & 0x3F);
        }
        constexpr std::uint32_t kLeast[] = {0, 0, 0x80, 0x800, 0x10000};
        good = good && point >= kLeast[length] && point <= 0x10FFFF && (point < 0xD800 || point > 0xDFFF);
        // Control characters of the second kind, and what turns the direction of writing.
        const bool steers = good && ((point >= 0x80 && point < 0xA0) || (point >= 0x202A && point <= 0x202E) ||
                                     (point >= 0x2066 && point <= 0x2069));
        if (good && !steers)
            out += text.substr(i, length);
        else
            out += kNoCharacter;
        i += good ? length : 1;
    }
    return out;
}

std::optional<double> parseUtc(std::string_view text) {
    constexpr std::string_view kForm = "dddd-dd-ddTdd:dd:ddZ";
    if (text.size() != kForm.size()) return std::nullopt;
    for (std::size_t i = 0; i < text.size(); ++i)
        if (kForm[i] == 'd' ? text[i] < '0' || text[i] > '9' : text[i] != kForm[i]) return std::nullopt;
    const auto number = [&](std::size_t at, std::size_t length) {
        int value = 0;
        std::from_chars(text.data() + at, text.data() + at + length, value);
        return value;
    };
    std::tm utc{};
    utc.tm_year = number(0, 4) - 1900;
    utc.tm_mon = number(5, 2) - 1;
    utc.tm_mday = number(8, 2);
    utc.tm_hour = number(11, 2);
    utc.tm_min = number(14, 2);
    utc.tm_sec = number(17, 2);
    const auto seconds = static_cast<double>(timegm(&utc));
    // A date that is none (the 31st of June) would come out as another one.
    return isoUtc(seconds) == text ? std::optional(seconds) : std::nullopt;
}

std::string_view trimmed(std::string_view text) {
    const auto from = text.find_first_not_of(" \t\r");
    if (from == std::string_view::npos) return {};
    return text.substr(from, text.find_last_not_of(" \t\r") - from + 1);
}

std::optional<double> parseNumber(std::string_view text) {
    while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
    while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
    if (!text.empty() && text.front() == '+') text.remove_prefix(1);
    double value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc{} || end != text.data() + text.size() || !std::isfinite(value)) return std::nullopt;
    return value;
}

std::optional<ParsedPlace> parsePlace(std::string_view text) {
    std::vector<double> parts;
    while (true) {
        const auto comma = text.find(',');
        const auto number = parseNumber(text.substr(0, comma));
        if (!number) return std::nullopt;
        parts.push_back(*number);
        if (comma == std::string_view::npos) break;
        text.remove_prefix(comma + 1);
    }
    if (parts.size() < 2 || parts.size() > 3) return std::nullopt;
    if (std::abs(parts[0]) > 90 || std::abs(parts[1]) > 180) return std::nullopt;
    ParsedPlace place{parts[0], parts[1], {}};
    if (parts.size() == 3) place.amsl_m = parts[2];
    return place;
}

double monotonicMs() {
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

double threadMs() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) * 1e3 + static_cast<double>(t.tv_nsec) * 1e-6;
}

double unixNow() {
    return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
}

std::optional<IsoTime> parseIsoTime(std::string_view text) {
    while (!text.empty() && static_cast<unsigned char>(text.front()) <= ' ') text.remove_prefix(1);
    while (!text.empty() && static_cast<unsigned char>(text.back()) <= ' ') text.remove_suffix(1);
    constexpr std::size_t kDay = 10, kSeconds = 19;  // characters of the day, and up to the whole seconds
    if (text.size() < kSeconds || (text[kDay] != 'T' && text[kDay] != ' ')) return std::nullopt;
    const auto whole = parseUtc(std::string(text.substr(0, kDay)) + "T" +
                                std::string(text.substr(kDay + 1, kSeconds - kDay - 1)) + "Z");
    if (!whole) return std::nullopt;
    std::string_view rest = text.substr(kSeconds);
    double fraction = 0;
    if (!rest.empty() && (rest[0] == '.' || rest[0] == ',')) {
        std::size_t n = 1;
        double unit = 0.1;
        for (; n < rest.size() && rest[n] >= '0' && rest[n] <= '9'; ++n, unit /= 10) fraction += (rest[n] - '0') * unit;
        rest.remove_prefix(n);
    }
    if (rest.empty() || rest == "Z") return IsoTime{*whole + fraction, !rest.empty()};
    if ((rest[0] != '+' && rest[0] != '-') || rest.size() < 3) return std::nullopt;
    const auto hours = parseNumber(rest.substr(1, 2)),
               minutes = rest.size() >= 5 ? parseNumber(rest.substr(rest.size() - 2)) : 0;
    if (!hours || !minutes) return std::nullopt;
    return IsoTime{*whole + fraction - (rest[0] == '-' ? -1 : 1) * (*hours * 3600 + *minutes * 60), true};
}

}  // namespace anhinga

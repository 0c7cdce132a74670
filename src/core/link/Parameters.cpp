#include "core/link/Parameters.h"

#include <algorithm>
#include <charconv>
#include <cstring>
#include <limits>

#include "core/base/Text.h"
#include "core/link/Conversation.h"

namespace anhinga {

using mavlink::Message;

namespace {

constexpr int kReal32 = 9;
constexpr std::uint64_t kBytewise = 16;  // MAV_PROTOCOL_CAPABILITY

bool isInteger(int type) {
    return type >= 1 && type <= 6;
}
bool bytewise(const VehicleSnapshot& v) {
    constexpr int kFamilyTwelve = 12;  // which says so once it is asked
    return v.capabilities ? (*v.capabilities & kBytewise) != 0 : v.autopilot == kFamilyTwelve;
}
/// What the vehicle can, which it is asked for from the first heartbeat on; a little is waited for it.
VehicleSnapshot withCapabilities(VehicleLink& link, const TransferOptions& options) {
    constexpr double kPatience_s = 3;
    const double until = link.clock().now_ms() + kPatience_s * 1000;
    while (!link.snapshot().capabilities && link.clock().now_ms() < until && !options.stop.stop_requested())
        link.clock().sleep(0.05, options.stop);
    return link.snapshot();
}
/// The value in a PARAM_VALUE or PARAM_SET: as a float, or its bits where the vehicle says so.
double decode(double stated, int type, bool bits) {
    if (!bits || !isInteger(type)) return stated;
    const auto f = static_cast<float>(stated);
    std::uint32_t raw = 0;
    std::memcpy(&raw, &f, sizeof raw);
    switch (type) {
        case 1:
            return static_cast<std::uint8_t>(raw);
        case 2:
            return static_cast<std::int8_t>(raw);
        case 3:
            return static_cast<std::uint16_t>(raw);
        case 4:
            return static_cast<std::int16_t>(raw);
        case 5:
            return raw;
        default:
            return static_cast<std::int32_t>(raw);
    }
}
float encode(double value, int type, bool bits) {
    if (!bits || !isInteger(type)) return static_cast<float>(value);
    const auto raw = static_cast<std::uint32_t>(static_cast<std::int64_t>(std::llround(value)));
    float f = 0;
    std::memcpy(&f, &raw, sizeof f);
    return f;
}
bool isName(const std::string& name) {
    return !name.empty() && name.size() <= 16 &&
           std::all_of(name.begin(), name.end(), [](char c) { return c > ' ' && c < 0x7f && c != ','; });
}
/// Whether it comes as it is meant: an integer as one of its kind, and as a float where it is sent as one.
bool canBeSent(double value, int type, bool bits) {
    struct Range {
        double low, high;
    };
    constexpr Range kRanges[] = {{0, 255},        {-128, 127},       {0, 65535},
                                 {-32768, 32767}, {0, 4294967295.0}, {-2147483648.0, 2147483647.0}};
    if (!isInteger(type)) return std::abs(value) <= std::numeric_limits<float>::max();
    if (const auto k = static_cast<std::size_t>(type - 1); k < std::size(kRanges))
        if (value < kRanges[k].low || value > kRanges[k].high) return false;
    return value == std::floor(value) && (bits || static_cast<double>(static_cast<float>(value)) == value);
}
bool same(double a, double b) {
    return static_cast<float>(a) == static_cast<float>(b);
}

}  // namespace

Result<ParameterSet> readParameters(VehicleLink& link, const TransferOptions& options) {
    // Numbers stay as they were sent until it is known how they are to be read.
    const VehicleSnapshot v = link.snapshot();
    VehicleLink::Inbox inbox(link, {"PARAM_VALUE"});
    constexpr std::size_t kWindow = 10;
    ParameterSet set;
    std::vector<bool> have;
    std::size_t known = 0;
    double heard_ms = link.clock().now_ms(), asked_ms = heard_ms, fresh_ms = heard_ms;
    link.send(addressed("PARAM_REQUEST_LIST", v));
    while (have.empty() || known < have.size()) {
        if (options.stop.stop_requested()) return fail("stopped");
        const double now = link.clock().now_ms();
        // What was said already, said again and again, is no answer.
        if (now - fresh_ms > options.silence_s * 1000)
            return tl::unexpected(silent(options, "its parameters were read"));
        const double quiet_ms = 250 + 1500 * link.roundTrip_s();
        if (now - std::max(heard_ms, asked_ms) > quiet_ms) {
            asked_ms = now;
            if (have.empty()) link.send(addressed("PARAM_REQUEST_LIST", v));
            std::size_t asked = 0;
            for (std::size_t i = 0; i < have.size() && asked < kWindow; ++i)
                if (!have[i]) {
                    link.send(addressed("PARAM_REQUEST_READ", v).set("param_index", static_cast<double>(i)));
                    ++asked;
                }
        }
        const auto m = inbox.next(0.05, options.stop);
        if (!m || m->system != v.system) continue;
        heard_ms = link.clock().now_ms();
        const auto count = static_cast<std::size_t>(m->integer("param_count"));
        const auto index = static_cast<std::size_t>(m->integer("param_index"));
        if (have.empty()) have.assign(count, false);
        const std::string name = m->text("param_id");
        if (name.empty()) continue;
        const auto type = static_cast<int>(m->integer("param_type"));
        // A name that would break the lines of a file is none.
        if (isName(name)) set[name] = {m->number("param_value"), type};
        if (index >= have.size() || have[index]) continue;
        have[index] = true;
        fresh_ms = heard_ms;
        ++known;
        // With few left the next ones are asked for at once.
        if (have.size() - known < kWindow) asked_ms = heard_ms - quiet_ms / 2;
        report(options, static_cast<double>(known) / static_cast<double>(have.size()),
               fmt::format("{} of {} parameters", known, have.size()));
    }
    const bool bits = bytewise(withCapabilities(link, options));
    for (auto& [name, p] : set) p.value = decode(p.value, p.type, bits);
    return set;
}

namespace {
/// Sends `m` again and again until the vehicle states the parameter.
Result<Parameter> stated(VehicleLink& link, const Message& m, const std::string& name, const TransferOptions& options) {
    const VehicleSnapshot v = link.snapshot();
    VehicleLink::Inbox inbox(link, {"PARAM_VALUE"});
    AnswerTime time(std::max(0.2, link.roundTrip_s()));
    const double start = link.clock().now_ms();
    double said = 0;
    while (link.clock().now_ms() - start < options.silence_s * 1000) {
        if (options.stop.stop_requested()) return fail("stopped");
        if (link.clock().now_ms() - said > time.wait_s() * 1000) {
            if (said > 0) time.missed();
            said = link.clock().now_ms();
            link.send(m);
        }
        const auto answer = inbox.next(0.05, options.stop);
        if (!answer || answer->system != v.system || answer->text("param_id") != name) continue;
        const auto type = static_cast<int>(answer->integer("param_type"));
        return Parameter{decode(answer->number("param_value"), type, bytewise(withCapabilities(link, options))), type};
    }
    return tl::unexpected(silent(options, "parameter " + name + " was asked for"));
}
}  // namespace

Result<Parameter> readParameter(VehicleLink& link, const std::string& name, const TransferOptions& options) {
    Message m = addressed("PARAM_REQUEST_READ", link.snapshot());
    m.set("param_index", -1).setText("param_id", name);
    return stated(link, m, name, options);
}

Result<Parameter> setParameter(VehicleLink& link, const std::string& name, Parameter wanted,
                               const TransferOptions& options) {
    if (!std::isfinite(wanted.value)) return fail("{}: the value must be a number", name);
    if (!isName(name)) return fail("\"{}\" is no name of a parameter", name);
    const VehicleSnapshot v = withCapabilities(link, options);
    if (!canBeSent(wanted.value, wanted.type, bytewise(v)))
        return failAs(ErrorCode::refused, "{}: {} cannot be sent as it is: {}", name, wanted.value,
                      isInteger(wanted.type) ? "a whole number that its kind holds is needed" : "too large");
    Message m = addressed("PARAM_SET", v);
    m.setText("param_id", name).set("param_type", wanted.type);
    m.set("param_value", static_cast<double>(encode(wanted.value, wanted.type, bytewise(v))));
    const auto said = stated(link, m, name, options);
    if (!said) return said;
    // The answer to the set may be an echo; what it holds is what it says when asked.
    const auto held = readParameter(link, name, options);
    if (!held) return held;
    if (!same(held->value, wanted.value))
        return failAs(ErrorCode::differs, "{}: the vehicle holds {}, not {} as it was told", name,
                      parameterText(held->value), parameterText(wanted.value));
    return held;
}

std::string parameterText(double value) {
    constexpr double kWhole = 1e9;
    if (value == std::floor(value) && std::abs(value) < kWhole &&
        static_cast<double>(static_cast<float>(value)) == value)
        return fmt::format("{:.0f}", value);
    char text[64];
    const auto end = std::to_chars(std::begin(text), std::end(text), static_cast<float>(value)).ptr;
    return {text, end};
}

std::string writeParameters(const ParameterSet& set, const std::string& explanation) {
    std::string out = "# " + explanation + "\nname,value,type\n";
    for (const auto& [name, p] : set) out += fmt::format("{},{},{}\n", name, parameterText(p.value), p.type);
    return out;
}

Result<ParameterSet> parseParameters(const std::string& text, const std::string& file_name) {
    constexpr std::size_t kMost = 100000;
    ParameterSet set;
    std::size_t at = 0, line_number = 0;
    while (at < text.size()) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        std::string line = text.substr(at, end - at);
        at = end + 1;
        ++line_number;
        for (char& c : line)
            if (c == '\t' || c == '\r' || c == ',' || c == ';') c = ' ';
        std::vector<std::string> words;
        std::size_t from = 0;
        while ((from = line.find_first_not_of(' ', from)) != std::string::npos) {
            const std::size_t to = std::min(line.find(' ', from), line.size());
            words.push_back(line.substr(from, to - from));
            from = to;
        }
        if (words.empty() || words[0][0] == '#' || words[0] == "name") continue;
        const auto value = words.size() > 1 ? parseNumber(words[1]) : std::nullopt;
        const bool named = words[0].size() <= 16 && std::all_of(words[0].begin(), words[0].end(), [](unsigned char c) {
                               return std::isalnum(c) != 0 || c == '_';
                           });
        if (!named || !value)
            return fail("{}: line {}: expected NAME,VALUE as in RETURN_HEIGHT_M,60", file_name, line_number);
        const auto type = words.size() > 2 ? parseNumber(words[2]) : std::optional<double>(kReal32);
        if (!type || *type < 1 || *type > 10) return fail("{}: line {}: no such type", file_name, line_number);
        set[words[0]] = {*value, static_cast<int>(*type)};
        if (set.size() > kMost) return fail("{}: more than {} parameters", file_name, kMost);
    }
    if (set.empty()) return fail("{}: no parameters in it", file_name);
    return set;
}

std::vector<ParameterDifference> compareParameters(const ParameterSet& ours, const ParameterSet& theirs) {
    std::vector<ParameterDifference> out;
    for (const auto& [name, p] : ours) {
        const auto other = theirs.find(name);
        if (other == theirs.end())
            out.push_back({name, p.value, std::nullopt});
        else if (!same(p.value, other->second.value))
            out.push_back({name, p.value, other->second.value});
    }
    for (const auto& [name, p] : theirs)
        if (!ours.contains(name)) out.push_back({name, std::nullopt, p.value});
    std::sort(out.begin(), out.end(),
              [](const ParameterDifference& a, const ParameterDifference& b) { return a.name < b.name; });
    return out;
}

}  // namespace anhinga

#include "core/dialect/Mission.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>

#include "core/base/File.h"

namespace anhinga {

bool isNavigation(std::uint16_t c) {
    return c == cmd::waypoint || (c >= cmd::loiterForEver && c <= cmd::takeOff) || c == cmd::loiterToHeight ||
           c == cmd::spline || c == cmd::delay;
}

bool hasPlace(const MissionItem& item) {
    switch (item.command) {
        case cmd::waypoint:
        case cmd::loiterTime:
        case cmd::loiterForEver:
        case cmd::loiterTurns:
        case cmd::loiterToHeight:
        case cmd::spline:
        case cmd::land:
        case cmd::lookAt:
        case cmd::fenceKeepIn:
        case cmd::fenceKeepOut:
        case cmd::fenceCircleIn:
        case cmd::fenceCircleOut:
        case cmd::rally:
            return true;
        default:
            return false;
    }
}

GeoPoint placeOf(const MissionItem& item) {
    return {item.x * 1e-7, item.y * 1e-7};
}

std::int32_t toE7(double degrees) {
    return static_cast<std::int32_t>(std::lround(degrees * 1e7));
}

std::uint8_t frameOf(HeightRef ref) {
    return ref == HeightRef::amsl ? frame::amsl : ref == HeightRef::home ? frame::home : frame::ground;
}

std::uint8_t plainFrame(std::uint8_t f) {
    return f == 5 ? frame::amsl : f == 6 ? frame::home : f == 11 ? frame::ground : f;
}

HeightRef refOf(std::uint8_t f) {
    const std::uint8_t plain = plainFrame(f);
    return plain == frame::amsl ? HeightRef::amsl : plain == frame::ground ? HeightRef::ground : HeightRef::home;
}

std::string commandText(std::uint16_t command) {
    switch (command) {
        case cmd::waypoint:
            return "waypoint";
        case cmd::loiterTime:
            return "hold";
        case cmd::loiterForEver:
            return "wait for ever";
        case cmd::loiterTurns:
            return "circle";
        case cmd::loiterToHeight:
            return "height change";
        case cmd::spline:
            return "spline waypoint";
        case cmd::delay:
            return "delay";
        case cmd::heading:
            return "heading";
        case cmd::relay:
            return "relay";
        case cmd::servo:
            return "servo";
        case cmd::photoInterval:
            return "photo by time";
        case cmd::photoStop:
            return "photo stop";
        case cmd::videoStart:
            return "video";
        case cmd::videoStop:
            return "video stop";
        case cmd::rally:
            return "rally point";
        case cmd::returnHome:
            return "return home";
        case cmd::land:
            return "land";
        case cmd::takeOff:
            return "take off";
        case cmd::jump:
            return "repeat";
        case cmd::changeSpeed:
            return "speed";
        case cmd::lookAt:
            return "look-at";
        case cmd::lookAtStop:
            return "look-at stop";
        case cmd::mountControl:
            return "gimbal pitch";
        case cmd::photoDistance:
            return "photo by distance";
        case cmd::photoNow:
            return "photo";
        case cmd::missionStart:
            return "start";
        case cmd::armDisarm:
            return "arm / disarm";
        case cmd::doSetMode:
            return "mode change";
        default:
            return fmt::format("command {}", command);
    }
}

std::string fieldWords(std::uint16_t command, const std::string& field) {
    constexpr std::uint16_t kAny = 0;
    struct Row {
        std::uint16_t command;
        const char *field, *words;
    };
    constexpr Row kRows[] = {{cmd::waypoint, "param1", "hold time"},
                             {cmd::waypoint, "param2", "passing distance"},
                             {cmd::waypoint, "param4", "heading"},
                             {cmd::loiterTime, "param1", "hold time"},
                             {cmd::loiterForEver, "param3", "radius"},
                             {cmd::loiterTurns, "param1", "turns"},
                             {cmd::loiterTurns, "param3", "radius"},
                             {cmd::loiterToHeight, "param2", "radius"},
                             {cmd::spline, "param1", "hold time"},
                             {cmd::delay, "param1", "delay"},
                             {cmd::heading, "param1", "heading"},
                             {cmd::jump, "param1", "item to repeat from"},
                             {cmd::jump, "param2", "repeats"},
                             {cmd::changeSpeed, "param1", "kind of speed"},
                             {cmd::changeSpeed, "param2", "speed"},
                             {cmd::photoDistance, "param1", "distance between photos"},
                             {cmd::photoDistance, "param3", "first photo at once"},
                             {cmd::photoInterval, "param2", "time between photos"},
                             {cmd::mountControl, "param1", "gimbal pitch"},
                             {kAny, "command", "kind of item"},
                             {kAny, "frame", "height reference"},
                             {kAny, "count", "number of items"},
                             {kAny, "x", "latitude"},
                             {kAny, "y", "longitude"},
                             {kAny, "z", "height"}};
    for (const Row& r : kRows)
        if ((r.command == command || r.command == kAny) && field == r.field) return r.words;
    return field;
}

namespace {

bool sameFloat(float a, float b) {
    const double x = std::isnan(a) ? 0.0 : static_cast<double>(a), y = std::isnan(b) ? 0.0 : static_cast<double>(b);
    return std::abs(x - y) <= std::max(0.006, 1e-6 * std::max(std::abs(x), std::abs(y)));
}

}  // namespace

std::vector<MissionDifference> compareMissions(const std::string& type, const std::vector<MissionItem>& plan,
                                               const std::vector<MissionItem>& vehicle, bool skip_item0) {
    std::vector<MissionDifference> out;
    if (plan.size() != vehicle.size())
        out.push_back({type, -1, "count", static_cast<double>(plan.size()), static_cast<double>(vehicle.size())});
    const std::size_t n = std::min(plan.size(), vehicle.size());
    for (std::size_t i = skip_item0 ? 1 : 0; i < n; ++i) {
        const MissionItem &p = plan[i], &v = vehicle[i];
        const int seq = static_cast<int>(i);
        const auto differ = [&](const char* field, double a, double b) { out.push_back({type, seq, field, a, b}); };
        if (p.command != v.command) differ("command", p.command, v.command);
        if (plainFrame(p.frame) != plainFrame(v.frame)) differ("frame", p.frame, v.frame);
        if (!sameFloat(p.param1, v.param1)) differ("param1", p.param1, v.param1);
        if (!sameFloat(p.param2, v.param2)) differ("param2", p.param2, v.param2);
        if (!sameFloat(p.param3, v.param3)) differ("param3", p.param3, v.param3);
        if (!sameFloat(p.param4, v.param4)) differ("param4", p.param4, v.param4);
        if (std::abs(static_cast<std::int64_t>(p.x) - v.x) > 1) differ("x", p.x, v.x);
        if (std::abs(static_cast<std::int64_t>(p.y) - v.y) > 1) differ("y", p.y, v.y);
        if (!sameFloat(p.z, v.z)) differ("z", p.z, v.z);
    }
    return out;
}

namespace {
/// As C99 writes it with "%a", with a point in every locale: the same everywhere, and in every seal.
std::string hexadecimal(float number) {
    char digits[40];
    const double value = std::abs(static_cast<double>(number));
    const auto [end, wrong] = std::to_chars(digits, digits + sizeof digits, value, std::chars_format::hex);
    const std::string text(digits, wrong == std::errc() ? end : digits);
    return (std::signbit(number) ? "-" : "") + (std::isfinite(number) ? "0x" + text : text);
}
}  // namespace

std::uint64_t missionFingerprint(const MissionSet& set) {
    std::string text;
    for (const auto* list : {&set.mission, &set.fence, &set.rally}) {
        for (const MissionItem& i : *list)
            text += fmt::format("{},{},{},{},{},{},{},{},{},{};", i.seq, i.frame, i.command, hexadecimal(i.param1),
                                hexadecimal(i.param2), hexadecimal(i.param3), hexadecimal(i.param4), i.x, i.y,
                                hexadecimal(i.z));
        text += '|';
    }
    return fingerprint(text);
}

}  // namespace anhinga

#include "core/mavlink/ModeNames.h"

#include <fmt/format.h>

namespace anhinga::mavlink {

namespace {
constexpr bool kByItself = false;
constexpr ModeName kRotors[] = {{0, ModeKind::manual},
                                {1, ModeKind::rate},
                                {2, ModeKind::heightHold},
                                {3, ModeKind::mission},
                                {4, ModeKind::led},
                                {5, ModeKind::hold},
                                {6, ModeKind::returnHome},
                                {7, ModeKind::circle},
                                {9, ModeKind::land},
                                {16, ModeKind::positionHold},
                                {17, ModeKind::stop},
                                {21, ModeKind::returnHome, kByItself},   // by the way it came
                                {27, ModeKind::returnHome, kByItself}};  // by the mission's own landing
constexpr ModeName kWings[] = {{0, ModeKind::manual},
                               {1, ModeKind::circle},
                               {2, ModeKind::levelled},
                               {4, ModeKind::rate},
                               {7, ModeKind::cruise},
                               {10, ModeKind::mission},
                               {11, ModeKind::returnHome},
                               {12, ModeKind::hold},
                               {13, ModeKind::takeOff},
                               {15, ModeKind::led},
                               {20, ModeKind::land, kByItself},  // on lift rotors
                               {21, ModeKind::returnHome, kByItself},
                               {26, ModeKind::land}};
/// Family 12: main mode in the third byte, its sub-mode in the fourth.
constexpr std::uint32_t twelve(std::uint32_t main, std::uint32_t sub = 0) {
    return main << 16 | sub << 24;
}
constexpr ModeName kTwelve[] = {{twelve(1), ModeKind::manual},       {twelve(2), ModeKind::heightHold},
                                {twelve(3), ModeKind::positionHold}, {twelve(4, 1), ModeKind::standby, kByItself},
                                {twelve(4, 2), ModeKind::takeOff},   {twelve(4, 3), ModeKind::hold},
                                {twelve(4, 4), ModeKind::mission},   {twelve(4, 5), ModeKind::returnHome},
                                {twelve(4, 6), ModeKind::land},      {twelve(4, 9), ModeKind::land, kByItself},
                                {twelve(5), ModeKind::rate},         {twelve(6), ModeKind::led, kByItself},
                                {twelve(7), ModeKind::levelled},     {twelve(10), ModeKind::ended, kByItself}};
/// Of the aircraft simulated by ourselves, which does the same with wings and with rotors.
constexpr ModeName kOwn[] = {{11, ModeKind::manual},       {12, ModeKind::levelled}, {13, ModeKind::heightHold},
                             {14, ModeKind::positionHold}, {15, ModeKind::cruise},   {21, ModeKind::mission},
                             {22, ModeKind::hold},         {23, ModeKind::led},      {24, ModeKind::returnHome},
                             {25, ModeKind::land},         {26, ModeKind::takeOff},  {27, ModeKind::stop}};
}  // namespace

std::span<const ModeName> modesOf(int autopilot, int type) {
    constexpr int kFixedWing = 1, kRover = 10, kBoat = 11;
    if (autopilot == kOwnFamily) return kOwn;
    if (type == kRover || type == kBoat) return {};
    if (autopilot == 12) return kTwelve;
    if (autopilot != 3) return {};
    // Wings with lift rotors (19 to 25) are numbered as wings are.
    return type == kFixedWing || (type >= 19 && type <= 25) ? std::span<const ModeName>(kWings)
                                                            : std::span<const ModeName>(kRotors);
}

std::string modeName(int autopilot, int type, std::uint32_t custom_mode) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (n.mode == custom_mode) return n.text();
    return fmt::format("mode {}", custom_mode);
}

std::optional<std::uint32_t> modeNumber(int autopilot, int type, ModeKind kind) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (n.kind == kind && n.selectable) return n.mode;
    return std::nullopt;
}

std::optional<ModeKind> modeKind(int autopilot, int type, std::uint32_t custom_mode) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (n.mode == custom_mode) return n.kind;
    return std::nullopt;
}

std::optional<ModeKind> standardMode(int standard_mode) {
    constexpr std::optional<ModeKind> kKinds[] = {std::nullopt,      ModeKind::positionHold, ModeKind::circle,
                                                  ModeKind::cruise,  ModeKind::heightHold,   ModeKind::returnHome,
                                                  ModeKind::mission, ModeKind::land,         ModeKind::takeOff};
    return standard_mode > 0 && standard_mode < static_cast<int>(std::size(kKinds)) ? kKinds[standard_mode]
                                                                                    : std::nullopt;
}

const char* typeText(int type) {
    switch (type) {
        case 1:
            return "fixed wing";
        case 4:
            return "helicopter";
        case 2:
        case 3:
        case 13:
        case 14:
        case 15:
            return "multirotor";
        case 10:
        case 11:
            return "rover or boat";
        default:
            return "aircraft";
    }
}

}  // namespace anhinga::mavlink

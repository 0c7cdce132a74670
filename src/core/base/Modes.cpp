#include "core/base/Modes.h"

namespace anhinga {

namespace {
struct Row {
    ModeKind kind;
    const char *word, *interface_name;
};
// Logs of ours that are older than the words hold the names of the interface.
constexpr Row kRows[] = {
    {ModeKind::standby, "standby", "standby"},
    {ModeKind::manual, "manual", "manual"},
    {ModeKind::levelled, "levelled", "stabilised"},
    {ModeKind::rate, "rate", "rate"},
    {ModeKind::heightHold, "height hold", "height hold"},
    {ModeKind::positionHold, "position hold", "position hold"},
    {ModeKind::cruise, "cruise", "cruise"},
    {ModeKind::hold, "hold", "hold"},
    {ModeKind::mission, "mission", "mission"},
    {ModeKind::returnHome, "return", "return"},
    {ModeKind::land, "land", "land"},
    {ModeKind::takeOff, "take off", "take off"},
    {ModeKind::led, "led from the ground", "guided"},
    {ModeKind::stop, "stop", "brake"},
    {ModeKind::circle, "circle", "circle"},
    {ModeKind::ended, "flight ended", "terminated"},
};
}  // namespace

const char* modeWord(ModeKind kind) {
    for (const Row& r : kRows)
        if (r.kind == kind) return r.word;
    return "";
}

std::string modeInterfaceName(std::string_view word) {
    for (const Row& r : kRows)
        if (word == r.word) return r.interface_name;
    return std::string(word);
}

std::string modeWordToday(std::string_view word) {
    for (const Row& r : kRows)
        if (word == r.interface_name) return r.word;
    return std::string(word);
}

}  // namespace anhinga

#include "core/logio/TableModes.h"

#include "core/base/Modes.h"
#include "core/base/Text.h"
#include "core/logio/TableCells.h"

namespace anhinga::table {

std::string modeOf(std::string_view code) {
    struct Code {
        const char* code;
        ModeKind kind;
    };
    constexpr Code kCodes[] = {{"acro", ModeKind::rate},
                               {"rate", ModeKind::rate},
                               {"angl", ModeKind::levelled},
                               {"angle", ModeKind::levelled},
                               {"stab", ModeKind::levelled},
                               {"stabilize", ModeKind::levelled},
                               {"stabilise", ModeKind::levelled},
                               {"stabilized", ModeKind::levelled},
                               {"stabilised", ModeKind::levelled},
                               {"levelled", ModeKind::levelled},
                               {"hor", ModeKind::levelled},
                               {"horizon", ModeKind::levelled},
                               {"manu", ModeKind::manual},
                               {"manual", ModeKind::manual},
                               {"ah", ModeKind::heightHold},
                               {"alth", ModeKind::heightHold},
                               {"althold", ModeKind::heightHold},
                               {"alt hold", ModeKind::heightHold},
                               {"height hold", ModeKind::heightHold},
                               {"hold", ModeKind::hold},
                               {"loiter", ModeKind::hold},
                               {"loit", ModeKind::hold},
                               {"posh", ModeKind::positionHold},
                               {"poshold", ModeKind::positionHold},
                               {"position hold", ModeKind::positionHold},
                               {"position", ModeKind::positionHold},
                               {"wp", ModeKind::mission},
                               {"auto", ModeKind::mission},
                               {"mission", ModeKind::mission},
                               {"rth", ModeKind::returnHome},
                               {"rtl", ModeKind::returnHome},
                               {"return", ModeKind::returnHome},
                               {"resc", ModeKind::returnHome},
                               {"land", ModeKind::land},
                               {"landing", ModeKind::land},
                               {"takeoff", ModeKind::takeOff},
                               {"take off", ModeKind::takeOff},
                               {"cruz", ModeKind::cruise},
                               {"cruise", ModeKind::cruise},
                               {"crsh", ModeKind::cruise},
                               {"guided", ModeKind::led},
                               {"offboard", ModeKind::led},
                               {"circle", ModeKind::circle},
                               {"orbit", ModeKind::circle}};
    std::string plain = lower(bare(code));
    // A star says that it is not armed.
    while (!plain.empty() && plain.back() == '*') plain.pop_back();
    for (const Code& c : kCodes)
        if (plain == c.code) return modeWord(c.kind);
    return shownText(bare(code));
}

std::optional<bool> armedOf(std::string_view cell) {
    const std::string plain = lower(bare(cell));
    for (const char* yes : {"armed", "arm", "yes", "true", "on", "1"})
        if (plain == yes) return true;
    for (const char* no : {"disarmed", "disarm", "no", "false", "off", "0", "-1"})
        if (plain == no) return false;
    if (const auto v = parseNumber(plain)) return *v > 0;
    return std::nullopt;
}

}  // namespace anhinga::table

#include "core/check/Rules.h"

namespace anhinga::rules {

/// A pattern that gives nothing to fly says why, and offers what would help; one that is flown otherwise than hoped
/// says so.
void patternEmpty(const CheckInput& in, Out& out) {
    for (const OpenedPattern& opened : in.view.route.patterns) {
        const PatternFlight& flight = *opened.flight;
        const ItemId id = opened.item.id;
        if (!flight.problem.empty()) {
            Finding f{Severity::stop,
                      "pattern-empty",
                      id,
                      fmt::format("{} gives nothing to fly: {}", in.text(id), flight.problem),
                      in.placeOf(id),
                      {}};
            if (flight.remedy)
                f.corrections.push_back({flight.remedy_text, [id, remedy = flight.remedy](Plan& p) {
                                             if (Item* i = p.find(id)) remedy(*i);
                                         }});
            out.push_back(std::move(f));
        }
        for (const std::string& note : flight.notes)
            out.push_back({Severity::warn, "pattern-note", id, in.text(id) + ": " + note, in.placeOf(id), {}});
    }
}

}  // namespace anhinga::rules

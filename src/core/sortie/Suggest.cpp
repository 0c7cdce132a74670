// Where to cut: the fewest sorties that each fit one battery and one list of items, found by rehearsing.
#include <cmath>

#include "core/sortie/Cutter.h"

namespace anhinga {

namespace {

/// Looks for cuts one sortie after the other: as far as one battery and one list carry.
class Search {
  public:
    Search(const Plan& plan, const Route& whole, std::shared_ptr<const Terrain> terrain, const CutOptions& options)
        : plan_(plan), terrain_(std::move(terrain)), options_(options), cutter_(plan, whole, terrain_.get()) {}

    Result<std::vector<Cut>> run() {
        std::vector<Cut> cuts = options_.kept;
        const auto kept = cutter_.placesOf(cuts);
        std::optional<CutPlace> from = kept.empty() ? std::nullopt : std::optional(kept.back());
        const auto coarse = cutter_.placesOf(cutter_.candidates(false)),
                   fine = cutter_.placesOf(cutter_.candidates(true));
        std::size_t guess = 0, fine_guess = 0;
        for (constexpr int kMostSorties = 500; static_cast<int>(cuts.size()) < kMostSorties;) {
            const auto whole = fits(from, std::nullopt);
            if (!whole) return tl::unexpected(whole.error());
            if (*whole) return cuts;
            auto next = furthest(coarse, from, guess);
            if (!next) return tl::unexpected(next.error());
            // Within a line where not even one is carried, or where its end would leave most of a battery unused.
            if (!*next || spare_percent_ > kWorthMore_percent) {
                const auto further = furthest(fine, from, fine_guess);
                if (!further) return tl::unexpected(further.error());
                const auto done = [&](const CutPlace& to) { return rank(fine, to) - (from ? rank(fine, *from) : 0); };
                if (*further && (!*next || done(**further) > 2 * done(**next))) next = further;
            }
            if (!*next)
                return fail("{} needs more than one battery or more items than the autopilot holds, and cannot be cut",
                            from ? cutText(plan_, from->cut) : std::string("the beginning of the plan"));
            cuts.push_back((*next)->cut);
            from = *next;
        }
        return fail("more than 500 sorties would be needed: a larger battery or less to do is needed");
    }

  private:
    /// The last candidate after `from` up to which one sortie carries; nothing when it does not reach the first.
    Result<std::optional<CutPlace>> furthest(const std::vector<CutPlace>& places, const std::optional<CutPlace>& from,
                                             std::size_t& guess) {
        std::vector<CutPlace> ahead;
        double spare = 0;  // of the battery, after the last that fits
        for (const CutPlace& place : places)
            if (!from || from->before(place)) ahead.push_back(place);
        // As many as the sortie before carried are likely right: from there by doubled steps, then by halves.
        std::size_t good = 0, bad = ahead.size() + 1;  // counted from 1; 0: none
        for (std::size_t step = 1, at = std::min(guess, ahead.size()); bad - good > 1;) {
            if (at <= good || at >= bad) at = good + (bad - good) / 2;
            const auto fit = fits(from, ahead[at - 1]);
            if (!fit) return tl::unexpected(fit.error());
            if (*fit) spare = spare_percent_;
            (*fit ? good : bad) = at;
            at = *fit ? good + step : (bad > step ? bad - step : 0);
            step *= 2;
            if (options_.progress)
                options_.progress(1 - static_cast<double>(ahead.size() - good) / static_cast<double>(places.size()));
        }
        guess = good;
        spare_percent_ = spare;
        if (good == 0) return std::optional<CutPlace>();
        return std::optional<CutPlace>(ahead[good - 1]);
    }
    /// How many photos and items lie before a place.
    static std::ptrdiff_t rank(const std::vector<CutPlace>& fine, const CutPlace& place) {
        return std::count_if(fine.begin(), fine.end(), [&](const CutPlace& p) { return p.before(place); });
    }

    Result<bool> fits(const std::optional<CutPlace>& from, const std::optional<CutPlace>& to) {
        if (options_.stop.stop_requested()) return fail("stopped");
        const Sortie sortie = cutter_.part(from, to);
        const FlightProgram program = programOf(plan_, sortie.route, terrain_.get());
        if (const auto ok = sendable(plan_, program); !ok) return tl::unexpected(ok.error());
        if (static_cast<int>(program.entries()) > plan_.traits.item_limit) return false;
        RehearseOptions options;
        options.wind = options_.wind;
        options.stop = options_.stop;
        const auto flown = rehearse(plan_, program, terrain_, options);
        if (!flown) return tl::unexpected(flown.error());
        spare_percent_ = flown->energy_left_percent - plan_.vehicle.reserve_percent;
        return flown->landed && !flown->reached_reserve && flown->energy_left_percent >= plan_.vehicle.reserve_percent;
    }

    const Plan& plan_;
    std::shared_ptr<const Terrain> terrain_;
    const CutOptions& options_;
    Cutter cutter_;
    static constexpr double kWorthMore_percent = 10;
    double spare_percent_ = 0;  // of the battery over the reserve, of what was flown last
};

}  // namespace

Result<std::vector<Cut>> suggestCuts(const Plan& plan, const Route& whole, std::shared_ptr<const Terrain> terrain,
                                     const CutOptions& options) {
    return Search(plan, whole, std::move(terrain), options).run();
}

}  // namespace anhinga

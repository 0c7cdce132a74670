// The one executor of mission items: which item is flown next, and what happens on the way. No motion in here;
// rehearsal and stand-in both drive it. Counting rule: the count of a Repeat is the number of extra passes.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "core/mission/Mission.h"

namespace anhinga {

class Executor {
  public:
    Executor() = default;
    /// `rearm`: an exhausted repeat counter starts again when the flight comes past it again.
    Executor(std::vector<MissionItem> items, bool item0_is_home, bool rearm);

    /// Moves on to the next navigation item, doing what stands between; nothing when the list has ended.
    std::optional<std::size_t> advance();
    /// Continues from `seq` (the next advance() gives the first navigation item at or after it); counters are kept.
    void jumpTo(std::size_t seq) { next_ = seq; }
    /// Another list from now on; where it is in it and what was counted stay as they are.
    void change(std::vector<MissionItem> items) {
        items_ = std::make_shared<const std::vector<MissionItem>>(std::move(items));
    }
    /// The navigation item after the present one as things stand, without going there.
    std::optional<std::size_t> peek() const;

    const std::vector<MissionItem>& items() const { return *items_; }
    std::optional<std::size_t> current() const { return current_; }
    /// Passes a repeat at `seq` has made since it was last armed.
    int repeatsDone(std::size_t seq) const;
    const std::map<std::size_t, int>& visits() const { return visits_; }

    /// State set by the actions passed so far.
    std::optional<double> speed_mps;
    std::optional<MissionItem> look_at;
    std::optional<double> gimbal_pitch_deg;
    std::optional<double> heading_deg;  // for the leg being flown
    double photo_distance_m = 0, photo_interval_s = 0;
    bool video = false;
    int photos_due = 0;  // the owner takes them and sets this to 0

  private:
    using Counters = std::map<std::size_t, int>;
    /// The next navigation item from `next` on, counting repeats; what stands between is done to `actor` if there is
    /// one.
    std::optional<std::size_t> walk(std::size_t& next, Counters& repeats, Executor* actor) const;
    void act(const MissionItem& item);

    std::shared_ptr<const std::vector<MissionItem>> items_ = std::make_shared<const std::vector<MissionItem>>();
    bool rearm_ = true;
    std::size_t next_ = 0;
    std::optional<std::size_t> current_;
    Counters repeats_, visits_;
};

}  // namespace anhinga

// The one executor of programs: which step is flown next, and what happens on the way. No motion in here;
// rehearsal and stand-in both drive it. Counting rule: the count of a Repeat is the number of extra passes.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "core/program/Program.h"

namespace anhinga {

class Executor {
  public:
    Executor() = default;
    /// `rearm`: an exhausted repeat counter starts again when the flight comes past it again.
    Executor(FlightProgram program, bool rearm);

    /// Moves on to the next leg, doing what stands between; its step, nothing when the program has ended.
    std::optional<std::size_t> advance();
    /// Continues from `step` (the next advance() gives the first leg at or after it); counters are kept.
    void jumpTo(std::size_t step) { next_ = step; }
    /// Another program from now on; where it is in it and what was counted stay as they are.
    void change(FlightProgram program) { program_ = std::make_shared<const FlightProgram>(std::move(program)); }
    /// The leg after the present one as things stand, without going there.
    std::optional<std::size_t> peek() const;

    const FlightProgram& program() const { return *program_; }
    std::optional<std::size_t> current() const { return current_; }
    /// The leg of a step that advance(), peek() or current() gave.
    const ProgramLeg& leg(std::size_t step) const { return *program_->steps[step].leg(); }
    /// Passes a repeat at `step` has made since it was last armed.
    int repeatsDone(std::size_t step) const;
    const std::map<std::size_t, int>& visits() const { return visits_; }

    /// State set by the actions passed so far.
    std::optional<double> speed_mps;
    std::optional<LookAtPlace> look_at;
    std::optional<double> gimbal_pitch_deg;
    std::optional<double> heading_deg;  // for the leg being flown
    double photo_distance_m = 0, photo_interval_s = 0;
    bool video = false;
    int photos_due = 0;  // the owner takes them and sets this to 0

  private:
    using Counters = std::map<std::size_t, int>;
    /// The next leg from `next` on, counting repeats; what stands between is done to `actor` if there is
    /// one.
    std::optional<std::size_t> walk(std::size_t& next, Counters& repeats, Executor* actor) const;
    void act(const ProgramAction& action);

    std::shared_ptr<const FlightProgram> program_ = std::make_shared<const FlightProgram>();
    bool rearm_ = true;
    std::size_t next_ = 0;
    std::optional<std::size_t> current_;
    Counters repeats_, visits_;
};

}  // namespace anhinga

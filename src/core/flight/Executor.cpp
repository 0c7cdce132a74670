#include "core/flight/Executor.h"

namespace anhinga {

Executor::Executor(FlightProgram program, bool rearm)
    : program_(std::make_shared<const FlightProgram>(std::move(program))), rearm_(rearm) {}

int Executor::repeatsDone(std::size_t step) const {
    const auto at = repeats_.find(step);
    return at == repeats_.end() ? 0 : at->second;
}

std::optional<std::size_t> Executor::advance() {
    // A heading holds for the leg after it; a wait on the way does not use it up.
    if (!current_ || leg(*current_).kind != LegKind::wait) heading_deg.reset();
    current_ = walk(next_, repeats_, this);
    if (current_) ++visits_[*current_];
    return current_;
}

std::optional<std::size_t> Executor::peek() const {
    std::size_t next = next_;
    Counters repeats = repeats_;
    return walk(next, repeats, nullptr);
}

std::optional<std::size_t> Executor::walk(std::size_t& next, Counters& repeats, Executor* actor) const {
    // A ring of repeats with nothing to fly in it would never end: after as many steps as the list allows, it has
    // ended.
    const auto& steps = program_->steps;
    std::size_t budget = 4 * steps.size() + 16;
    while (next < steps.size() && budget-- > 0) {
        const std::size_t step = next++;
        const ProgramAction* action = steps[step].action();
        if (action == nullptr) return step;
        if (const auto* back = std::get_if<GoBack>(action)) {
            int& done = repeats[step];
            if (back->count < 0 || done < back->count) {
                done += back->count < 0 && done > 1000000 ? 0 : 1;
                next = back->to;
            } else if (rearm_) {
                done = 0;
            }
        } else if (actor != nullptr) {
            actor->act(*action);
        }
    }
    return std::nullopt;
}

void Executor::act(const ProgramAction& action) {
    struct Act {
        Executor& e;
        void operator()(const SetSpeed& s) const { e.speed_mps = s.speed_mps; }
        void operator()(const LookAtPlace& look) const { e.look_at = look; }
        void operator()(const LookAtStop&) const { e.look_at.reset(); }
        void operator()(const GimbalPitch& g) const { e.gimbal_pitch_deg = g.pitch_deg; }
        void operator()(const SetHeading& h) const { e.heading_deg = h.heading_deg; }
        void operator()(const PhotosByDistance& p) const {
            e.photo_distance_m = p.distance_m;
            if (p.at_once) ++e.photos_due;
        }
        void operator()(const PhotoInterval& p) const {
            e.photo_interval_s = p.interval_s;
            if (p.interval_s > 0) ++e.photos_due;
        }
        void operator()(const PhotoNow&) const { ++e.photos_due; }
        void operator()(const Video& v) const { e.video = v.on; }
        void operator()(const GoBack&) const {}
        void operator()(const Servo&) const {}
        void operator()(const Relay&) const {}
        void operator()(const RawCommand&) const {}
    };
    std::visit(Act{*this}, action);
}

}  // namespace anhinga

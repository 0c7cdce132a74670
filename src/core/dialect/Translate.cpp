#include "core/dialect/Translate.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/Numbers.h"
#include "core/plan/Plan.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

namespace {

constexpr int kNoItem = -1;
constexpr double kSame = 0.006;  // what 32-bit numbers and centimetres differ by anyway

bool carriesHeight(const MissionItem& item) {
    return hasPlace(item) || item.command == cmd::takeOff;
}

class Translator {
  public:
    Translator(const MissionSet& plan, bool plan_has_home, const AutopilotDialect& dialect,
               const TranslationInput& input)
        : plan_(plan), plan_has_home_(plan_has_home), d_(dialect), in_(input) {
        out_.dialect = dialect;
    }

    Translation run() {
        // Rotors do not fly as wings do, nor the other way round: nothing that was rehearsed would hold.
        if (in_.planned_for && hovers(*in_.planned_for) != hovers(d_.kind))
            refuse(kNoItem, fmt::format("planned for a {}, a {} answers: choose its profile in the plan",
                                        vehicleText(*in_.planned_for), vehicleText(d_.kind)));
        takeHome();
        for (std::size_t i = plan_has_home_ ? 1 : 0; i < plan_.mission.size(); ++i) add(plan_.mission[i], i);
        findTargets();
        writeOutRepeats();
        if (nodes_.size() + (d_.home_slot ? 1 : 0) > static_cast<std::size_t>(std::max(0, in_.item_limit)))
            refuse(kNoItem, fmt::format("{} items, the aircraft keeps {}: fly the plan in sorties",
                                        nodes_.size() + (d_.home_slot ? 1 : 0), in_.item_limit));
        emitMission();
        emitFence();
        emitRally();
        return std::move(out_);
    }

  private:
    struct Node {
        MissionItem item;
        int plan_seq = 0;
        std::size_t target = 0;  // of a repeat: index among the nodes
        bool isRepeat() const { return item.command == cmd::jump; }
    };

    void refuse(int seq, std::string reason) { out_.refused.push_back({seq, std::move(reason)}); }
    void note(int seq, ItemField field, double plan, double vehicle, const char* why) {
        out_.kept.push_back({"mission", seq, fieldText(field), plan, vehicle, why});
    }

    void takeHome() {
        home_ = in_.home;
        home_amsl_ = in_.home_amsl_m;
        if (plan_has_home_ && !plan_.mission.empty() && !home_) home_ = placeOf(plan_.mission[0]);
        if (!home_amsl_ && home_ && in_.ground_amsl_m) home_amsl_ = in_.ground_amsl_m(*home_);
    }

    /// Above ground becomes above home where the dialect takes none. False: it cannot.
    bool settleHeight(MissionItem& item, GeoPoint at, int seq, const char* type) {
        if (d_.above_ground || refOf(item.frame) != HeightRef::ground) return true;
        const auto ground = in_.ground_amsl_m ? in_.ground_amsl_m(at) : std::nullopt;
        if (!ground || !home_amsl_) {
            refuse(seq, "it is so high above the ground, and no elevation is loaded there: load terrain first");
            return false;
        }
        const auto height = static_cast<float>(*ground + static_cast<double>(item.z) - *home_amsl_);
        out_.kept.push_back({type, seq, "z", static_cast<double>(item.z), static_cast<double>(height),
                             "told above home: this autopilot takes no heights above ground"});
        item.frame = frame::home;
        item.z = height;
        return true;
    }

    /// Cut toward zero, as the aircraft would.
    void cutHeight(MissionItem& item, double step) const {
        if (step > 0) item.z = static_cast<float>(std::trunc(static_cast<double>(item.z) / step) * step);
    }

    /// Seconds that are kept whole: what was asked for, rounded, and at least one.
    void wholeSeconds(MissionItem& item, int seq) {
        const KeptRule* rule = d_.rule(item.command, ItemField::param1);
        if (rule == nullptr || rule->step != 1) return;
        const double asked = static_cast<double>(item.param1);
        const double whole = asked > 0 ? std::max(1.0, std::round(asked)) : asked;
        if (std::abs(whole - asked) > kSame) note(seq, ItemField::param1, asked, whole, "whole seconds");
        item.param1 = static_cast<float>(whole);
    }

    void circle(MissionItem& item, int seq) {
        if (!d_.whole_turns) return;
        const double turns = static_cast<double>(item.param1), radius = std::abs(static_cast<double>(item.param3));
        if (std::abs(turns - std::round(turns)) > kSame)
            refuse(seq, fmt::format("{:.2f} turns: this autopilot flies whole turns only", turns));
        constexpr double kFine = 255;
        const double kept = radius > kFine ? std::round(radius / 10) * 10 : std::round(radius);
        if (std::abs(kept - radius) > kSame)
            note(seq, ItemField::param3, static_cast<double>(item.param3), std::copysign(kept, item.param3),
                 "whole metres, above 255 m whole tens");
        item.param3 = std::copysign(static_cast<float>(kept), item.param3);
    }

    /// A command that the dialect does not take, said otherwise. False: it cannot be.
    bool replace(MissionItem& item) {
        Node* last = nullptr;  // the point it happens at
        for (auto n = nodes_.rbegin(); n != nodes_.rend() && last == nullptr; ++n)
            if (hasPlace(n->item) && isNavigation(n->item.command)) last = &*n;
        if (item.command == cmd::heading && last != nullptr && last->item.command == cmd::waypoint &&
            d_.takes(cmd::waypoint) && d_.family == AutopilotFamily::twelve && item.param4 == 0) {
            last->item.param4 = item.param1;  // the heading it has at that point
            replaced_by_last_ = true;
            return true;
        }
        if (item.command == cmd::delay && last != nullptr && d_.takes(cmd::loiterTime) && item.param1 > 0) {
            const float seconds = item.param1;
            item = last->item;
            item.command = cmd::loiterTime;
            item.param1 = seconds;
            item.param2 = item.param3 = item.param4 = 0;
            return true;
        }
        if (item.command == cmd::loiterToHeight && hovers(d_.kind)) {
            item.command = cmd::waypoint;  // rotors climb at the place
            item.param1 = item.param2 = item.param3 = 0;
            item.param4 = NAN;
            return true;
        }
        return false;
    }

    void add(MissionItem item, std::size_t index) {
        const int seq = static_cast<int>(index);
        if (item.command == cmd::takeOff && item.x == 0 && item.y == 0 && home_) {
            item.x = toE7(home_->lat_deg);  // never 0/0, which is a place
            item.y = toE7(home_->lon_deg);
        }
        if (item.command != cmd::jump && !d_.takes(item.command)) {
            replaced_by_last_ = false;
            const std::uint16_t command = item.command;
            if (!replace(item)) {
                refuse(seq, fmt::format("{}: {} does not take it", commandText(command), dialectText(d_)));
                return;
            }
            out_.kept.push_back({"mission", seq, "command", static_cast<double>(command),
                                 static_cast<double>(replaced_by_last_ ? cmd::waypoint : item.command),
                                 "said otherwise, to the same effect"});
            if (replaced_by_last_) return;
        }
        if (std::isnan(item.param4) && item.command != cmd::waypoint && item.command != cmd::land &&
            item.command != cmd::takeOff)
            item.param4 = 0;
        if (item.command == cmd::changeSpeed) {
            item.param1 = hovers(d_.kind) ? 1.0f : static_cast<float>(d_.air_speed_kind);
            item.param3 = -1;
        }
        const GeoPoint at = item.command == cmd::takeOff && home_ ? *home_ : placeOf(item);
        if (carriesHeight(item)) {
            if (!settleHeight(item, at, seq, "mission")) return;
            cutHeight(item, d_.height_step_m);
        }
        if (item.command == cmd::returnHome && !d_.return_lands)
            out_.kept.push_back({"mission", seq, "command", static_cast<double>(item.command),
                                 static_cast<double>(item.command),
                                 "it circles over home and does not land by itself"});
        if (item.command == cmd::loiterTime || item.command == cmd::delay) wholeSeconds(item, seq);
        if (item.command == cmd::loiterTurns) circle(item, seq);
        nodes_.push_back({item, seq});
    }

    void findTargets() {
        for (Node& n : nodes_) {
            if (!n.isRepeat()) continue;
            const int target = toInt(static_cast<double>(n.item.param1));
            const auto at =
                std::find_if(nodes_.begin(), nodes_.end(), [&](const Node& o) { return o.plan_seq >= target; });
            n.target = static_cast<std::size_t>(at - nodes_.begin());
        }
    }

    /// Whether the loop of the repeat at `i` is entered again by one behind it.
    bool enteredAgain(std::size_t i) const {
        for (std::size_t k = i + 1; k < nodes_.size(); ++k)
            if (nodes_[k].isRepeat() && nodes_[k].target <= i) return true;
        return false;
    }
    std::size_t repeats() const {
        return static_cast<std::size_t>(
            std::count_if(nodes_.begin(), nodes_.end(), [](const Node& n) { return n.isRepeat(); }));
    }
    /// The repeat that must be written out next; nothing when all may stay.
    std::optional<std::size_t> nextToWriteOut() const {
        std::optional<std::size_t> smallest;
        double smallest_items = 0;
        const bool too_many = d_.most_repeats > 0 && repeats() > static_cast<std::size_t>(d_.most_repeats);
        for (std::size_t i = 0; i < nodes_.size(); ++i) {
            if (!nodes_[i].isRepeat()) continue;
            if (!d_.repeats || (!d_.repeats_rearm && enteredAgain(i))) return i;  // the innermost comes first
            const double items = static_cast<double>(nodes_[i].item.param2) * static_cast<double>(i - nodes_[i].target);
            if (too_many && (!smallest || items < smallest_items)) {
                smallest = i;
                smallest_items = items;
            }
        }
        return smallest;
    }

    void writeOutRepeats() {
        while (out_.refused.empty()) {
            const auto next = nextToWriteOut();
            if (!next) return;
            const std::size_t i = *next, from = nodes_[i].target;
            const int seq = nodes_[i].plan_seq;
            const double count = static_cast<double>(nodes_[i].item.param2);
            if (from > i || count < 0) {
                refuse(seq, count < 0
                                ? "it repeats without end, which this autopilot can only do in the outermost repeat"
                                : "it repeats from an item that comes later");
                return;
            }
            const std::size_t length = i - from, added = static_cast<std::size_t>(count) * length;
            if (static_cast<double>(nodes_.size() + added) > static_cast<double>(in_.item_limit)) {
                refuse(seq,
                       fmt::format("written out for this autopilot the repeat takes {} items more than there is room "
                                   "for: repeat less often, or fly the plan in sorties",
                                   nodes_.size() + added - static_cast<std::size_t>(std::max(0, in_.item_limit))));
                return;
            }
            const std::vector<Node> body(nodes_.begin() + static_cast<std::ptrdiff_t>(from),
                                         nodes_.begin() + static_cast<std::ptrdiff_t>(i));
            nodes_.erase(nodes_.begin() + static_cast<std::ptrdiff_t>(i));
            std::vector<Node> copies;
            copies.reserve(added);
            for (int k = 0; k < static_cast<int>(count); ++k) copies.insert(copies.end(), body.begin(), body.end());
            nodes_.insert(nodes_.begin() + static_cast<std::ptrdiff_t>(i), copies.begin(), copies.end());
            for (Node& n : nodes_)
                if (n.isRepeat() && n.target > i) n.target += added - 1;
            out_.kept.push_back(
                {"mission", seq, "command", static_cast<double>(cmd::jump), count, "the repeat is written out"});
        }
    }

    void emitMission() {
        const std::size_t base = d_.home_slot ? 1 : 0;
        if (d_.home_slot) {
            MissionItem home{.frame = frame::amsl, .command = cmd::waypoint};
            if (plan_has_home_ && !plan_.mission.empty()) {
                home = plan_.mission[0];
            } else if (home_) {
                home.x = toE7(home_->lat_deg);
                home.y = toE7(home_->lon_deg);
                home.z = static_cast<float>(home_amsl_.value_or(0));
            }
            home.seq = 0;
            out_.set.mission.push_back(home);
            out_.plan_seq.push_back(plan_has_home_ ? 0 : kNoItem);
        }
        for (const Node& n : nodes_) {
            MissionItem item = n.item;
            item.seq = static_cast<std::uint16_t>(out_.set.mission.size());
            if (n.isRepeat()) item.param1 = static_cast<float>(base + n.target);
            out_.set.mission.push_back(item);
            out_.plan_seq.push_back(n.plan_seq);
        }
    }
    void emitFence() {
        if (d_.fence)
            out_.set.fence = plan_.fence;
        else if (!plan_.fence.empty())
            out_.kept.push_back({"fence", kNoItem, "count", static_cast<double>(plan_.fence.size()), 0,
                                 "this autopilot keeps no fence: nothing aboard watches it"});
    }
    void emitRally() {
        if (!d_.rally) {
            if (!plan_.rally.empty())
                out_.kept.push_back({"rally", kNoItem, "count", static_cast<double>(plan_.rally.size()), 0,
                                     "this autopilot keeps no rally points"});
            return;
        }
        for (MissionItem item : plan_.rally) {
            const int seq = item.seq;
            if (!settleHeight(item, placeOf(item), seq, "rally")) continue;
            if (d_.rally_step_m > 0) {
                if (refOf(item.frame) == HeightRef::amsl) {
                    if (!home_amsl_) {
                        refuse(kNoItem, "a rally point is told above home, and how high home is is not known");
                        continue;
                    }
                    item.frame = frame::home;
                    item.z -= static_cast<float>(*home_amsl_);
                }
                const double asked = static_cast<double>(item.z), whole = std::round(asked);
                if (std::abs(whole - asked) > kSame)
                    out_.kept.push_back({"rally", seq, "z", asked, whole, "whole metres"});
                item.z = static_cast<float>(whole);
            }
            out_.set.rally.push_back(item);
        }
    }

    const MissionSet& plan_;
    bool plan_has_home_;
    const AutopilotDialect& d_;
    const TranslationInput& in_;
    std::optional<GeoPoint> home_;
    std::optional<double> home_amsl_;
    bool replaced_by_last_ = false;
    std::vector<Node> nodes_;
    Translation out_;
};

}  // namespace

TranslationInput translationInput(const Plan& plan, const std::shared_ptr<const Terrain>& terrain) {
    TranslationInput in;
    in.item_limit = plan.traits.item_limit;
    in.planned_for = plan.vehicle.kind;
    if (terrain) in.ground_amsl_m = [terrain](GeoPoint p) { return terrain->sample(p); };
    if (plan.home) {
        in.home = plan.home->position;
        in.home_amsl_m = plan.home->amsl_m;
    }
    return in;
}

Translation translate(const MissionSet& plan, bool plan_has_home, const AutopilotDialect& dialect,
                      const TranslationInput& input) {
    return Translator(plan, plan_has_home, dialect, input).run();
}

MissionSet withHomeSlot(MissionSet held, const AutopilotDialect& dialect, std::optional<GeoPoint> home,
                        std::optional<double> home_amsl_m) {
    if (dialect.home_slot || held.mission.empty()) return held;
    MissionItem slot{.frame = frame::amsl, .command = cmd::waypoint, .z = static_cast<float>(home_amsl_m.value_or(0))};
    GeoPoint at{};
    if (home)
        at = *home;
    else
        for (const MissionItem& item : held.mission)
            if (hasPlace(item)) {
                at = placeOf(item);
                break;
            }
    slot.x = toE7(at.lat_deg);
    slot.y = toE7(at.lon_deg);
    held.mission.insert(held.mission.begin(), slot);
    for (std::size_t i = 0; i < held.mission.size(); ++i) {
        held.mission[i].seq = static_cast<std::uint16_t>(i);
        if (held.mission[i].command == cmd::jump) held.mission[i].param1 += 1;
    }
    return held;
}

}  // namespace anhinga

#include "core/dialect/Meaning.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

namespace {

constexpr double kSame = 0.006;

double number(float v) {
    return std::isnan(v) ? 0.0 : static_cast<double>(v);
}

class Comparer {
  public:
    Comparer(const Translation& sent, const char* type, Meaning& out)
        : d_(sent.dialect), sent_(sent), type_(type), out_(out) {}

    void list(const std::vector<MissionItem>& sent, const std::vector<MissionItem>& held, bool mission) {
        if (sent.size() != held.size())
            out_.differences.push_back(
                {type_, -1, "count", static_cast<double>(sent.size()), static_cast<double>(held.size())});
        const std::size_t n = std::min(sent.size(), held.size());
        for (std::size_t i = mission && d_.home_slot ? 1 : 0; i < n; ++i) {
            seq_ = mission ? sent_.plan_seq[i] : static_cast<int>(i);
            item(sent[i], held[i]);
        }
    }

  private:
    void differs(const char* field, double sent, double held) {
        out_.differences.push_back({type_, seq_, field, sent, held});
    }
    void field(std::uint16_t command, ItemField which, double sent, double held, double least) {
        const double apart = std::abs(sent - held);
        // 32-bit numbers hold about a millionth; places are whole numbers.
        const bool place = which == ItemField::x || which == ItemField::y;
        if (apart <= std::max(least, place ? 0 : 1e-6 * std::max(std::abs(sent), std::abs(held)))) return;
        const KeptRule* rule = d_.rule(command, which);
        const double step = rule != nullptr ? rule->step : 0;
        if (!(apart < step + kSame)) return differs(fieldText(which), sent, held);
        // What says nothing is not worth a line.
        if (sent != 0) out_.kept.push_back({type_, seq_, fieldText(which), sent, held, rule->why});
    }
    void item(const MissionItem& s, const MissionItem& h) {
        if (s.command != h.command) return differs("command", s.command, h.command);
        field(s.command, ItemField::param1, number(s.param1), number(h.param1), kSame);
        field(s.command, ItemField::param2, number(s.param2), number(h.param2), kSame);
        field(s.command, ItemField::param3, number(s.param3), number(h.param3), kSame);
        field(s.command, ItemField::param4, number(s.param4), number(h.param4), kSame);
        if (!hasPlace(s) && s.command != cmd::takeOff) return;  // nothing else is said
        if (plainFrame(s.frame) != plainFrame(h.frame) && !isFence(s.command)) differs("frame", s.frame, h.frame);
        constexpr double kPlace = 2;  // units of 1e-7 degrees: rounding there and back
        field(s.command, ItemField::x, s.x, h.x, kPlace);
        field(s.command, ItemField::y, s.y, h.y, kPlace);
        if (!isFence(s.command))
            field(s.command, ItemField::z, number(s.z), number(h.z), std::max(kSame, d_.height_step_m + 1e-4));
    }
    static bool isFence(std::uint16_t command) {
        return command == cmd::fenceKeepIn || command == cmd::fenceKeepOut || command == cmd::fenceCircleIn ||
               command == cmd::fenceCircleOut;
    }

    const AutopilotDialect& d_;
    const Translation& sent_;
    const char* type_;
    Meaning& out_;
    int seq_ = 0;
};

void setField(MissionItem& item, const std::string& field, const MissionItem& held) {
    if (field == "param1") item.param1 = held.param1;
    if (field == "param2") item.param2 = held.param2;
    if (field == "param3") item.param3 = held.param3;
    if (field == "param4") item.param4 = held.param4;
    if (field == "x") item.x = held.x;
    if (field == "y") item.y = held.y;
    if (field == "z") item.z = held.z;
    if (field == "frame") item.frame = held.frame;
    if (field == "command") {
        const std::uint16_t seq = item.seq;
        item = held;
        item.seq = seq;
    }
}

}  // namespace

Meaning compareMeaning(const Translation& sent, const MissionSet& held) {
    Meaning out;
    const AutopilotDialect& d = sent.dialect;
    if (d.verbatim) {
        out.differences = compareMissions("mission", sent.set.mission, held.mission, d.home_slot);
        for (MissionDifference& x : out.differences)
            if (x.seq >= 0 && static_cast<std::size_t>(x.seq) < sent.plan_seq.size())
                x.seq = sent.plan_seq[static_cast<std::size_t>(x.seq)];
        for (auto& x : compareMissions("fence", sent.set.fence, held.fence, false)) out.differences.push_back(x);
        for (auto& x : compareMissions("rally", sent.set.rally, held.rally, false)) out.differences.push_back(x);
        return out;
    }
    Comparer(sent, "mission", out).list(sent.set.mission, held.mission, true);
    if (d.fence) Comparer(sent, "fence", out).list(sent.set.fence, held.fence, false);
    if (d.rally) Comparer(sent, "rally", out).list(sent.set.rally, held.rally, false);
    return out;
}

MissionSet heldInPlan(const MissionSet& plan, const Translation& sent, const MissionSet& held, const Meaning& meaning) {
    const bool count = std::any_of(meaning.differences.begin(), meaning.differences.end(),
                                   [](const MissionDifference& x) { return x.field == "count"; });
    if (sent.dialect.verbatim && sent.set.mission.size() == plan.mission.size()) {
        MissionSet out = held;
        // A place that was filled in for it is nobody's difference.
        for (std::size_t i = 0; i < std::min(out.mission.size(), plan.mission.size()); ++i)
            if (plan.mission[i].command == cmd::takeOff && out.mission[i].command == cmd::takeOff &&
                plan.mission[i].x == 0 && plan.mission[i].y == 0 && out.mission[i].x == sent.set.mission[i].x &&
                out.mission[i].y == sent.set.mission[i].y)
                out.mission[i].x = out.mission[i].y = 0;
        return out;
    }
    if (count) return held;  // nothing stands where it should: as it is
    MissionSet out = plan;
    for (const MissionDifference& x : meaning.differences) {
        if (x.seq < 0) continue;
        const auto seq = static_cast<std::size_t>(x.seq);
        if (x.type == "mission") {
            for (std::size_t i = 0; i < sent.plan_seq.size(); ++i)
                if (sent.plan_seq[i] == x.seq && i < held.mission.size() && seq < out.mission.size()) {
                    setField(out.mission[seq], x.field, held.mission[i]);
                    break;
                }
        } else {
            auto& list = x.type == "fence" ? out.fence : out.rally;
            const auto& from = x.type == "fence" ? held.fence : held.rally;
            if (seq < list.size() && seq < from.size()) setField(list[seq], x.field, from[seq]);
        }
    }
    return out;
}

}  // namespace anhinga

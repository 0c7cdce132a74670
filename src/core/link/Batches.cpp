#include "core/link/Batches.h"

#include <map>

namespace anhinga {

namespace {

MissionItem returnItem() {
    MissionItem item;
    item.command = cmd::returnHome;
    item.frame = frame::mission;
    return item;
}
MissionItem jumpTo(std::size_t seq) {
    MissionItem item;
    item.command = cmd::jump;
    item.frame = frame::mission;
    item.param1 = static_cast<float>(seq);
    item.param2 = -1;
    return item;
}

/// Commands whose effect lasts: a part begins with the last of each that came before it.
bool lasts(std::uint16_t command) {
    return command == cmd::changeSpeed || command == cmd::photoDistance || command == cmd::photoInterval ||
           command == cmd::photoStop || command == cmd::mountControl || command == cmd::lookAt ||
           command == cmd::lookAtStop || command == cmd::videoStart || command == cmd::videoStop;
}
/// Look-at and its end are one thing, as are the photo by time and its end.
std::uint16_t thing(std::uint16_t command) {
    return command == cmd::lookAtStop  ? cmd::lookAt
           : command == cmd::photoStop ? cmd::photoInterval
           : command == cmd::videoStop ? cmd::videoStart
                                       : command;
}
bool ends(const MissionItem& item) {
    return item.command == cmd::lookAtStop || item.command == cmd::photoStop || item.command == cmd::videoStop ||
           (item.command == cmd::photoDistance && item.param1 <= 0);
}

}  // namespace

Result<BatchPlan> BatchPlan::make(const std::vector<MissionItem>& mission, int limit, bool item0_is_home) {
    BatchPlan plan;
    plan.base_ = item0_is_home ? 1 : 0;
    constexpr int kGates = 2;
    constexpr std::size_t kLeast = 8;
    const auto room = static_cast<std::size_t>(std::max(0, limit)) -
                      std::min<std::size_t>(plan.base_ + kGates, static_cast<std::size_t>(std::max(0, limit)));
    plan.half_ = room / 2;
    if (plan.half_ < kLeast) return fail("the aircraft holds {} items: too few to fly in batches", limit);

    std::map<std::uint16_t, std::pair<MissionItem, std::size_t>> lasting;
    std::size_t at = plan.base_;
    while (at < mission.size()) {
        Part part;
        for (const auto& [what, entry] : lasting) {
            if (ends(entry.first)) continue;
            part.items.push_back(entry.first);
            part.source.push_back(entry.second);
        }
        const std::size_t from = at;
        while (at < mission.size() && part.items.size() < plan.half_) {
            part.items.push_back(mission[at]);
            part.source.push_back(at++);
        }
        // Not between what happens on a way and the point it leads to: a part ends with a point that is flown to, or
        // with the repeat behind one.
        if (at < mission.size())
            while (at > from + 1 && !isNavigation(part.items.back().command) &&
                   part.items.back().command != cmd::jump) {
                part.items.pop_back();
                part.source.pop_back();
                --at;
            }
        for (std::size_t i = from; i < at; ++i) {
            if (lasts(mission[i].command)) lasting[thing(mission[i].command)] = {mission[i], i};
            if (mission[i].command != cmd::jump) continue;
            const auto target = static_cast<std::size_t>(std::max(0.0f, mission[i].param1));
            if (target < from || target >= at)
                return fail(
                    "item {} repeats from item {}: a repeat cannot reach over the end of a batch; fly the plan in "
                    "sorties",
                    i, target);
        }
        plan.parts_.push_back(std::move(part));
    }
    // Repeats count from the start of the list they stand in.
    for (std::size_t p = 0; p < plan.parts_.size(); ++p) {
        Part& part = plan.parts_[p];
        for (MissionItem& item : part.items)
            if (item.command == cmd::jump)
                for (std::size_t i = 0; i < part.source.size(); ++i)
                    if (part.source[i] == static_cast<std::size_t>(item.param1)) {
                        item.param1 = static_cast<float>(plan.beginOf(p) + i);
                        break;
                    }
    }
    plan.first_.assign(plan.base_ + 2 * (plan.half_ + 1), returnItem());
    if (plan.base_ > 0 && !mission.empty()) plan.first_[0] = mission[0];
    plan.first_ = plan.with(plan.first_, 0);
    if (plan.parts() > 1) plan.first_ = plan.opened(plan.with(plan.first_, 1), 1);
    return plan;
}

Result<BatchPlan> BatchPlan::make(const FlightProgram& program, int limit) {
    return make(itemsOf(program), limit, program.home_slot);
}

std::size_t BatchPlan::beginOf(std::size_t part) const {
    return base_ + (part % 2) * (half_ + 1);
}
std::size_t BatchPlan::endOf(std::size_t part) const {
    return beginOf(part) + parts_[part].items.size() - 1;
}
std::size_t BatchPlan::slotEndOf(std::size_t part) const {
    return beginOf(part) + half_;
}
std::size_t BatchPlan::gateOf(std::size_t part) const {
    return beginOf(part) + parts_[part].items.size();
}

std::vector<MissionItem> BatchPlan::with(std::vector<MissionItem> memory, std::size_t part) const {
    const std::size_t begin = beginOf(part);
    // The gate stands right behind the last item; what is left of the half is never flown.
    for (std::size_t i = begin; i < begin + half_ + 1; ++i) memory[i] = returnItem();
    for (std::size_t i = 0; i < parts_[part].items.size(); ++i) memory[begin + i] = parts_[part].items[i];
    for (std::size_t i = 0; i < memory.size(); ++i) memory[i].seq = static_cast<std::uint16_t>(i);
    return memory;
}

std::vector<MissionItem> BatchPlan::opened(std::vector<MissionItem> memory, std::size_t part) const {
    const std::size_t gate = gateOf(part - 1);
    memory[gate] = jumpTo(beginOf(part));
    memory[gate].seq = static_cast<std::uint16_t>(gate);
    return memory;
}

std::optional<std::size_t> BatchPlan::sourceOf(std::size_t index, std::size_t part) const {
    for (const std::size_t p : {part, part + 1}) {
        if (p >= parts_.size()) continue;
        if (index >= beginOf(p) && index <= endOf(p)) return parts_[p].source[index - beginOf(p)];
    }
    return std::nullopt;
}

Result<HandOver> BatchSender::begin(const MissionSet& set, bool item0_is_home, const TransferOptions& options,
                                    const TranslationInput& input) {
    const AutopilotDialect dialect = dialectOf(link_.snapshot());
    if (!dialect.partial_lists)
        return failAs(ErrorCode::unsupported, "{} takes no part of a list: fly the plan in sorties",
                      dialectText(dialect));
    memory_ = plan_.first();
    item0_is_home_ = item0_is_home;
    input_ = input;
    MissionSet first = set;
    first.mission = memory_;
    auto result = handOver(link_, first, item0_is_home, options, nullptr, input_);
    if (result && result->verified) sent_ = std::min<std::size_t>(2, plan_.parts());
    part_ = 0;
    return result;
}

Result<HandOver> BatchSender::begin(const ToSend& plan, const TransferOptions& options, const TranslationInput& input) {
    return begin(itemsOf(plan), plan.program.home_slot, options, input);
}

/// Sends items first..last and reads them back.
Result<void> BatchSender::write(const std::vector<MissionItem>& wanted, std::size_t first, std::size_t last,
                                const TransferOptions& options) {
    AutopilotDialect dialect = dialectOf(link_.snapshot());
    dialect.fence = dialect.rally = false;  // they stand aboard already
    const Translation sent = translate({wanted, {}, {}}, item0_is_home_, dialect, input_);
    if (!sent.refused.empty()) return fail("item {}: {}", sent.refused[0].seq, sent.refused[0].reason);
    if (sent.set.mission.size() != wanted.size()) return fail("for this aircraft the list gets longer: fly in sorties");
    if (auto ok = uploadPart(link_, MissionType::mission, sent.set.mission, first, last, options); !ok) return ok;
    MissionSet held;
    auto list = downloadMission(link_, MissionType::mission, options);
    if (!list) return tl::unexpected(list.error());
    held.mission = std::move(*list);
    const auto differences = compareMeaning(sent, held).differences;
    if (!differences.empty())
        return fail("item {} is not held as it was sent: {} is {} instead of {}", differences[0].seq,
                    differences[0].field, differences[0].vehicle, differences[0].plan);
    memory_ = wanted;
    return {};
}

bool BatchSender::due(const VehicleSnapshot& v) {
    if (memory_.empty() || !v.armed || !v.mission_item) return false;
    const auto now = static_cast<std::size_t>(*v.mission_item);
    if (part_ + 1 < sent_ && now >= plan_.beginOf(part_ + 1) && now <= plan_.endOf(part_ + 1)) ++part_;
    return !done() && sent_ <= part_ + 1;
}

Result<void> BatchSender::tend(const TransferOptions& options) {
    if (memory_.empty()) return fail("nothing was handed over");
    if (!due(link_.snapshot())) return {};
    // The half of the part before this one is free: the next part goes there, then the gate is opened.
    const std::size_t next = sent_;
    const auto filled = plan_.with(memory_, next);
    if (auto ok = write(filled, plan_.beginOf(next), plan_.slotEndOf(next), options); !ok) return ok;
    const auto open = plan_.opened(memory_, next);
    const std::size_t gate = plan_.gateOf(next - 1);
    if (auto ok = write(open, gate, gate, options); !ok) return ok;
    ++sent_;
    return {};
}

}  // namespace anhinga

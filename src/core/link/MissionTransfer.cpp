#include "core/link/MissionTransfer.h"

#include "core/base/Text.h"
#include "core/link/Commands.h"

namespace anhinga {

using mavlink::Message;

const char* missionTypeText(MissionType type) {
    return type == MissionType::mission ? "route" : type == MissionType::fence ? "fence" : "rally points";
}

namespace {

constexpr std::int64_t kUnsupported = 3;  // MAV_MISSION_RESULT

const char* missionResultText(std::int64_t result) {
    constexpr const char* kTexts[] = {"accepted",
                                      "refused",
                                      "a height reference it does not support",
                                      "an item it does not support",
                                      "its memory is full",
                                      "an item it finds invalid",
                                      "param1 invalid",
                                      "param2 invalid",
                                      "param3 invalid",
                                      "param4 invalid",
                                      "latitude invalid",
                                      "longitude invalid",
                                      "height invalid",
                                      "items out of order",
                                      "not allowed now",
                                      "cancelled"};
    return result >= 0 && result < static_cast<std::int64_t>(std::size(kTexts)) ? kTexts[result] : "refused";
}

/// The talk with one vehicle about one of its three lists.
class MissionTalk {
  public:
    MissionTalk(VehicleLink& link, MissionType type, const TransferOptions& options)
        : link_(link),
          inbox_(link, {"MISSION_REQUEST_INT", "MISSION_REQUEST", "MISSION_ACK", "MISSION_COUNT", "MISSION_ITEM_INT",
                        "MISSION_ITEM"}),
          type_(type),
          options_(options),
          time_(link.roundTrip_s()),
          heard_ms_(link.clock().now_ms()) {
        const VehicleSnapshot v = link.snapshot();
        system_ = v.system;
        component_ = v.component;
        constexpr std::uint64_t kIntegers = 4;  // MAV_PROTOCOL_CAPABILITY_MISSION_INT
        integers_ = !v.capabilities || (*v.capabilities & kIntegers) != 0;
    }
    Message addressed(std::string_view name) const {
        Message m(name);
        m.set("target_system", system_)
            .set("target_component", component_)
            .set("mission_type", static_cast<int>(type_));
        return m;
    }
    void say(const Message& m) {
        last_ = m;
        said_ms_ = first_said_ms_ = link_.clock().now_ms();
        link_.send(m);
    }
    void sayUnwatched(const Message& m) { link_.send(m); }

    /// The next message of one of the kinds for this list; the last one said is repeated meanwhile.
    Result<Message> hear(std::initializer_list<std::string_view> kinds) {
        while (true) {
            if (auto wrong = over()) return tl::unexpected(*wrong);
            const double now = link_.clock().now_ms();
            if (now - said_ms_ > time_.wait_s() * 1000) {
                link_.send(last_);
                said_ms_ = now;
                time_.missed();
            }
            if (const auto m = hearWithin(said_ms_ / 1000 + time_.wait_s() - now / 1000, kinds)) {
                if (said_ms_ == first_said_ms_) time_.answered((link_.clock().now_ms() - said_ms_) / 1000);
                return *m;
            }
        }
    }
    /// Whatever of the kinds comes within the time.
    std::optional<Message> hearWithin(double seconds, std::initializer_list<std::string_view> kinds) {
        const double until = link_.clock().now_ms() + std::max(0.001, seconds) * 1000;
        while (link_.clock().now_ms() < until) {
            const auto m = inbox_.next(std::min(0.25, (until - link_.clock().now_ms()) / 1000), options_.stop);
            if (options_.stop.stop_requested()) return std::nullopt;
            if (!m || m->system != system_) continue;
            for (const auto kind : kinds)
                if (m->is(kind) && m->integer("mission_type") == static_cast<int>(type_)) {
                    heard_ms_ = link_.clock().now_ms();
                    return m;
                }
        }
        return std::nullopt;
    }
    /// Why it cannot go on: stopped, or nothing heard for too long.
    std::optional<Error> over() const {
        if (options_.stop.stop_requested()) return Error{"stopped", ErrorCode::stopped};
        if (link_.clock().now_ms() - heard_ms_ > options_.silence_s * 1000)
            return Error{fmt::format("the vehicle has not answered for {:.0f} s while the {} was transferred; check "
                                     "the link and try again",
                                     options_.silence_s, missionTypeText(type_)),
                         ErrorCode::silent};
        return std::nullopt;
    }
    AnswerTime& time() { return time_; }
    double now_ms() const { return link_.clock().now_ms(); }
    int system() const { return system_; }
    int component() const { return component_; }
    /// It knows items with whole numbers for places; else they travel in single precision.
    bool integers() const { return integers_; }
    void single() { link_.setSinglePlaces(); }

  private:
    VehicleLink& link_;
    VehicleLink::Inbox inbox_;
    MissionType type_;
    const TransferOptions& options_;
    AnswerTime time_;
    double heard_ms_, said_ms_ = 0, first_said_ms_ = 0;
    Message last_;
    int system_ = 0, component_ = 0;
    bool integers_ = true;
};

/// Degrees as a MISSION_ITEM carries them, in units of 1e-7 again.
std::int32_t inSinglePrecision(std::int32_t e7) {
    return static_cast<std::int32_t>(std::lround(static_cast<double>(static_cast<float>(e7 * 1e-7)) * 1e7));
}

Message singleItemMessage(const MissionItem& i, MissionType type, int system, int component) {
    const Message whole = missionItemMessage(i, type, system, component);
    Message m("MISSION_ITEM");
    for (const char* field : {"target_system", "target_component", "seq", "frame", "command", "autocontinue", "param1",
                              "param2", "param3", "param4", "z", "mission_type"})
        m.set(field, whole.number(field));
    return m.set("x", i.x * 1e-7).set("y", i.y * 1e-7);
}

}  // namespace

Message missionItemMessage(const MissionItem& i, MissionType type, int system, int component) {
    Message m("MISSION_ITEM_INT");
    m.set("target_system", system).set("target_component", component).set("seq", i.seq).set("frame", i.frame);
    m.set("command", i.command).set("autocontinue", 1).set("mission_type", static_cast<int>(type));
    m.set("param1", static_cast<double>(i.param1)).set("param2", static_cast<double>(i.param2));
    m.set("param3", static_cast<double>(i.param3)).set("param4", static_cast<double>(i.param4));
    m.setInteger("x", i.x).setInteger("y", i.y).set("z", static_cast<double>(i.z));
    return m;
}

MissionItem missionItemOf(const Message& m) {
    const bool single = m.is("MISSION_ITEM");
    const auto e7 = [&](const char* name) {
        const double degrees = m.number(name);
        if (!single) return static_cast<std::int32_t>(m.integer(name));
        return std::abs(degrees) <= 200 ? static_cast<std::int32_t>(std::lround(degrees * 1e7)) : 0;
    };
    const auto f = [&](const char* name) { return static_cast<float>(m.number(name)); };
    return {static_cast<std::uint16_t>(m.integer("seq")),
            static_cast<std::uint8_t>(m.integer("frame")),
            static_cast<std::uint16_t>(m.integer("command")),
            f("param1"),
            f("param2"),
            f("param3"),
            f("param4"),
            e7("x"),
            e7("y"),
            f("z")};
}

namespace {

/// Answers the vehicle's requests for items from..to until it acknowledges.
Result<void> serveItems(MissionTalk& talk, MissionType type, const std::vector<MissionItem>& items, std::size_t from,
                        std::size_t to, const TransferOptions& options) {
    std::optional<std::size_t> served;
    double served_ms = 0;
    while (true) {
        const auto m = talk.hear({"MISSION_REQUEST_INT", "MISSION_REQUEST", "MISSION_ACK"});
        if (!m) return tl::unexpected(m.error());
        if (m->is("MISSION_ACK")) {
            const auto result = m->integer("type");
            if (result != 0)
                return failAs(result == kUnsupported ? ErrorCode::unsupported : ErrorCode::refused,
                              "the vehicle does not take the {}: {}", missionTypeText(type), missionResultText(result));
            report(options, 1, fmt::format("{} sent", missionTypeText(type)));
            return {};
        }
        const auto seq = static_cast<std::size_t>(m->integer("seq"));
        if (seq < from || seq >= to)
            return fail("the vehicle asks for {} item {}, there are only {}", missionTypeText(type), seq, items.size());
        // The same question twice in a moment is one that a link has doubled; answering both would double for ever.
        const double now = talk.now_ms();
        if (served == seq && now - served_ms < talk.time().wait_s() * 500) continue;
        served = seq;
        served_ms = now;
        // In the form it asks for; an older question means whole numbers too where it knows them.
        if (m->is("MISSION_REQUEST") && !talk.integers()) {
            talk.single();
            talk.say(singleItemMessage(items[seq], type, talk.system(), talk.component()));
        } else {
            talk.say(missionItemMessage(items[seq], type, talk.system(), talk.component()));
        }
        report(options, static_cast<double>(seq + 1 - from) / static_cast<double>(to - from),
               fmt::format("sending {} {} of {}", missionTypeText(type), seq + 1, items.size()));
    }
}

}  // namespace

Result<void> uploadMission(VehicleLink& link, MissionType type, const std::vector<MissionItem>& items,
                           const TransferOptions& options) {
    MissionTalk talk(link, type, options);
    if (items.empty()) {
        talk.say(talk.addressed("MISSION_CLEAR_ALL"));
    } else {
        talk.say(talk.addressed("MISSION_COUNT").set("count", static_cast<double>(items.size())));
    }
    return serveItems(talk, type, items, 0, items.size(), options);
}

Result<void> uploadPart(VehicleLink& link, MissionType type, const std::vector<MissionItem>& items, std::size_t first,
                        std::size_t last, const TransferOptions& options) {
    if (first > last || last >= items.size()) return fail("no such items: {} to {} of {}", first, last, items.size());
    MissionTalk talk(link, type, options);
    talk.say(talk.addressed("MISSION_WRITE_PARTIAL_LIST")
                 .set("start_index", static_cast<double>(first))
                 .set("end_index", static_cast<double>(last)));
    return serveItems(talk, type, items, first, last + 1, options);
}

Result<std::vector<MissionItem>> downloadMission(VehicleLink& link, MissionType type, const TransferOptions& options) {
    MissionTalk talk(link, type, options);
    talk.say(talk.addressed("MISSION_REQUEST_LIST"));
    const auto counted = talk.hear({"MISSION_COUNT"});
    if (!counted) return tl::unexpected(counted.error());
    const auto count = static_cast<std::size_t>(counted->integer("count"));

    struct Asked {
        double ms = 0;
        bool again = false;
    };
    constexpr std::size_t kWindow = 12;
    std::size_t window = kWindow, next = 0;
    std::vector<std::optional<MissionItem>> items(count);
    std::map<std::size_t, Asked> asked;  // and not answered
    std::size_t have = 0;
    const auto ask = [&](std::size_t seq, bool again) {
        const char* question = talk.integers() ? "MISSION_REQUEST_INT" : "MISSION_REQUEST";
        talk.sayUnwatched(talk.addressed(question).set("seq", static_cast<double>(seq)));
        asked[seq] = {talk.now_ms(), again};
    };
    while (have < count) {
        if (auto wrong = talk.over()) return tl::unexpected(*wrong);
        for (; asked.size() < window && next < count; ++next)
            if (!items[next]) ask(next, false);
        const double now = talk.now_ms(), wait_ms = talk.time().wait_s() * 1000;
        double oldest = now;
        bool missed = false;
        for (auto& [seq, a] : asked) {
            if (now - a.ms > wait_ms) {
                ask(seq, true);
                missed = true;
            }
            oldest = std::min(oldest, a.ms);
        }
        if (missed) talk.time().missed();
        const auto m =
            talk.hearWithin((oldest - now + wait_ms) / 1000, {"MISSION_ITEM_INT", "MISSION_ITEM", "MISSION_ACK"});
        if (!m) continue;
        if (m->is("MISSION_ITEM")) talk.single();
        if (m->is("MISSION_ACK")) {
            // An acknowledgement of something earlier says "accepted"; anything else is a refusal.
            if (m->integer("type") == 0) continue;
            if (window > 1) {
                // It wants its items asked for one after the other.
                window = 1;
                asked.clear();
                next = 0;
                talk.say(talk.addressed("MISSION_REQUEST_LIST"));
                if (const auto again = talk.hear({"MISSION_COUNT"}); !again) return tl::unexpected(again.error());
                continue;
            }
            return failAs(m->integer("type") == kUnsupported ? ErrorCode::unsupported : ErrorCode::refused,
                          "the vehicle broke off reading the {}: {}", missionTypeText(type),
                          missionResultText(m->integer("type")));
        }
        const auto seq = static_cast<std::size_t>(m->integer("seq"));
        if (seq >= count || items[seq]) continue;
        if (const auto at = asked.find(seq); at != asked.end()) {
            if (!at->second.again) talk.time().answered((talk.now_ms() - at->second.ms) / 1000);
            asked.erase(at);
        }
        items[seq] = missionItemOf(*m);
        ++have;
        report(options, static_cast<double>(have) / static_cast<double>(count),
               fmt::format("reading {} {} of {}", missionTypeText(type), have, count));
    }
    talk.sayUnwatched(talk.addressed("MISSION_ACK"));
    std::vector<MissionItem> out;
    out.reserve(count);
    for (auto& item : items) out.push_back(*item);
    return out;
}

namespace {

/// The three lists in the order they are sent and read: the fence first, so that a route is never held without it.
struct Part {
    MissionType type;
    std::vector<MissionItem> MissionSet::*list;
    const char* name;
};
constexpr Part kParts[] = {{MissionType::fence, &MissionSet::fence, "fence"},
                           {MissionType::mission, &MissionSet::mission, "mission"},
                           {MissionType::rally, &MissionSet::rally, "rally"}};

}  // namespace

AutopilotDialect dialectOf(const VehicleSnapshot& v) {
    AutopilotDialect d = dialectOf(v.autopilot, v.type);
    constexpr std::uint64_t kMissionFence = 16384, kMissionRally = 32768;
    if (v.capabilities) {
        d.fence = d.fence && (*v.capabilities & kMissionFence) != 0;
        d.rally = d.rally && (*v.capabilities & kMissionRally) != 0;
    }
    return d;
}

namespace {

bool keeps(const AutopilotDialect& d, MissionType type) {
    return type == MissionType::fence ? d.fence : type == MissionType::rally ? d.rally : true;
}
bool optional(const Error& error, MissionType type) {
    return type != MissionType::mission && (error.code == ErrorCode::unsupported || error.code == ErrorCode::refused);
}

/// What is sent as it travels to an aircraft that knows no whole numbers for places.
void roundPlaces(Translation& sent) {
    const auto round = [&](const char* list, std::vector<MissionItem>& items, bool mission) {
        for (std::size_t k = 0; k < items.size(); ++k)
            for (std::int32_t MissionItem::*place : {&MissionItem::x, &MissionItem::y}) {
                const std::int32_t asked = items[k].*place, held = inSinglePrecision(asked);
                if (held == asked) continue;
                items[k].*place = held;
                const int seq = mission && k < sent.plan_seq.size() ? sent.plan_seq[k] : static_cast<int>(k);
                sent.kept.push_back({list, seq, place == &MissionItem::x ? "x" : "y", static_cast<double>(asked),
                                     static_cast<double>(held), "single precision: within 40 cm"});
            }
    };
    round("mission", sent.set.mission, true);
    round("fence", sent.set.fence, false);
    round("rally", sent.set.rally, false);
}

/// All three lists as they stand aboard; a list that the vehicle does not know is empty, and not kept from then on.
Result<MissionSet> readAll(VehicleLink& link, AutopilotDialect& dialect, const TransferOptions& options) {
    MissionSet set;
    for (const Part& part : kParts) {
        if (!keeps(dialect, part.type)) continue;
        auto list = downloadMission(link, part.type, options);
        if (!list && !optional(list.error(), part.type)) return tl::unexpected(list.error());
        if (list)
            set.*part.list = std::move(*list);
        else
            (part.type == MissionType::fence ? dialect.fence : dialect.rally) = false;
    }
    return set;
}

bool sameItem(const MissionItem& a, const MissionItem& b) {
    return compareMissions("", {a}, {b}, false).empty();
}

/// Sends a list, or of it only what is not as `held` has it. Counts what was sent.
Result<void> sendList(VehicleLink& link, MissionType type, const std::vector<MissionItem>& list,
                      const std::vector<MissionItem>* held, bool home_slot, const TransferOptions& options,
                      std::size_t& sent) {
    if (held != nullptr && held->size() == list.size()) {
        std::size_t first = type == MissionType::mission && home_slot ? 1 : 0, last = list.size();
        while (first < last && sameItem(list[first], (*held)[first])) ++first;
        if (first == last) return {};
        while (sameItem(list[last - 1], (*held)[last - 1])) --last;
        if (const auto ok = uploadPart(link, type, list, first, last - 1, options)) {
            sent += last - first;
            return {};
        } else if (options.stop.stop_requested()) {
            return ok;
        }
    }
    sent += list.size();
    return uploadMission(link, type, list, options);
}

/// A vehicle may take a list and then find it not valid: its state says so, and a text why. Empty: it does not.
std::string objection(VehicleLink& link, std::uint64_t spoken_before, const TransferOptions& options) {
    constexpr double kPatience_s = 1.5;
    constexpr int kNoMission = 1, kWarning = 4;
    const double until = link.clock().now_ms() + kPatience_s * 1000;
    while (link.clock().now_ms() < until && !options.stop.stop_requested()) link.clock().sleep(0.05, options.stop);
    const VehicleSnapshot v = link.snapshot();
    std::string why;
    for (const SpokenText& t : *v.texts)
        if (t.number > spoken_before && t.severity <= kWarning) why += (why.empty() ? "" : "; ") + t.text;
    if (v.mission_state != kNoMission) return {};
    return why.empty() ? "it says that it holds no mission it could fly" : why;
}

/// Compares what is held with what was sent (or would be), and says so in the plan's items.
void judge(HandOver& result, const MissionSet& set, const Translation& sent, const MissionSet& held) {
    const Meaning meaning = compareMeaning(sent, held);
    result.kept = sent.kept;
    result.kept.insert(result.kept.end(), meaning.kept.begin(), meaning.kept.end());
    result.differences = meaning.differences;
    result.held = HeldPlan(heldInPlan(set, sent, held, meaning));
    result.verified = result.differences.empty();
}

}  // namespace

Result<MissionSet> downloadAll(VehicleLink& link, const TransferOptions& options) {
    AutopilotDialect dialect = dialectOf(link.snapshot());
    return readAll(link, dialect, options);
}

Result<HandOver> compareHeld(VehicleLink& link, const MissionSet& set, bool item0_is_home,
                             const TransferOptions& options, const TranslationInput& input) {
    HandOver result;
    AutopilotDialect dialect = dialectOf(link.snapshot());
    result.dialect = dialectText(dialect);
    const auto held = readAll(link, dialect, options);
    if (!held) return tl::unexpected(held.error());
    Translation sent = translate(set, item0_is_home, dialect, input);
    if (link.singlePlaces()) roundPlaces(sent);
    result.refused = sent.refused;
    result.fingerprint = missionFingerprint(set);
    judge(result, set, sent, *held);
    result.verified = result.verified && sent.refused.empty();
    if (result.verified) link.setItems(sent.plan_seq);
    return result;
}

namespace {
/// A list that is replaced as a whole while the aircraft holds may be flown from its beginning again: it is told to go
/// on where it was.
void keepPlace(VehicleLink& link, const VehicleSnapshot& before, const TransferOptions& options, HandOver& result) {
    if (!before.armed || !before.mission_item || *before.mission_item <= 0 || before.reached->empty()) return;
    if (modeKind(before) == ModeKind::mission && !before.held_on_route) return;
    VehicleLink::Inbox inbox(link, {"MISSION_CURRENT"});
    constexpr double kPatience_s = 2;
    if (inbox.next(kPatience_s, options.stop) && link.snapshot().mission_item == before.mission_item) return;
    if (auto ok = commandSkipTo(link, *before.mission_item, options.stop); !ok) {
        result.verified = false;
        result.objection = "the change is aboard, but it would be flown from its beginning: " + ok.error().message;
    }
}
}  // namespace

Result<HandOver> handOver(VehicleLink& link, const MissionSet& set, bool item0_is_home, const TransferOptions& options,
                          const MissionSet* held, const TranslationInput& input) {
    HandOver result;
    const VehicleSnapshot before = link.snapshot();
    AutopilotDialect dialect = dialectOf(before);
    result.dialect = dialectText(dialect);
    Translation sent = translate(set, item0_is_home, dialect, input);
    result.refused = sent.refused;
    if (!sent.refused.empty()) return result;
    // What it holds, said as it is sent: only then can parts be compared.
    std::optional<MissionSet> known;
    if (held != nullptr && dialect.partial_lists) known = translate(*held, item0_is_home, dialect, input).set;

    const double n =
        static_cast<double>(sent.set.mission.size() + sent.set.fence.size() + sent.set.rally.size()) + 1e-9;
    double done = 0, share = 0;
    TransferOptions scaled = options;
    scaled.progress = [&](double of_part, const std::string& what) { report(options, done + share * of_part, what); };
    for (const Part& part : kParts) {
        if (!keeps(dialect, part.type)) continue;
        const auto& list = sent.set.*part.list;
        share = 0.8 * static_cast<double>(list.size()) / n;
        const auto ok = sendList(link, part.type, list, known ? &((*known).*part.list) : nullptr, dialect.home_slot,
                                 scaled, result.sent);
        if (!ok && part.type != MissionType::mission &&
            (ok.error().code == ErrorCode::unsupported || (list.empty() && ok.error().code == ErrorCode::refused))) {
            // It knows no such list: it is met without it, and that is said.
            (part.type == MissionType::fence ? dialect.fence : dialect.rally) = false;
            sent = translate(set, item0_is_home, dialect, input);
        } else if (!ok) {
            return tl::unexpected(ok.error());
        }
        done += share;
    }
    result.fingerprint = missionFingerprint(set);
    MissionSet back;
    for (const Part& part : kParts) {
        if (!keeps(dialect, part.type)) continue;
        share = 0.2 * static_cast<double>((sent.set.*part.list).size()) / n;
        auto list = downloadMission(link, part.type, scaled);
        if (!list) return tl::unexpected(list.error());
        back.*part.list = std::move(*list);
        done += share;
    }
    if (link.singlePlaces()) roundPlaces(sent);
    judge(result, set, sent, back);
    if (result.verified && dialect.judges_late) {
        const std::uint64_t spoken = before.texts->empty() ? 0 : before.texts->back().number;
        result.objection = objection(link, spoken, options);
        result.verified = result.objection.empty();
    }
    if (result.verified) link.setItems(sent.plan_seq);
    if (result.verified && !dialect.partial_lists) keepPlace(link, before, options, result);
    report(options, 1, result.verified ? "read back, agrees" : "read back, differs");
    return result;
}

Result<HandOver> handOver(VehicleLink& link, const ToSend& plan, const TransferOptions& options, const HeldPlan* held,
                          const TranslationInput& input) {
    return handOver(link, itemsOf(plan), plan.program.home_slot, options, held != nullptr ? &held->set() : nullptr,
                    input);
}

Result<HandOver> compareHeld(VehicleLink& link, const ToSend& plan, const TransferOptions& options,
                             const TranslationInput& input) {
    return compareHeld(link, itemsOf(plan), plan.program.home_slot, options, input);
}

Result<HeldPlan> readHeld(VehicleLink& link, const TransferOptions& options) {
    auto held = downloadAll(link, options);
    if (!held) return tl::unexpected(held.error());
    const VehicleSnapshot v = link.snapshot();
    return HeldPlan(withHomeSlot(std::move(*held), dialectOf(v), v.home ? v.home : v.position, v.home_amsl_m));
}

}  // namespace anhinga

#include "core/link/Services.h"

#include "core/base/Text.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

using mavlink::Message;

const char* missionTypeText(MissionType type) {
    return type == MissionType::mission ? "route" : type == MissionType::fence ? "fence" : "rally points";
}

namespace {

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

const char* commandResultText(std::int64_t result) {
    constexpr const char* kTexts[] = {"accepted",
                                      "not possible at the moment",
                                      "denied",
                                      "not supported by this autopilot",
                                      "failed",
                                      "in progress",
                                      "cancelled",
                                      "only as a long command",
                                      "only as an int command",
                                      "height reference not supported"};
    return result >= 0 && result < static_cast<std::int64_t>(std::size(kTexts)) ? kTexts[result] : "refused";
}

/// A question resent until something belonging to the conversation arrives.
class Conversation {
  public:
    Conversation(VehicleLink& link, MissionType type, const TransferOptions& options)
        : link_(link), inbox_(link), type_(type), options_(options) {
        const VehicleSnapshot v = link.snapshot();
        system_ = v.system;
        component_ = v.component;
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
        link_.send(m);
    }
    /// The next message of one of the kinds for this mission type; the last one said is repeated meanwhile.
    Result<Message> hear(std::initializer_list<std::string_view> kinds) {
        const double start = monotonicMs();
        double said = start;
        while (true) {
            if (options_.stop.stop_requested()) return fail("stopped");
            const double now = monotonicMs();
            if (now - start > options_.silence_s * 1000)
                return fail(
                    "the vehicle has not answered for {:.0f} s while the {} was transferred; check the link and try "
                    "again",
                    options_.silence_s, missionTypeText(type_));
            if (now - said > options_.resend_s * 1000) {
                link_.send(last_);
                said = now;
            }
            const auto m = inbox_.next(0.05, options_.stop);
            if (!m || m->system != system_) continue;
            for (const auto kind : kinds)
                if (m->is(kind) && m->integer("mission_type") == static_cast<int>(type_)) return *m;
        }
    }
    int system() const { return system_; }
    int component() const { return component_; }

  private:
    VehicleLink& link_;
    VehicleLink::Inbox inbox_;
    MissionType type_;
    const TransferOptions& options_;
    Message last_;
    int system_ = 0, component_ = 0;
};

void report(const TransferOptions& options, double share, const std::string& what) {
    if (options.progress) options.progress(share, what);
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
    const auto f = [&](const char* name) { return static_cast<float>(m.number(name)); };
    return {static_cast<std::uint16_t>(m.integer("seq")),
            static_cast<std::uint8_t>(m.integer("frame")),
            static_cast<std::uint16_t>(m.integer("command")),
            f("param1"),
            f("param2"),
            f("param3"),
            f("param4"),
            static_cast<std::int32_t>(m.integer("x")),
            static_cast<std::int32_t>(m.integer("y")),
            f("z")};
}

Result<void> uploadMission(VehicleLink& link, MissionType type, const std::vector<MissionItem>& items,
                           const TransferOptions& options) {
    Conversation talk(link, type, options);
    if (items.empty()) {
        talk.say(talk.addressed("MISSION_CLEAR_ALL"));
    } else {
        talk.say(talk.addressed("MISSION_COUNT").set("count", static_cast<double>(items.size())));
    }
    while (true) {
        const auto m = talk.hear({"MISSION_REQUEST_INT", "MISSION_REQUEST", "MISSION_ACK"});
        if (!m) return tl::unexpected(m.error());
        if (m->is("MISSION_ACK")) {
            const auto result = m->integer("type");
            if (result != 0)
                return fail("the vehicle does not take the {}: {}", missionTypeText(type), missionResultText(result));
            report(options, 1, fmt::format("{} sent", missionTypeText(type)));
            return {};
        }
        const auto seq = static_cast<std::size_t>(m->integer("seq"));
        if (seq >= items.size())
            return fail("the vehicle asks for {} item {}, there are only {}", missionTypeText(type), seq, items.size());
        talk.say(missionItemMessage(items[seq], type, talk.system(), talk.component()));
        report(options, static_cast<double>(seq + 1) / static_cast<double>(items.size()),
               fmt::format("sending {} {} of {}", missionTypeText(type), seq + 1, items.size()));
    }
}

Result<std::vector<MissionItem>> downloadMission(VehicleLink& link, MissionType type, const TransferOptions& options) {
    Conversation talk(link, type, options);
    talk.say(talk.addressed("MISSION_REQUEST_LIST"));
    const auto counted = talk.hear({"MISSION_COUNT"});
    if (!counted) return tl::unexpected(counted.error());
    const auto count = static_cast<std::size_t>(counted->integer("count"));
    std::vector<MissionItem> items;
    while (items.size() < count) {
        talk.say(talk.addressed("MISSION_REQUEST_INT").set("seq", static_cast<double>(items.size())));
        while (true) {
            const auto m = talk.hear({"MISSION_ITEM_INT", "MISSION_ACK"});
            if (!m) return tl::unexpected(m.error());
            if (m->is("MISSION_ACK"))
                return fail("the vehicle broke off reading the {}: {}", missionTypeText(type),
                            missionResultText(m->integer("type")));
            if (m->integer("seq") != static_cast<std::int64_t>(items.size())) continue;  // an earlier one again
            items.push_back(missionItemOf(*m));
            report(options, static_cast<double>(items.size()) / static_cast<double>(count),
                   fmt::format("reading {} {} of {}", missionTypeText(type), items.size(), count));
            break;
        }
    }
    talk.say(talk.addressed("MISSION_ACK"));
    return items;
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

Result<MissionSet> downloadAll(VehicleLink& link, const TransferOptions& options) {
    MissionSet set;
    for (const Part& part : kParts) {
        auto list = downloadMission(link, part.type, options);
        if (!list) return tl::unexpected(list.error());
        set.*part.list = std::move(*list);
    }
    return set;
}

Result<HandOver> handOver(VehicleLink& link, const MissionSet& set, bool item0_is_home,
                          const TransferOptions& options) {
    const double n = static_cast<double>(set.mission.size() + set.fence.size() + set.rally.size()) + 1e-9;
    double done = 0, share = 0;
    TransferOptions scaled = options;
    scaled.progress = [&](double of_part, const std::string& what) { report(options, done + share * of_part, what); };
    bool rally_known = true;
    for (const Part& part : kParts) {
        const auto& list = set.*part.list;
        share = 0.5 * static_cast<double>(list.size()) / n;
        const auto ok = uploadMission(link, part.type, list, scaled);
        const bool refused = !ok && ok.error().message.find("does not take") != std::string::npos;
        if (part.type == MissionType::rally && list.empty() && refused)
            rally_known = false;
        else if (!ok)
            return tl::unexpected(ok.error());
        done += share;
    }
    HandOver result;
    result.fingerprint = missionFingerprint(set);
    for (const Part& part : kParts) {
        if (part.type == MissionType::rally && !rally_known) continue;
        const auto& list = set.*part.list;
        share = 0.5 * static_cast<double>(list.size()) / n;
        auto back = downloadMission(link, part.type, scaled);
        if (!back) return tl::unexpected(back.error());
        result.held.*part.list = std::move(*back);
        const bool skip = part.type == MissionType::mission && item0_is_home;
        for (auto& d : compareMissions(part.name, list, result.held.*part.list, skip)) result.differences.push_back(d);
        done += share;
    }
    result.verified = result.differences.empty();
    report(options, 1, result.verified ? "read back, agrees" : "read back, differs");
    return result;
}

Result<void> sendCommand(VehicleLink& link, std::uint16_t command, const std::vector<float>& params,
                         const std::string& name, std::stop_token stop) {
    constexpr int kTries = 4;
    constexpr double kWait_s = 1.5;
    const VehicleSnapshot v = link.snapshot();
    VehicleLink::Inbox inbox(link);
    constexpr const char* kParams[] = {"param1", "param2", "param3", "param4", "param5", "param6", "param7"};
    for (int attempt = 0; attempt < kTries; ++attempt) {
        Message m("COMMAND_LONG");
        m.set("target_system", v.system)
            .set("target_component", v.component)
            .set("command", command)
            .set("confirmation", attempt);
        for (std::size_t i = 0; i < params.size() && i < 7; ++i) m.set(kParams[i], static_cast<double>(params[i]));
        link.send(m);
        double until = monotonicMs() + kWait_s * 1000;
        while (monotonicMs() < until) {
            if (stop.stop_requested()) return fail("{}: stopped", name);
            const auto ack = inbox.next(0.05, stop);
            if (!ack || !ack->is("COMMAND_ACK") || ack->integer("command") != command) continue;
            const auto result = ack->integer("result");
            if (result == 0) return {};
            if (result == 5) {  // in progress: the standard asks us to wait on
                until = monotonicMs() + 5000;
                attempt = kTries;
                continue;
            }
            const auto texts = link.snapshot().texts;
            return fail("{}: refused, {}{}", name, commandResultText(result),
                        texts.empty() ? "" : " (" + texts.back() + ")");
        }
    }
    return fail("{}: no answer from the vehicle", name);
}

Result<void> commandArm(VehicleLink& link, std::stop_token stop) {
    return sendCommand(link, cmd::armDisarm, {1}, "Arm", stop);
}

namespace {
/// `mode` in words, as modeName() gives it. A family whose numbers are not known is asked by those of family 3.
Result<void> setMode(VehicleLink& link, const char* mode, const std::string& name, std::stop_token stop) {
    constexpr int kFamily = 3;
    const VehicleSnapshot v = link.snapshot();
    auto number = mavlink::modeNumber(v.autopilot, v.type, mode);
    if (!number) number = mavlink::modeNumber(kFamily, v.type, mode);
    if (!number) return fail("{}: this vehicle has no mode \"{}\"", name, mode);
    return sendCommand(link, cmd::doSetMode, {1, static_cast<float>(*number)}, name, std::move(stop));
}
}  // namespace

Result<void> commandTakeOff(VehicleLink& link, double height_m, std::stop_token stop) {
    if (auto ok = setMode(link, "guided", "Take off", stop); !ok) return ok;
    return sendCommand(link, cmd::takeOff, {0, 0, 0, NAN, 0, 0, static_cast<float>(height_m)}, "Take off", stop);
}

Result<void> commandStart(VehicleLink& link, std::stop_token stop) {
    if (auto ok = setMode(link, "mission", "Start", stop); !ok) return ok;
    return sendCommand(link, cmd::missionStart, {0, 0}, "Start", stop);
}

Result<void> commandPause(VehicleLink& link, std::stop_token stop) {
    return sendCommand(link, 193, {0}, "Pause", stop);
}
Result<void> commandResume(VehicleLink& link, std::stop_token stop) {
    return sendCommand(link, 193, {1}, "Resume", stop);
}
Result<void> commandReturn(VehicleLink& link, std::stop_token stop) {
    return sendCommand(link, cmd::returnHome, {}, "Return", stop);
}
Result<void> commandLand(VehicleLink& link, std::stop_token stop) {
    return sendCommand(link, cmd::land, {}, "Land", stop);
}

}  // namespace anhinga

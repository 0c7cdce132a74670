#include "core/link/VehicleLink.h"

#include "core/base/Text.h"

namespace anhinga {

using mavlink::Message;

namespace {
constexpr std::size_t kMaxInbox = 10000;
}  // namespace

Result<std::unique_ptr<VehicleLink>> VehicleLink::open(const std::string& address, const Options& options) {
    const auto parsed = parseLinkAddress(address);
    if (!parsed) return tl::unexpected(parsed.error());
    std::unique_ptr<VehicleLink> link(new VehicleLink(*options.world.clock));
    link->key_ = options.key;
    link->ask_rates_ = options.ask_rates;
    if (!options.record_path.empty()) {
        auto recorder = Recorder::create(options.record_path, link->clock_);
        if (!recorder) return tl::unexpected(recorder.error());
        link->recorder_ = std::move(*recorder);
    }
    auto transport = options.world.open(
        *parsed, [l = link.get()](std::span<const std::uint8_t> b, std::uint64_t from) { l->receive(b, from); },
        options.conditions);
    if (!transport) return tl::unexpected(transport.error());
    {
        const std::lock_guard lock(link->mutex_);
        link->transport_ = std::move(*transport);
    }
    link->beat_ = link->clock_.start([l = link.get()](const std::stop_token& stop) { l->beat(stop); });
    return link;
}

VehicleLink::~VehicleLink() {
    beat_ = {};
    transport_.reset();
    if (const std::uint64_t n = recorder_ ? recorder_->notBelieved() : 0; n > 0)
        mark(fmt::format("{} packets were not believed; they are in a file of their own beside this one", n));
}

// ---- sending

void VehicleLink::send(Message message) {
    std::string bytes;
    {
        const std::lock_guard lock(mutex_);
        message.system = kOurSystem;
        message.component = kOurComponent;
        message.sequence = sequence_++;
        bytes = mavlink::encode(message);
        if (key_) {
            signing_time_ = std::max(signing_time_ + 1, mavlink::signingTime(clock_.unix_s()));
            bytes = mavlink::signFrame(std::move(bytes), message.info->crc_extra, *key_, 0, signing_time_);
        }
    }
    // A key is never written down.
    if (recorder_ && !message.is("SETUP_SIGNING"))
        recorder_->add({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()});
    if (transport_) transport_->send(std::move(bytes));
}

void VehicleLink::mark(const std::string& note) {
    if (!recorder_) return;
    constexpr int kNotice = 5;
    constexpr std::size_t kPiece = 50;
    const std::string text = "mark: " + note;
    const int id = text.size() > kPiece ? ++mark_id_ % 60000 + 1 : 0;
    for (std::size_t at = 0, chunk = 0; at < text.size(); at += kPiece, ++chunk) {
        Message m("STATUSTEXT");
        m.set("severity", kNotice).set("id", id).set("chunk_seq", static_cast<double>(chunk));
        m.setText("text", text.substr(at, kPiece));
        m.system = kOurSystem;
        m.component = kOurComponent;
        const std::string bytes = mavlink::encode(m);
        recorder_->add({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()});
    }
    recorder_->flush();
}

void VehicleLink::setConditions(const LinkConditions& conditions) {
    transport_->setConditions(conditions);
}

/// What is said by the clock: our heartbeat, the question for the round trip, the rates; and the recording made safe.
void VehicleLink::beat(const std::stop_token& stop) {
    double synced_ms = clock_.now_ms();
    while (!stop.stop_requested()) {
        constexpr int kGroundStation = 6, kNoAutopilot = 8, kActive = 4;
        send(Message("HEARTBEAT")
                 .set("type", kGroundStation)
                 .set("autopilot", kNoAutopilot)
                 .set("system_status", kActive)
                 .set("mavlink_version", 3));
        const bool heard = snapshot().heard;
        const double now_ms = clock_.now_ms();
        if (heard) {
            const auto now_ns = static_cast<std::int64_t>(now_ms * 1e6);
            {
                constexpr std::size_t kRemembered = 16;
                const std::lock_guard state(mutex_);
                asked_ns_.push_back(now_ns);
                if (asked_ns_.size() > kRemembered) asked_ns_.pop_front();
            }
            send(Message("TIMESYNC").setInteger("ts1", now_ns));
            if (ask_rates_) askRates(now_ms);
            askPayload(now_ms);
        }
        if (recorder_ && now_ms - synced_ms > 5000) {
            synced_ms = now_ms;
            recorder_->sync();
        }
        clock_.sleep(heard ? 1 : 0.25, stop);
    }
}

void VehicleLink::askRates(double now_ms) {
    std::vector<Message> wishes;
    {
        const std::lock_guard lock(mutex_);
        const VehicleSnapshot v = snapshotLocked(chosen_);
        if (!v.heard) return;
        if (!rates_.due(now_ms / 1000, v.system, v.link.recent_loss, v.link.radio_left_percent)) return;
        constexpr int kSetMessageInterval = 511, kRequestMessage = 512;
        const auto command = [&](int number, double param1, double param2) {
            wishes.push_back(Message("COMMAND_LONG")
                                 .set("target_system", v.system)
                                 .set("target_component", v.component)
                                 .set("command", number)
                                 .set("param1", param1)
                                 .set("param2", param2));
        };
        for (const WishedRate& wish : wishedRates())
            command(kSetMessageInterval, mavlink::messageInfo(wish.message)->id, 1e6 / (wish.hz * rates_.share()));
        if (!v.capabilities) command(kRequestMessage, mavlink::messageInfo("AUTOPILOT_VERSION")->id, 0);
        if (v.modes.empty()) command(kRequestMessage, mavlink::messageInfo("AVAILABLE_MODES")->id, 0);
        if (!v.home) command(kRequestMessage, mavlink::messageInfo("HOME_POSITION")->id, 0);
    }
    for (const Message& m : wishes) send(m);
}

/// What cameras and gimbals of the chosen vehicle have not said yet, or not lately.
void VehicleLink::askPayload(double now_ms) {
    std::vector<Message> wishes;
    {
        const std::lock_guard lock(mutex_);
        const auto at = states_.find(chosen_ != 0 ? chosen_ : first_);
        if (at == states_.end()) return;
        for (const PayloadQuestion& q : at->second.questions(now_ms))
            wishes.push_back(Message("COMMAND_LONG")
                                 .set("target_system", at->first)
                                 .set("target_component", q.component)
                                 .set("command", q.command)
                                 .set("param1", q.param1)
                                 .set("param2", q.param2));
    }
    for (const Message& m : wishes) send(m);
}

// ---- receiving

void VehicleLink::expectKey(const std::optional<mavlink::SigningKey>& key) {
    const std::lock_guard lock(mutex_);
    if (!key_) expected_key_ = key;
}

bool VehicleLink::isSigned() const {
    const std::lock_guard lock(mutex_);
    return key_.has_value();
}

/// Datagrams come from anywhere. A system that speaks from one address is believed from there alone; once it has been
/// silent there for a while it may speak from another, which is told.
bool VehicleLink::fromWhereItSpoke(const Message& message, std::uint64_t from, double now_ms) {
    if (from == 0) return true;
    constexpr double kSilent_ms = 5000;
    constexpr std::size_t kMostSystems = 255;
    const auto at = speakers_.find(message.system);
    if (at == speakers_.end()) {
        if (message.is("HEARTBEAT") && speakers_.size() < kMostSystems) speakers_[message.system] = {from, now_ms};
        return true;
    }
    Speaker& speaker = at->second;
    if (speaker.from != from) {
        if (now_ms - speaker.heard_ms < kSilent_ms) {
            ++other_address_;
            return false;
        }
        speaker.from = from;
        ++moved_;
    }
    speaker.heard_ms = now_ms;
    return true;
}

bool VehicleLink::believe(const Message& message, std::span<const std::uint8_t> frame, std::uint64_t from,
                          double now_ms) {
    if (!key_) {
        const auto now = mavlink::signingTime(clock_.unix_s());
        if (expected_key_ && signatures_.judge(frame, *expected_key_, now) == mavlink::SignatureJudgement::good)
            key_ = std::exchange(expected_key_, {});
        return key_ || fromWhereItSpoke(message, from, now_ms);
    }
    if (message.is("RADIO_STATUS")) return true;  // radios do not hold keys; the standard lets their state pass
    switch (signatures_.judge(frame, *key_, mavlink::signingTime(clock_.unix_s()))) {
        case mavlink::SignatureJudgement::good:
            return true;
        case mavlink::SignatureJudgement::unsigned_frame:
            ++not_signed_;
            return false;
        default:
            ++wrong_signature_;
            return false;
    }
}

namespace {
/// An answer to somebody else on the link.
bool isForAnother(const Message& m) {
    const auto* system = m.info->field("target_system");
    if (system == nullptr) return false;
    const auto to = m.integer("target_system");
    if (to != 0 && to != kOurSystem) return true;
    if (to == 0 || m.info->field("target_component") == nullptr) return false;
    const auto component = m.integer("target_component");
    return component != 0 && component != kOurComponent;
}
}  // namespace

void VehicleLink::receive(std::span<const std::uint8_t> bytes, std::uint64_t from) {
    const double now_ms = clock_.now_ms();
    bool any = false;  // that somebody waits for
    parser_.feed(bytes, [&](const Message& message, std::span<const std::uint8_t> frame) {
        if (message.system == kOurSystem && message.component == kOurComponent) return;  // our own, reflected
        const std::lock_guard lock(mutex_);
        window_bytes_ += frame.size();
        ++window_messages_;
        const bool believed = believe(message, frame, from, now_ms);
        if (recorder_) believed ? recorder_->add(frame) : recorder_->addNotBelieved(frame);
        if (!believed || isForAnother(message)) return;
        const bool nobody = first_ == 0;
        take(message, now_ms);
        any = any || (nobody && first_ != 0);
        for (Inbox* inbox : inboxes_) {
            const auto& wanted = inbox->wanted_;
            if (!wanted.empty() && std::find(wanted.begin(), wanted.end(), message.info) == wanted.end()) continue;
            if (inbox->queue_.size() >= kMaxInbox) continue;
            inbox->queue_.push_back(message);
            any = true;
        }
    });
    constexpr double kWindow_ms = 1000;
    const std::lock_guard lock(mutex_);
    if (now_ms - window_ms_ > kWindow_ms) {
        const double seconds = std::min(now_ms - window_ms_, 10 * kWindow_ms) / 1000;
        bytes_per_s_ = static_cast<double>(window_bytes_) / seconds;
        messages_per_s_ = static_cast<double>(window_messages_) / seconds;
        window_ms_ = now_ms;
        window_bytes_ = window_messages_ = 0;
    }
    if (any) arrived_.ring();
}

void VehicleLink::take(const Message& m, double now_ms) {
    if (m.system == 0 || m.system == kOurSystem) return;
    // An answer to our question for the round trip carries the vehicle's time beside ours, and ours is one we asked
    // with.
    if (m.is("TIMESYNC") && m.integer("tc1") != 0)
        if (const auto asked = std::find(asked_ns_.begin(), asked_ns_.end(), m.integer("ts1"));
            asked != asked_ns_.end()) {
            const double ms = std::max(0.0, now_ms - static_cast<double>(*asked) * 1e-6);
            asked_ns_.erase(asked);
            round_trip_ms_ = round_trip_ms_ ? *round_trip_ms_ * 0.7 + ms * 0.3 : ms;
        }
    const auto at = states_.find(m.system);
    // Only who has sent a heartbeat is a vehicle; else every stray number would become one.
    if (at == states_.end() && !m.is("HEARTBEAT") && !m.is("RADIO_STATUS")) return;
    if (m.is("RADIO_STATUS") && at == states_.end()) {
        if (first_ != 0) states_[first_].take(m, now_ms);
        return;
    }
    VehicleState& state = at != states_.end() ? at->second : states_[m.system];
    state.take(m, now_ms);
    if (!state.heard()) {
        states_.erase(m.system);
        return;
    }
    live_[m.system].take(m, now_ms);
    if (first_ == 0) first_ = m.system;
}

std::vector<LiveValue> VehicleLink::liveValues() const {
    const double now_ms = clock_.now_ms();
    LiveValues copy;  // putting it into words takes longer than packets should wait
    int autopilot = 0;
    {
        const std::lock_guard lock(mutex_);
        const int system = chosen_ != 0 ? chosen_ : first_;
        const auto at = live_.find(system);
        if (at == live_.end()) return {};
        copy = at->second;
        autopilot = snapshotLocked(system).component;
    }
    return copy.list(now_ms, autopilot);
}

VehicleSnapshot VehicleLink::snapshotLocked(int system) const {
    const auto at = states_.find(system != 0 ? system : first_);
    VehicleSnapshot copy = at != states_.end() ? at->second.at(clock_.now_ms()) : VehicleSnapshot{};
    constexpr int kPaused = 4;  // MISSION_STATE
    copy.held_on_route = copy.armed && modeKind(copy) == ModeKind::mission && (held_ || copy.mission_state == kPaused);
    copy.link.round_trip_ms = round_trip_ms_;
    copy.link.bytes_per_s = bytes_per_s_;
    copy.link.messages_per_s = messages_per_s_;
    copy.link.not_signed = not_signed_;
    copy.link.wrong_signature = wrong_signature_;
    copy.link.other_address = other_address_;
    copy.link.moved = moved_;
    copy.link.rates = rates_.share();
    return copy;
}

VehicleSnapshot VehicleLink::snapshot() const {
    const std::lock_guard lock(mutex_);
    return snapshotLocked(chosen_);
}

VehicleSnapshot VehicleLink::snapshotOf(int system) const {
    const std::lock_guard lock(mutex_);
    return snapshotLocked(system);
}

std::vector<int> VehicleLink::vehicles() const {
    const std::lock_guard lock(mutex_);
    std::vector<int> out;
    for (const auto& [system, state] : states_) out.push_back(system);
    return out;
}

void VehicleLink::choose(int system) {
    const std::lock_guard lock(mutex_);
    chosen_ = system;
}

void VehicleLink::setItems(std::vector<int> plan_seq) {
    const std::lock_guard lock(mutex_);
    const auto at = states_.find(chosen_ != 0 ? chosen_ : first_);
    if (at != states_.end()) at->second.setItems(std::move(plan_seq));
}

void VehicleLink::setTold(std::string how) {
    const std::lock_guard lock(mutex_);
    told_ = std::move(how);
}

std::string VehicleLink::told() const {
    const std::lock_guard lock(mutex_);
    return told_;
}

int VehicleLink::aboardItem(int plan_seq) const {
    const std::lock_guard lock(mutex_);
    const auto at = states_.find(chosen_ != 0 ? chosen_ : first_);
    if (at == states_.end()) return plan_seq;
    const std::vector<int>& items = at->second.items();
    const auto found = std::find(items.begin(), items.end(), plan_seq);
    return found != items.end() ? static_cast<int>(found - items.begin()) : plan_seq;
}

double VehicleLink::roundTrip_s() const {
    constexpr double kGuess_s = 0.3;
    const std::lock_guard lock(mutex_);
    return round_trip_ms_ ? *round_trip_ms_ / 1000 : kGuess_s;
}

bool VehicleLink::waitForVehicle(double timeout_s, std::stop_token stop) const {
    std::unique_lock lock(mutex_);
    return clock_.wait(arrived_, lock, clock_.now_s() + timeout_s, stop, [&] { return first_ != 0; });
}

VehicleLink::Inbox::Inbox(VehicleLink& link, std::vector<std::string_view> wanted) : link_(link) {
    for (const auto name : wanted) wanted_.push_back(mavlink::messageInfo(name));
    const std::lock_guard lock(link_.mutex_);
    link_.inboxes_.insert(this);
}

VehicleLink::Inbox::~Inbox() {
    const std::lock_guard lock(link_.mutex_);
    link_.inboxes_.erase(this);
}

std::optional<Message> VehicleLink::Inbox::next(double timeout_s, std::stop_token stop) {
    std::unique_lock lock(link_.mutex_);
    Clock& clock = link_.clock_;
    if (!clock.wait(link_.arrived_, lock, clock.now_s() + timeout_s, stop, [&] { return !queue_.empty(); }))
        return std::nullopt;
    Message message = queue_.front();
    queue_.pop_front();
    return message;
}

}  // namespace anhinga

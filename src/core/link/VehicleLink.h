// The ground's end of a MAVLink conversation: what each vehicle on the link says (snapshots), waiting for answers
// (Inbox), signing, how good the link is, the message rates asked for, and the recording of every packet.
// Threads: the transport's thread receives; everything here may be called from any.
#pragma once

#include <atomic>
#include <deque>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "core/link/LiveValues.h"
#include "core/link/Rates.h"
#include "core/link/Recorder.h"
#include "core/link/Transport.h"
#include "core/link/VehicleState.h"
#include "core/mavlink/Frame.h"
#include "core/mavlink/Signing.h"

namespace anhinga {

constexpr int kOurSystem = 255, kOurComponent = 190;  // a ground station's usual numbers

class VehicleLink {
  public:
    struct Options {
        std::string record_path;  // empty: not recorded
        LinkConditions conditions;
        std::optional<mavlink::SigningKey> key = {};  // set: all is signed, and only what is signed with it is taken
        bool ask_rates = true;
        LinkWorld world = {};
    };
    static Result<std::unique_ptr<VehicleLink>> open(const std::string& address, const Options& options);
    /// All that is done over this link goes by it.
    Clock& clock() const { return clock_; }
    ~VehicleLink();
    VehicleLink(const VehicleLink&) = delete;

    /// Of the chosen vehicle; of the first that was heard as long as none is chosen.
    VehicleSnapshot snapshot() const;
    /// System numbers of all that were heard, ascending.
    std::vector<int> vehicles() const;
    VehicleSnapshot snapshotOf(int system) const;
    /// Every field of every message of the vehicle that snapshot() is of, as last heard and believed.
    std::vector<LiveValue> liveValues() const;
    void choose(int system);

    /// The list aboard, as it was handed over: of each item where it stands in the plan's list (-1: nowhere). Snapshots
    /// count in the plan's list from then on.
    void setItems(std::vector<int> plan_seq);
    /// The item aboard for one of the plan's list: the first that came from it. The same number where no list is known.
    int aboardItem(int plan_seq) const;

    /// Whether it was ordered, by a command that leaves its mode, to hold.
    void setHeld(bool held) { held_ = held; }
    /// Whether places of items travel in single precision: as one came so, or was asked for so.
    void setSinglePlaces() { single_places_ = true; }
    bool singlePlaces() const { return single_places_; }
    /// How the last order was told, in words: "command 193", "mode hold".
    void setTold(std::string how);
    std::string told() const;

    /// Stamps sequence and our identity on it, signs it where there is a key, and sends it. Fields target_system and
    /// target_component are the caller's.
    void send(mavlink::Message message);
    /// Waits until a heartbeat has come. False after the time or on stop.
    bool waitForVehicle(double timeout_s, std::stop_token stop = {}) const;
    /// The round trip as measured lately, or a careful guess before it was.
    double roundTrip_s() const;
    /// Numbers orders for photos, from 1.
    int nextCapture() { return ++captures_; }
    /// From the first packet on that is signed with it, all is signed with it and only that is believed; nothing: it is
    /// no longer waited for.
    void expectKey(const std::optional<mavlink::SigningKey>& key);
    bool isSigned() const;
    void setConditions(const LinkConditions& conditions);

    /// Puts a mark into the recording: the time now and a few words.
    void mark(const std::string& note);
    void flushRecord() {
        if (recorder_) recorder_->flush();
    }
    std::string recordError() const { return recorder_ ? recorder_->error() : std::string(); }
    std::uint64_t recordBytes() const { return recorder_ ? recorder_->bytes() : 0; }

    /// Collects messages from its making on; for request-and-answer conversations. It stays empty of what is not in
    /// `wanted` (names); an empty list wants all.
    class Inbox {
      public:
        explicit Inbox(VehicleLink& link, std::vector<std::string_view> wanted = {});
        ~Inbox();
        Inbox(const Inbox&) = delete;
        /// The next message within the time; nothing when it is over or stop is asked for.
        std::optional<mavlink::Message> next(double timeout_s, std::stop_token stop = {});

      private:
        friend class VehicleLink;
        VehicleLink& link_;
        std::vector<const mavlink::MessageInfo*> wanted_;
        std::deque<mavlink::Message> queue_;
    };

  private:
    explicit VehicleLink(Clock& clock) : clock_(clock) {}
    void receive(std::span<const std::uint8_t> bytes, std::uint64_t from);
    /// Called with the mutex held. False for what must not be believed.
    bool believe(const mavlink::Message& message, std::span<const std::uint8_t> frame, std::uint64_t from,
                 double now_ms);
    bool fromWhereItSpoke(const mavlink::Message& message, std::uint64_t from, double now_ms);
    void take(const mavlink::Message& message, double now_ms);
    void beat(const std::stop_token& stop);
    void askRates(double now_ms);
    void askPayload(double now_ms);
    VehicleSnapshot snapshotLocked(int system) const;

    Clock& clock_;
    mutable std::mutex mutex_;
    mutable Bell arrived_;
    std::map<int, VehicleState> states_;
    std::map<int, LiveValues> live_;
    int chosen_ = 0, first_ = 0;
    std::set<Inbox*> inboxes_;
    mavlink::Parser parser_;
    std::uint8_t sequence_ = 0;
    std::atomic<int> mark_id_{0}, captures_{0};
    std::optional<mavlink::SigningKey> key_, expected_key_;
    mavlink::SignatureKeeper signatures_;
    std::uint64_t signing_time_ = 0, not_signed_ = 0, wrong_signature_ = 0, other_address_ = 0, moved_ = 0;
    struct Speaker {
        std::uint64_t from = 0;
        double heard_ms = 0;
    };
    std::map<int, Speaker> speakers_;  // from where each system speaks
    std::optional<double> round_trip_ms_;
    std::deque<std::int64_t> asked_ns_;  // what the round trip was asked with, newest last
    double window_ms_ = 0, bytes_per_s_ = 0, messages_per_s_ = 0;
    std::uint64_t window_bytes_ = 0, window_messages_ = 0;
    bool ask_rates_ = true;
    RateGovernor rates_;
    std::string told_;
    std::atomic<bool> held_{false}, single_places_{false};
    std::unique_ptr<Recorder> recorder_;
    std::unique_ptr<Transport> transport_;
    Worker beat_;  // our own heartbeat and what else is said by the clock
};

}  // namespace anhinga

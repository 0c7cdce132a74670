// The day in the field, between plan and link: whether the aircraft holds this plan, the checklist as it looks now,
// alarms, progress against the rehearsal, the measured home, and which items can still be changed in flight.
#pragma once

#include <QObject>
#include <QString>
#include <map>
#include <memory>

#include "core/watch/Alarms.h"
#include "core/watch/AutoChecks.h"
#include "session/LinkSession.h"
#include "session/PlanSession.h"

namespace anhinga {

struct ChecklistEntry {
    CheckItem item;
    bool automatic = false;
    CheckState state = CheckState::unknown;  // of a manual item: good when ticked, else unknown
    QString text;                            // why
    /// The parameter that would make it so.
    std::optional<std::pair<std::string, Parameter>> setting = {};
    /// What the aircraft holds, for the plan.
    std::function<void(Plan&)> take = {};
    bool open() const { return state != CheckState::good; }
};

class FieldSession : public QObject {
    Q_OBJECT
  public:
    FieldSession(PlanSession* plan, LinkSession* link, QObject* parent = nullptr);

    // ---- the plan on the aircraft
    /// True when the aircraft holds the plan, or the sortie chosen, as it is now, read back and compared.
    bool sealHolds() const;
    /// In a few words: "kept here, not sent", "sealed 10:42", "changed since sealed", ...
    QString sealLine() const;
    /// What can be flown today from this plan, each with how far it has got: the sorties, or the plan as a whole.
    struct DayEntry {
        int sortie = 0;  // 0: the whole plan
        QString text;    // "sealed 10:42, flown 11:05", "changed since sealed", "not sent"
        enum State { notSent, changed, sealed, aboard, flown } state = notSent;
    };
    std::vector<DayEntry> day() const;
    /// The seal noted in the plan for what is chosen; null when it was never sealed.
    const Seal* notedSeal() const;
    /// True when the noted seal is of the plan as it is now.
    bool notedSealFits() const;
    /// What must be accepted before that; of a change in flight only what is found in what is still ahead.
    std::vector<Finding> stops() const;
    /// Sends the plan (or the difference), or says why it cannot. In flight only what is far enough ahead may differ.
    Result<void> handOver(bool in_batches);
    /// True while a mission is flown and the plan differs from what the aircraft holds.
    bool changeWaits() const;
    /// How long until what the change begins with is too near to be sent, as rehearsed; 0 when it is, nothing
    /// when that never comes.
    std::optional<double> changeTime_s() const;
    /// True when it has been for too long: what the change begins with is flown or too near.
    bool changeTooLate() const;
    /// The plan is again what the aircraft flies; one step that can be undone.
    void takeChangeBack();
    /// What the aircraft holds, as it was sealed in this connection, or by the record in the plan where it was not
    /// asked yet; whatever has become of the plan on screen since.
    struct SealedFlight {
        std::uint64_t fingerprint = 0;
        int sortie = 0;
        int vehicle = 0;  // its system number
        PlanPtr plan;
        FlightProgram program;
        std::shared_ptr<const Rehearsal> rehearsal;  // null when there was none yet
    };
    /// Null when that is not known.
    const SealedFlight* sealedFlight() const { return sealed_ ? &*sealed_ : nullptr; }
    /// Items of the plan that cannot be changed now.
    std::set<ItemId> frozen() const;
    void check();
    void setFrozen(bool frozen);

    // ---- checklist
    const std::vector<ChecklistEntry>& checklist() const { return checklist_; }
    void tick(ItemId id, bool on);
    void untickAll();
    /// Sets on the aircraft what a line proposes; on the ground alone.
    void setOnAircraft(ItemId id);
    /// The same for a finding about the aircraft.
    void setOnAircraft(const Finding& finding);
    /// What a line proposes to take from the aircraft, as one step of the plan.
    void takeIntoPlan(ItemId id);
    /// Must-items that are open, by their text.
    QStringList openMusts() const;
    HeadingTest& headingTest() { return heading_; }
    void beginHeadingTest();

    // ---- measured home
    /// Nothing when there is none to compare, or it is as planned (within 1 m, and 0.5 m in height).
    const std::optional<HomeMove>& homeMoved() const { return home_moved_; }
    /// The aircraft's home becomes the plan's.
    void takeMeasuredHome();

    // ---- in flight
    /// Where one can go on from now: items and the sections they begin, with the mission item of each. Empty while
    /// nothing is heard, the aircraft does not hold the plan, or it is flown in batches.
    struct GoOnPlace {
        ItemId id = 0;
        int seq = 0;
        QString text;     // "Waypoint 6"
        QString section;  // begun by it; empty: none
    };
    std::vector<GoOnPlace> goOnPlaces() const;
    const std::vector<Alarm>& alarms() const { return alarms_.alarms(); }
    void acknowledge(const std::string& id);
    const std::optional<FlightProgress>& progress() const { return progress_; }
    /// A mark in the recording, with a few words.
    void mark(const QString& note);
    /// True from a landing on until the next flight or until it was put away.
    bool landed() const { return landed_; }
    void putLandedAway();
    /// Time, photos and battery of the flight that has landed, against its rehearsal.
    QString landedText() const;

  signals:
    void changed();  // anything of the above, a few times a second at most
    void alarmsChanged();
    void raised(const QString& text, AlarmLevel level);
    /// The aircraft has said something; MAV_SEVERITY.
    void spoken(const QString& text, int severity);
    void hasLanded();

  private:
    void look();
    FieldInput fieldInput(const Rehearsal* rehearsal) const;
    void lookAtChecklist();
    void lookAtHome();
    void lookAtSealed();
    SealedFlight asOnScreen() const;
    /// Of a waiting change: the first entry that is another, and the first that may be; nothing when none waits.
    struct Change {
        int first = 0;
        std::optional<int> changeable;  // nothing: this autopilot takes none in flight
    };
    std::optional<Change> findChange() const;
    void noteSeal(const HandOver& result);
    void noteStored();
    void noteFlown();
    std::uint64_t fingerprint(const PlanView& view) const;

    PlanSession* plan_;
    LinkSession* link_;
    ClockTimer timer_;
    std::vector<ChecklistEntry> checklist_;
    AlarmWatch alarms_;
    mutable DerivedPtr fingerprints_of_;
    mutable std::map<const PlanView*, std::uint64_t> fingerprints_;
    std::optional<SealedFlight> sent_, sealed_;
    std::optional<Change> change_;  // as of the last look
    PlanPtr watched_plan_;
    std::shared_ptr<const Rehearsal> followed_;
    std::unique_ptr<ProgressFollower> follower_;
    std::optional<FlightProgress> progress_;
    HeadingTest heading_;
    std::optional<HomeMove> home_moved_;
    PlanPtr home_of_plan_;
    std::optional<GeoPoint> home_of_vehicle_;
    std::optional<double> home_of_vehicle_amsl_m_;
    bool was_armed_ = false, flew_ = false, landed_ = false;
    std::uint64_t texts_heard_ = 0;
};

}  // namespace anhinga

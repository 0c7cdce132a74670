// The open plan: its present snapshot, the undo stack, the selection, and what is derived from it in the background.
// Views read snapshots and edit only through edit(). No widget and no message box in here.
#pragma once

#include <QObject>
#include <QString>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <set>
#include <thread>
#include <vector>

#include "core/derive/PlanAnalysis.h"
#include "core/terrain/Terrain.h"
#include "session/LatestTask.h"

namespace anhinga {

using PlanPtr = std::shared_ptr<const Plan>;
using TerrainPtr = std::shared_ptr<const Terrain>;

/// Everything that follows from one snapshot, immutable; the serial grows with every result.
struct Derived : PlanAnalysis {
    std::uint64_t serial = 0;
};
using DerivedPtr = std::shared_ptr<const Derived>;
/// How often an item is flown, as rehearsed: in one, or in the sortie that flies it most often.
std::optional<int> visitsOf(const Derived& d, ItemId id);
/// "flown twice", "flown 3 times", "left out" for a count that is not one.
QString visitsText(int visits);
/// How often a repeat goes back: "once more", "3 times more", "for ever".
QString repeatText(int count);
/// Photos taken against those planned up to here: never "13 of 12".
QString photosText(int taken, int planned);

class PlanSession : public QObject {
    Q_OBJECT
  public:
    explicit PlanSession(QObject* parent = nullptr);
    ~PlanSession() override;

    PlanPtr plan() const { return plan_; }
    /// Newest result; may be of an earlier snapshot while a newer one is computed. Never null. Each snapshot gives
    /// three: view and findings at once, the same with its own rehearsal and sorties, the same with its photos counted.
    DerivedPtr derived() const { return derived_; }
    TerrainPtr terrain() const { return terrain_; }
    bool upToDate() const {
        return derived_->plan == plan_ && derived_->terrain == terrain_ && derived_->wind == wind_;
    }
    QString path() const { return path_; }
    bool modified() const { return plan_ != saved_; }

    /// Starts an empty plan. Keeps terrain and imagery of the old one: the place is the same.
    void startNew();
    /// On failure everything stays as it was.
    Result<void> load(const QString& path);
    /// Files that are named beside the plan are found from there, too. With ErrorCode::guarded it may be asked for once
    /// more, `anyway`.
    Result<void> save(const QString& path, bool anyway = false);
    /// True when the plan's file is no longer what was last loaded or saved here: another window wrote it.
    bool changedOnDisk() const;
    /// As after a bad end: the state of `plan`, unsaved, belonging to `path` (may be empty).
    void restore(const QString& path, Plan plan);
    /// Adds a file with heights to the plan, as one undoable step; named relative to the plan where that has a file.
    /// Fails, and changes nothing, when it cannot be read.
    Result<void> addTerrain(const QString& file);
    /// Replaces everything as one undoable step (imported, recovered).
    Result<void> replace(const QString& name, Plan plan);
    /// Another plan, which belongs to no file, as one undoable step: undo brings the former back, with its file.
    void replaceAsNew(const QString& name, Plan plan);

    /// One undoable step; dropped when nothing changed. Steps with the same non-zero `merge` in a row become one. Seals
    /// are not changed by it. Fails, and changes nothing, where a frozen item would be another; refused() says so too.
    Result<void> edit(const QString& name, const std::function<void(Plan&)>& change, int merge = 0);
    /// The same, though items are frozen: what is flown is back in the plan. Title, notes and checklist stay.
    void takeBack(const QString& name, const Plan& flown);
    /// What is on record of the plan, and no step of its making: undo and redo leave it.
    void record(const std::function<void(std::vector<Seal>&)>& change);
    /// Ends merging: the next edit is a step of its own.
    void endMerge() { merge_ = 0; }
    bool canUndo() const { return position_ > 0; }
    bool canRedo() const { return position_ < steps_.size(); }
    QString undoName() const { return canUndo() ? steps_[position_ - 1].name : QString(); }
    QString redoName() const { return canRedo() ? steps_[position_].name : QString(); }
    void undo();
    void redo();

    /// Items that are being flown or soon will be: nothing may change them or what stands before them. Empty: none.
    void setFrozen(std::set<ItemId> ids);
    bool isFrozen(ItemId id) const { return frozen_.contains(id); }
    /// A frozen plan may be changed again, as its next revision.
    void newRevision();

    const std::set<ItemId>& selection() const { return selection_; }
    void select(std::set<ItemId> ids);
    bool isSelected(ItemId id) const { return selection_.contains(id); }

    /// What Rehearse plays and a hand-over sends: a sortie, counted from 1, or the whole plan (0).
    int sortie() const { return sortie_; }
    void chooseSortie(int number);
    const PlanView& flownView() const;
    std::shared_ptr<const Rehearsal> flownRehearsal() const;
    QString notRehearsed() const;
    /// What flownRehearsal() gives from now on, until the plan, the sortie or the wind changes or it is cleared: the
    /// same flight with something going wrong. Fails, and changes nothing, where there is no rehearsal.
    Result<void> tryFailure(const Failure& failure);
    void clearFailure();
    const std::optional<Failure>& failure() const { return failure_; }
    const std::vector<Finding>& flownFindings() const;
    /// Of the plan as a whole, and of the aircraft that is connected (of_aircraft); the worst first.
    std::vector<Finding> findings() const;
    /// The findings in a few words, or what was not checked: "2 warn", "no findings, airspace not checked".
    QString findingsText() const;
    /// How the aircraft that is connected differs from the plan; empty when there is none.
    void setAircraftFindings(std::vector<Finding> findings);
    /// A sortie that begins here is made, as an undoable step, and chosen.
    void beginSortieAt(const QString& name, const Cut& cut);
    /// Looks for cuts in the background (suggestCuts()) and makes them, as one undoable step; a plan that was changed
    /// meanwhile stays as it is. Answered by cutEnded().
    void cutIntoSorties();
    void stopCutting() { cutter_.stop(); }
    bool cutting() const { return cutter_.busy(); }
    double cuttingShare() const { return cutting_share_; }

    Wind wind() const { return wind_; }
    void setWind(Wind wind);

    /// Calls `then` as soon as derived() is complete and of the present plan, which may be at once; never when
    /// `context` is gone by then.
    void whenDerived(QObject* context, std::function<void()> then);
    /// Blocks until derived() fits the present plan, at most so long; for tests.
    bool waitUntilDerived(int timeout_ms);
    /// The same for view and findings alone, without the rehearsal.
    bool waitUntilViewed(int timeout_ms);

  signals:
    void planChanged();
    void derivedChanged();
    void aircraftFindingsChanged();
    void selectionChanged();
    void terrainChanged();
    /// An edit was not made: why, and what to do.
    void refused(const QString& why);
    void frozenChanged();
    /// Another plan is open, from a file or recovered.
    void opened();
    void cuttingChanged();
    /// Share done, 0..1, of counting what the photos of a pattern see.
    void counting(double share);
    void cutEnded(const QString& how);

  private:
    /// What a plan belongs to on disk.
    struct Origin {
        QString path;
        PlanPtr saved;
        std::uint64_t on_disk = 0;
    };
    struct Step {
        QString name;
        PlanPtr before, after;
        bool replaces = false;                     // by a plan with records of its own
        std::optional<Origin> from = {}, to = {};  // where the step leads from one file to another
    };
    void set(PlanPtr plan);
    void belongTo(const std::optional<Origin>& origin);
    PlanPtr withRecords(const Step& step, const PlanPtr& snapshot) const;
    void addStep(const QString& name, PlanPtr after, int merge);
    /// Why the plan may not become `after`; empty when it may.
    QString objection(const Plan& after) const;
    /// All that can be undone, too, names its files from where the plan lies now.
    void moveTo(const QString& path);
    void rememberDisk();
    void openTerrain();
    void lookForPictures();
    /// The terrain in use is that of the files the plan names; files that cannot be read leave it as it is.
    void followTerrain();
    void request();
    void work(const std::stop_token& stop);
    void publish(const DerivedPtr& result);
    void take(const DerivedPtr& result);

    PlanPtr plan_, saved_;
    TerrainPtr terrain_ = std::make_shared<const Terrain>();
    std::vector<std::string> terrain_names_;  // as the plan names them
    std::vector<Finding> aircraft_findings_, file_findings_;
    DerivedPtr derived_;
    QString path_;
    std::uint64_t on_disk_ = 0;  // fingerprint of the file as loaded or saved
    std::vector<Step> steps_;
    std::size_t position_ = 0;
    int merge_ = 0;
    std::set<ItemId> selection_, frozen_;
    Wind wind_;
    int sortie_ = 0;
    std::optional<Failure> failure_;
    std::shared_ptr<const Rehearsal> failed_;  // with that failure
    std::optional<Cut> wanted_cut_;            // the sortie that begins here is chosen once it is known
    double cutting_share_ = 0;
    LatestTask cutter_;
    Mailbox mail_;  // before the thread that posts

    std::mutex mutex_;
    std::condition_variable_any wake_, finished_;
    struct Job {
        PlanPtr plan;
        TerrainPtr terrain;
        Wind wind;
    };
    std::optional<Job> job_;
    DerivedPtr result_;
    std::stop_source running_;
    std::jthread worker_;
};

}  // namespace anhinga

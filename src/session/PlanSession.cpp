#include "session/PlanSession.h"

#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <map>

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {

/// A result with its place in the order of results.
template <typename Analysis>
std::shared_ptr<Derived> numbered(Analysis&& analysis, std::uint64_t serial) {
    auto d = std::make_shared<Derived>();
    static_cast<PlanAnalysis&>(*d) = std::forward<Analysis>(analysis);
    d->serial = serial;
    return d;
}

}  // namespace

QString visitsText(int visits) {
    return visits == 0   ? QString("left out")
           : visits == 2 ? QString("flown twice")
                         : QString("flown %1 times").arg(visits);
}

QString repeatText(int count) {
    return count < 0 ? QString("for ever") : count == 1 ? QString("once more") : QString("%1 times more").arg(count);
}

QString photosText(int taken, int planned) {
    return taken == planned ? QString("%1 photos, as planned").arg(taken)
                            : QString("%1 photos, %2 planned up to here").arg(taken).arg(planned);
}

std::optional<int> visitsOf(const Derived& d, ItemId id) {
    std::optional<int> most;
    const auto count = [&](const std::shared_ptr<const Rehearsal>& r) {
        if (!r) return;
        const auto at = r->visits.find(id);
        if (at != r->visits.end()) most = std::max(most.value_or(0), at->second);
    };
    if (d.sorties.empty()) count(d.rehearsal);
    for (const FlownSortiePtr& s : d.sorties) count(s->rehearsal);
    return most;
}

PlanSession::PlanSession(QObject* parent) : QObject(parent) {
    plan_ = saved_ = std::make_shared<const Plan>();
    auto first = std::make_shared<Derived>();
    first->plan = plan_;
    first->terrain = terrain_;
    derived_ = first;
    worker_ = std::jthread([this](const std::stop_token& stop) { work(stop); });
}

PlanSession::~PlanSession() {
    worker_.request_stop();
    const std::lock_guard lock(mutex_);
    running_.request_stop();
}

namespace {
/// True when both fly the same: only what belongs to the paper differs.
bool sameFlown(Plan a, const Plan& b) {
    a.title = b.title;
    a.notes = b.notes;
    a.checklist = b.checklist;
    a.seals = b.seals;
    a.revision = b.revision;
    a.frozen = b.frozen;
    a.next_id = b.next_id;
    return a == b;
}
}  // namespace

void PlanSession::set(PlanPtr plan) {
    // Ticks, seals and notes change nothing of what is flown: all that was worked out holds on.
    const bool paper = upToDate() && derived_->complete && derived_->covered && sameFlown(*plan_, *plan);
    plan_ = std::move(plan);
    std::set<ItemId> kept;
    for (const ItemId id : selection_)
        if (plan_->holds(id)) kept.insert(id);
    const bool lost = kept != selection_;
    selection_ = std::move(kept);
    const TerrainPtr before = terrain_;
    followTerrain();
    lookForPictures();
    if (paper && terrain_ == before) {
        auto same = std::make_shared<Derived>(*derived_);
        same->plan = plan_;
        derived_ = same;
        const std::lock_guard lock(mutex_);
        result_ = same;
    } else {
        request();
    }
    emit planChanged();
    if (paper) emit derivedChanged();
    if (lost) emit selectionChanged();
    if (terrain_ != before) emit terrainChanged();
}

void PlanSession::followTerrain() {
    if (plan_->terrain_files == terrain_names_) return;
    openTerrain();
}

/// What the plan names, as far as it is there.
void PlanSession::openTerrain() {
    std::vector<Terrain::Named> files;
    for (const std::string& name : plan_->terrain_files)
        files.push_back({name, resolveBeside(path_.toStdString(), name)});
    const auto opened = Terrain::openPresent(files, terrain_.get());
    terrain_names_ = plan_->terrain_files;
    if (opened->rasters() != terrain_->rasters() || opened->missing() != terrain_->missing()) terrain_ = opened;
}

void PlanSession::lookForPictures() {
    file_findings_.clear();
    for (const std::string& name : plan_->imagery_files) {
        const QString path = QString::fromStdString(resolveBeside(path_.toStdString(), name));
        if (QFileInfo(path).isFile()) continue;
        Finding f{Severity::note, "picture-missing", 0, fmt::format("{}: this picture is not there", name), {}, {}};
        f.corrections = {{"Look for it …", {}, false, false, name}};
        file_findings_.push_back(std::move(f));
    }
}

Result<void> PlanSession::addTerrain(const QString& file) {
    const std::string path = QFileInfo(file).absoluteFilePath().toStdString();
    const auto raster = ElevationRaster::open(path);
    if (!raster) return tl::unexpected(raster.error());
    const std::string name =
        path_.isEmpty() ? path
                        : QFileInfo(path_).absoluteDir().relativeFilePath(QString::fromStdString(path)).toStdString();
    for (const std::string& known : plan_->terrain_files)
        if (known == name) return fail("{}: the plan has this terrain already", path);
    return edit("Add terrain", [&](Plan& p) { p.terrain_files.push_back(name); });
}

void PlanSession::startNew() {
    Plan fresh;
    fresh.terrain_files = plan_->terrain_files;
    fresh.imagery_files = plan_->imagery_files;
    if (!path_.isEmpty())
        for (auto* files : {&fresh.terrain_files, &fresh.imagery_files})
            for (std::string& f : *files) f = resolveBeside(path_.toStdString(), f);
    path_.clear();
    steps_.clear();
    position_ = 0;
    selection_.clear();
    frozen_.clear();
    saved_ = std::make_shared<const Plan>(std::move(fresh));
    set(saved_);
    emit selectionChanged();
}

Result<void> PlanSession::load(const QString& path) {
    auto plan = loadPlan(path.toStdString());
    if (!plan) return tl::unexpected(plan.error());
    path_ = path;
    rememberDisk();
    terrain_names_ = {"."};  // none of another plan
    steps_.clear();
    position_ = 0;
    merge_ = 0;
    selection_.clear();
    frozen_.clear();
    saved_ = std::make_shared<const Plan>(std::move(*plan));
    set(saved_);
    emit terrainChanged();
    emit selectionChanged();
    emit opened();
    return {};
}

Result<void> PlanSession::save(const QString& path, bool anyway) {
    const Plan moved = movedTo(*plan_, path_.toStdString(), path.toStdString());
    if (auto ok = savePlan(moved, path.toStdString(), {.anyway = anyway}); !ok) return ok;
    if (path != path_) moveTo(path);
    saved_ = plan_;
    rememberDisk();
    emit planChanged();
    return {};
}

void PlanSession::moveTo(const QString& path) {
    std::map<PlanPtr, PlanPtr> moved;
    const auto move = [&](PlanPtr& plan) {
        PlanPtr& to = moved[plan];
        if (!to) {
            auto copy = movedTo(*plan, path_.toStdString(), path.toStdString());
            to = copy == *plan ? plan : std::make_shared<const Plan>(std::move(copy));
        }
        plan = to;
    };
    // What lies before another plan was opened belongs to its file.
    for (std::size_t i = steps_.size(); i-- > 0;) {
        move(steps_[i].after);
        if (steps_[i].to) break;
        move(steps_[i].before);
    }
    PlanPtr now = plan_;
    move(now);
    path_ = path;
    if (now == plan_) return;
    set(std::move(now));
}

void PlanSession::rememberDisk() {
    const auto content = readFile(path_.toStdString());
    on_disk_ = content ? fingerprint(*content) : 0;
}

bool PlanSession::changedOnDisk() const {
    if (path_.isEmpty() || on_disk_ == 0) return false;
    const auto content = readFile(path_.toStdString());
    return content && fingerprint(*content) != on_disk_;
}

void PlanSession::restore(const QString& path, Plan plan) {
    if (!path.isEmpty() && load(path)) {
        (void)replace("Recovered changes", std::move(plan));
        return;
    }
    startNew();
    (void)replace("Recovered changes", std::move(plan));
    emit opened();
}

Result<void> PlanSession::replace(const QString& name, Plan plan) {
    const auto after = std::make_shared<Plan>(std::move(plan));
    if (*after == *plan_) return {};
    if (const QString why = objection(*after); !why.isEmpty()) {
        emit refused(why);
        return fail("{}", why.toStdString());
    }
    if (auto ok = canBeSaved(*after, *plan_); !ok) {
        emit refused(QString::fromStdString(ok.error().message));
        return ok;
    }
    addStep(name, after, 0);
    steps_.back().replaces = true;
    return {};
}

void PlanSession::replaceAsNew(const QString& name, Plan plan) {
    const std::size_t steps = position_;
    const Origin from{path_, saved_, on_disk_};
    (void)replace(name, std::move(plan));
    if (position_ == steps) return;  // refused, or the same
    steps_.back().from = from;
    steps_.back().to = Origin{};
    belongTo(steps_.back().to);
    emit opened();
}

void PlanSession::belongTo(const std::optional<Origin>& origin) {
    if (!origin) return;
    path_ = origin->path;
    saved_ = origin->saved;
    on_disk_ = origin->on_disk;
    emit planChanged();
}

QString PlanSession::objection(const Plan& after) const {
    if (plan_->frozen && after.frozen && !sameFlown(*plan_, after))
        return "The plan is frozen since it was sealed. A new revision of it can be changed: Field, New revision";
    if (frozen_.empty()) return {};
    std::size_t last = 0;
    for (std::size_t i = 0; i < plan_->items.size(); ++i)
        if (frozen_.contains(plan_->items[i].id)) last = i + 1;
    if (after.home != plan_->home) return "Home cannot be moved while the plan is flown";
    for (std::size_t i = 0; i < last; ++i) {
        const Item& now = plan_->items[i];
        if (i >= after.items.size() || after.items[i] != now ||
            effectiveHeight(after, after.items[i]) != effectiveHeight(*plan_, now) ||
            effectiveSpeed(after, after.items[i]) != effectiveSpeed(*plan_, now))
            return QString("%1 is being flown or soon will be: it cannot be changed now. Items further ahead can")
                .arg(QString::fromStdString(itemText(*plan_, now.id)));
    }
    return {};
}

void PlanSession::setFrozen(std::set<ItemId> ids) {
    if (ids == frozen_) return;
    frozen_ = std::move(ids);
    emit frozenChanged();
}

void PlanSession::newRevision() {
    edit("New revision", [](Plan& p) {
        p.frozen = false;
        ++p.revision;
    });
}

Result<void> PlanSession::edit(const QString& name, const std::function<void(Plan&)>& change, int merge) {
    auto after = std::make_shared<Plan>(*plan_);
    change(*after);
    after->seals = plan_->seals;
    if (*after == *plan_) return {};
    if (const QString why = objection(*after); !why.isEmpty()) {
        emit refused(why);
        return fail("{}", why.toStdString());
    }
    if (auto ok = canBeSaved(*after, *plan_); !ok) {
        emit refused(QString::fromStdString(ok.error().message));
        return ok;
    }
    addStep(name, after, merge);
    return {};
}

void PlanSession::addStep(const QString& name, PlanPtr after, int merge) {
    steps_.resize(position_);
    if (merge != 0 && merge == merge_ && !steps_.empty()) {
        steps_.back().after = after;
    } else {
        steps_.push_back({name, plan_, after});
    }
    merge_ = merge;
    position_ = steps_.size();
    set(std::move(after));
}

void PlanSession::takeBack(const QString& name, const Plan& flown) {
    auto after = std::make_shared<Plan>(flown);
    after->seals = plan_->seals;
    after->checklist = plan_->checklist;
    after->title = plan_->title;
    after->notes = plan_->notes;
    after->next_id = std::max(after->next_id, plan_->next_id);
    if (*after != *plan_) addStep(name, after, 0);
}

void PlanSession::record(const std::function<void(std::vector<Seal>&)>& change) {
    auto after = std::make_shared<Plan>(*plan_);
    change(after->seals);
    if (after->seals != plan_->seals) set(after);
}

/// A snapshot of the undo stack as it is taken up again: with what has been put on record since.
PlanPtr PlanSession::withRecords(const Step& step, const PlanPtr& snapshot) const {
    if (step.replaces || snapshot->seals == plan_->seals) return snapshot;
    auto plan = std::make_shared<Plan>(*snapshot);
    plan->seals = plan_->seals;
    return plan;
}

void PlanSession::undo() {
    if (!canUndo()) return;
    Step& step = steps_[position_ - 1];
    const PlanPtr before = withRecords(step, step.before);
    if (const QString why = objection(*before); !why.isEmpty()) return emit refused(why);
    step.after = plan_;
    merge_ = 0;
    --position_;
    set(before);
    belongTo(step.from);
}

void PlanSession::redo() {
    if (!canRedo()) return;
    Step& step = steps_[position_];
    const PlanPtr after = withRecords(step, step.after);
    if (const QString why = objection(*after); !why.isEmpty()) return emit refused(why);
    step.before = plan_;
    merge_ = 0;
    ++position_;
    set(after);
    belongTo(step.to);
}

void PlanSession::select(std::set<ItemId> ids) {
    const bool some = !ids.empty();
    std::erase_if(ids, [this](ItemId id) { return !plan_->holds(id); });
    if (ids == selection_ || (some && ids.empty())) return;
    selection_ = std::move(ids);
    emit selectionChanged();
}

void PlanSession::setWind(Wind wind) {
    wind_ = wind;
    clearFailure();
    request();
}

void PlanSession::request() {
    const std::lock_guard lock(mutex_);
    job_ = Job{plan_, terrain_, wind_};
    running_.request_stop();
    wake_.notify_one();
}

void PlanSession::work(const std::stop_token& stop) {
    std::uint64_t serial = 0;
    DerivedPtr last;
    double last_ms = 1000;    // what the last rehearsal cost
    double rehearsed_ms = 0;  // when it was done
    constexpr std::size_t kLiveItems = 500;
    while (!stop.stop_requested()) {
        Job job;
        std::stop_token mine;
        {
            std::unique_lock lock(mutex_);
            if (!wake_.wait(lock, stop, [this] { return job_.has_value(); })) return;
            job = std::move(*job_);
            job_.reset();
            running_ = std::stop_source();
            mine = running_.get_token();
        }
        // The view is always finished, however fast edits come: a drag shows its findings while it lasts.
        const DerivedPtr viewed = numbered(
            beginAnalysis(job.plan, job.terrain, job.wind, last && last->terrain == job.terrain ? last.get() : nullptr),
            ++serial);
        publish(viewed);
        last = viewed;
        // A rehearsal that is soon done is flown at every step of a drag: time and energy are live.
        constexpr double kLive_ms = 100;
        const bool live = last_ms <= kLive_ms && job.plan->cuts.empty() && job.plan->items.size() <= kLiveItems;
        if (!live) {
            // Else, while edits come one on the heels of the other, rehearsing would only be in their way.
            constexpr auto kQuiet = std::chrono::milliseconds(60);
            std::unique_lock lock(mutex_);
            if (wake_.wait_for(lock, stop, kQuiet, [this] { return job_.has_value(); })) continue;
        }
        // Where the next step always comes first, one is flown to its end now and then all the same.
        constexpr double kOverdue_ms = 300;
        const bool overdue = live && monotonicMs() - rehearsed_ms > kOverdue_ms;
        const double began_ms = threadMs();
        auto flown = withFlights(*viewed, overdue ? stop : mine);
        if (!flown) continue;
        last_ms = threadMs() - began_ms;
        const DerivedPtr whole = numbered(std::move(*flown), ++serial);
        publish(whole);
        rehearsed_ms = monotonicMs();
        last = whole;
        if (whole->covered) continue;
        auto counted = withCovers(*whole, mine, [this, told = 0.0](double share) mutable {
            if (std::abs(share - told) < 0.05) return;
            told = share;
            mail_.post([this, share] { emit counting(share); });
        });
        if (!counted) continue;
        const DerivedPtr covered = numbered(std::move(*counted), ++serial);
        publish(covered);
        last = covered;
    }
}

void PlanSession::publish(const DerivedPtr& result) {
    {
        const std::lock_guard lock(mutex_);
        result_ = result;
        finished_.notify_all();
    }
    mail_.post([this, result] { take(result); });
}

void PlanSession::take(const DerivedPtr& result) {
    if (result->serial <= derived_->serial) return;
    const bool had_sorties = !derived_->sorties.empty();
    if (result->plan != derived_->plan || result->terrain != derived_->terrain) {
        failure_.reset();
        failed_.reset();
    }
    derived_ = result;
    if (result->complete) {
        // A plan that is cut is handed over one sortie after the other, unless the whole is asked for.
        const int n = static_cast<int>(result->sorties.size());
        sortie_ = n == 0 ? 0 : !had_sorties ? 1 : std::min(sortie_, n);
        if (wanted_cut_ && result->plan == plan_) {
            for (const FlownSortiePtr& s : result->sorties)
                if (s->sortie.from == *wanted_cut_) sortie_ = s->sortie.number;
            wanted_cut_.reset();
        }
    }
    emit derivedChanged();
}

void PlanSession::chooseSortie(int number) {
    if (number == sortie_ || number < 0 || number > static_cast<int>(derived_->sorties.size())) return;
    sortie_ = number;
    failure_.reset();
    failed_.reset();
    emit derivedChanged();
}

const PlanView& PlanSession::flownView() const {
    return derived_->viewOf(sortie_);
}

Result<void> PlanSession::tryFailure(const Failure& failure) {
    if (!waitUntilDerived(5000)) return fail("the plan is still being worked out; try again in a moment");
    const PlanView& view = flownView();
    if (!view.sendable()) return fail("{}", view.not_sendable);
    RehearseOptions options;
    options.wind = wind_;
    options.failures = {failure};
    auto flown = rehearse(*plan_, view.program, terrain_, options);
    if (!flown) return tl::unexpected(flown.error());
    failure_ = failure;
    failed_ = std::make_shared<const Rehearsal>(std::move(*flown));
    emit derivedChanged();
    return {};
}

void PlanSession::clearFailure() {
    if (!failure_) return;
    failure_.reset();
    failed_.reset();
    emit derivedChanged();
}

std::shared_ptr<const Rehearsal> PlanSession::flownRehearsal() const {
    return failed_ ? failed_ : derived_->rehearsalOf(sortie_);
}

QString PlanSession::notRehearsed() const {
    return QString::fromStdString(derived_->notRehearsed(sortie_));
}

const std::vector<Finding>& PlanSession::flownFindings() const {
    return derived_->findingsOf(sortie_);
}

std::vector<Finding> PlanSession::findings() const {
    std::vector<Finding> out = derived_->findings;
    for (const auto* list : {&aircraft_findings_, &file_findings_}) out.insert(out.end(), list->begin(), list->end());
    std::stable_sort(out.begin(), out.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

QString PlanSession::findingsText() const {
    int counts[3] = {};
    for (const auto* list : {&derived_->findings, &aircraft_findings_, &file_findings_})
        for (const Finding& f : *list) ++counts[static_cast<int>(f.severity)];
    QStringList parts;
    const char* names[] = {"stop", "warn", "note"};
    for (int i = 0; i < 3; ++i)
        if (counts[i] > 0) parts << QString("%1 %2").arg(counts[i]).arg(names[i]);
    if (!parts.isEmpty()) return parts.join(" · ");
    if (plan_->items.empty()) return "nothing to check";
    return plan_->zones.empty() && plan_->covers.empty() ? "no findings, airspace not checked" : "no findings";
}

void PlanSession::setAircraftFindings(std::vector<Finding> findings) {
    const auto same = [](const Finding& a, const Finding& b) {
        return a.severity == b.severity && a.rule == b.rule && a.message == b.message;
    };
    if (std::equal(findings.begin(), findings.end(), aircraft_findings_.begin(), aircraft_findings_.end(), same))
        return;
    aircraft_findings_ = std::move(findings);
    emit aircraftFindingsChanged();
}

void PlanSession::beginSortieAt(const QString& name, const Cut& cut) {
    wanted_cut_ = cut;
    const PlanPtr before = plan_;
    edit(name, [&](Plan& p) { addCut(p, cut); });
    if (plan_ != before) return;
    // It is cut there already.
    wanted_cut_.reset();
    for (const FlownSortiePtr& s : derived_->sorties)
        if (s->sortie.from == cut) chooseSortie(s->sortie.number);
}

void PlanSession::cutIntoSorties() {
    if (cutting()) return;
    cutting_share_ = 0;
    cutter_.begin(
        [this, plan = plan_, terrain = terrain_, wind = wind_](const LatestTask::Run& run) {
            CutOptions options;
            options.wind = wind;
            options.stop = run.stop;
            options.progress = [this, &run](double share) {
                run.tell([this, share] {
                    cutting_share_ = share;
                    emit cuttingChanged();
                });
            };
            return suggestCuts(*plan, expand(*plan, terrain.get()), terrain, options);
        },
        [this, plan = plan_](const Result<std::vector<Cut>>& cuts) {
            QString how;
            if (!cuts) {
                how = "Not cut: " + QString::fromStdString(cuts.error().message);
            } else if (plan_ != plan) {
                how = "Not cut: the plan was changed meanwhile";
            } else {
                const auto made = edit("Cut into sorties", [&](Plan& p) { p.cuts = *cuts; });
                how = !made           ? "Not cut: " + QString::fromStdString(made.error().message)
                      : cuts->empty() ? QString("One battery carries the whole plan: nothing to cut")
                                      : QString("Cut into %1 sorties").arg(cuts->size() + 1);
            }
            emit cuttingChanged();
            emit cutEnded(how);
        });
    emit cuttingChanged();
}

void PlanSession::whenDerived(QObject* context, std::function<void()> then) {
    if (upToDate() && derived_->complete) return then();
    auto waiting = std::make_shared<QMetaObject::Connection>();
    *waiting = connect(this, &PlanSession::derivedChanged, context, [this, waiting, then = std::move(then)] {
        if (!upToDate() || !derived_->complete) return;
        disconnect(*waiting);
        then();
    });
}

bool PlanSession::waitUntilDerived(int timeout_ms) {
    if (!waitUntilViewed(timeout_ms)) return false;
    DerivedPtr result;
    {
        std::unique_lock lock(mutex_);
        const auto done = [this] {
            return result_ && result_->complete && result_->plan == plan_ && result_->terrain == terrain_ &&
                   result_->wind == wind_ && !job_;
        };
        if (!finished_.wait_for(lock, std::chrono::milliseconds(timeout_ms), done)) return false;
        result = result_;
    }
    take(result);
    return true;
}

bool PlanSession::waitUntilViewed(int timeout_ms) {
    DerivedPtr result;
    {
        std::unique_lock lock(mutex_);
        const auto done = [this] { return result_ && result_->plan == plan_ && result_->terrain == terrain_; };
        if (!finished_.wait_for(lock, std::chrono::milliseconds(timeout_ms), done)) return false;
        result = result_;
    }
    take(result);
    return true;
}

}  // namespace anhinga

#include "session/PlanSession.h"

#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {

/// View and findings; the rehearsal, if there is one, is that of an earlier snapshot for now.
std::shared_ptr<Derived> deriveView(PlanPtr plan, TerrainPtr terrain, Wind wind, const Derived* before) {
    auto d = std::make_shared<Derived>();
    d->plan = plan;
    d->terrain = terrain;
    d->view = viewOf(*plan, terrain.get());
    if (!d->view.mission) {
        d->not_rehearsed = QString::fromStdString(d->view.not_sendable);
    } else if (before != nullptr) {
        d->rehearsal = before->rehearsal;
        d->not_rehearsed = before->not_rehearsed;
    }
    std::optional<EnergyForecast> energy;
    if (d->rehearsal)
        energy = EnergyForecast{d->rehearsal->energy_left_percent, d->rehearsal->reached_reserve,
                                d->rehearsal->reserve_item};
    d->findings = check({*plan, d->view, terrain.get(), energy, wind.speed_mps});
    return d;
}

/// The same with its own rehearsal; nothing when it was overtaken.
DerivedPtr deriveRehearsal(const Derived& viewed, Wind wind, const std::stop_token& stop) {
    auto d = std::make_shared<Derived>(viewed);
    d->complete = true;
    d->rehearsal.reset();
    std::optional<EnergyForecast> energy;
    if (d->view.mission) {
        d->not_rehearsed.clear();
        auto r = rehearse(*d->plan, *d->view.mission, d->terrain, {wind, 6 * 3600, stop});
        if (r) {
            energy = EnergyForecast{r->energy_left_percent, r->reached_reserve, r->reserve_item};
            d->rehearsal = std::make_shared<const Rehearsal>(std::move(*r));
        } else {
            d->not_rehearsed = QString::fromStdString(r.error().message);
        }
    }
    if (stop.stop_requested()) return nullptr;
    d->findings = check({*d->plan, d->view, d->terrain.get(), energy, wind.speed_mps});
    return d;
}

}  // namespace

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

void PlanSession::set(PlanPtr plan) {
    plan_ = std::move(plan);
    std::set<ItemId> kept;
    for (const ItemId id : selection_)
        if (plan_->holds(id)) kept.insert(id);
    const bool lost = kept != selection_;
    selection_ = std::move(kept);
    request();
    emit planChanged();
    if (lost) emit selectionChanged();
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
    saved_ = std::make_shared<const Plan>(std::move(fresh));
    set(saved_);
    emit selectionChanged();
}

Result<void> PlanSession::load(const QString& path) {
    auto plan = loadPlan(path.toStdString());
    if (!plan) return tl::unexpected(plan.error());
    std::vector<std::string> files;
    for (const std::string& f : plan->terrain_files) files.push_back(resolveBeside(path.toStdString(), f));
    auto terrain = Terrain::open(files);
    if (!terrain) return tl::unexpected(terrain.error());
    path_ = path;
    terrain_ = *terrain;
    steps_.clear();
    position_ = 0;
    merge_ = 0;
    selection_.clear();
    saved_ = std::make_shared<const Plan>(std::move(*plan));
    set(saved_);
    emit terrainChanged();
    emit selectionChanged();
    return {};
}

Result<void> PlanSession::save(const QString& path) {
    if (auto ok = savePlan(*plan_, path.toStdString()); !ok) return ok;
    path_ = path;
    saved_ = plan_;
    emit planChanged();
    return {};
}

void PlanSession::replace(const QString& name, Plan plan) {
    edit(name, [&](Plan& p) { p = std::move(plan); });
}

void PlanSession::edit(const QString& name, const std::function<void(Plan&)>& change, int merge) {
    auto after = std::make_shared<Plan>(*plan_);
    change(*after);
    if (*after == *plan_) return;
    steps_.resize(position_);
    if (merge != 0 && merge == merge_ && !steps_.empty()) {
        steps_.back().after = after;
    } else {
        steps_.push_back({name, plan_, after});
    }
    merge_ = merge;
    position_ = steps_.size();
    set(after);
}

void PlanSession::undo() {
    if (!canUndo()) return;
    merge_ = 0;
    set(steps_[--position_].before);
}

void PlanSession::redo() {
    if (!canRedo()) return;
    merge_ = 0;
    set(steps_[position_++].after);
}

void PlanSession::select(std::set<ItemId> ids) {
    if (ids == selection_) return;
    selection_ = std::move(ids);
    emit selectionChanged();
}

void PlanSession::setWind(Wind wind) {
    wind_ = wind;
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
        auto viewed =
            deriveView(job.plan, job.terrain, job.wind, last && last->terrain == job.terrain ? last.get() : nullptr);
        viewed->serial = ++serial;
        publish(viewed);
        last = viewed;
        if (mine.stop_requested()) continue;
        auto whole = deriveRehearsal(*viewed, job.wind, mine);
        if (!whole) continue;
        std::const_pointer_cast<Derived>(whole)->serial = ++serial;
        publish(whole);
        last = whole;
    }
}

void PlanSession::publish(const DerivedPtr& result) {
    {
        const std::lock_guard lock(mutex_);
        result_ = result;
        finished_.notify_all();
    }
    QMetaObject::invokeMethod(this, [this, result] { take(result); });
}

void PlanSession::take(const DerivedPtr& result) {
    if (result->serial <= derived_->serial) return;
    derived_ = result;
    emit derivedChanged();
}

bool PlanSession::waitUntilDerived(int timeout_ms) {
    if (!waitUntilViewed(timeout_ms)) return false;
    DerivedPtr result;
    {
        std::unique_lock lock(mutex_);
        const auto done = [this] {
            return result_ && result_->complete && result_->plan == plan_ && result_->terrain == terrain_ && !job_;
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

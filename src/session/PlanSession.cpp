#include "session/PlanSession.h"

#include <QDir>
#include <QFileInfo>

#include "core/base/File.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {

/// View and findings; the rehearsal, if there is one, is that of an earlier snapshot for now.
std::shared_ptr<Derived> deriveView(PlanPtr plan, TerrainPtr terrain, Wind wind, const Derived* before) {
    auto d = std::make_shared<Derived>();
    d->plan = plan;
    d->terrain = terrain;
    d->view =
        before != nullptr ? viewOf(*plan, terrain.get(), *before->plan, before->view) : viewOf(*plan, terrain.get());
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
std::shared_ptr<Derived> deriveRehearsal(const Derived& viewed, Wind wind, const std::stop_token& stop) {
    std::shared_ptr<const Rehearsal> rehearsal;
    QString why_not = viewed.not_rehearsed;
    std::optional<EnergyForecast> energy;
    if (viewed.view.mission) {
        why_not.clear();
        auto r = rehearse(*viewed.plan, *viewed.view.mission, viewed.terrain, {wind, 6 * 3600, stop});
        if (r) {
            energy = EnergyForecast{r->energy_left_percent, r->reached_reserve, r->reserve_item};
            rehearsal = std::make_shared<const Rehearsal>(std::move(*r));
        } else {
            why_not = QString::fromStdString(r.error().message);
        }
    }
    if (stop.stop_requested()) return nullptr;
    // Only now is the view copied: most rehearsals begun during a drag are overtaken.
    auto d = std::make_shared<Derived>(viewed);
    d->complete = true;
    d->rehearsal = std::move(rehearsal);
    d->not_rehearsed = why_not;
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
    const TerrainPtr before = terrain_;
    followTerrain();
    request();
    emit planChanged();
    if (lost) emit selectionChanged();
    if (terrain_ != before) emit terrainChanged();
}

void PlanSession::followTerrain() {
    if (plan_->terrain_files == terrain_names_) return;
    std::vector<std::shared_ptr<const ElevationRaster>> rasters;
    for (const std::string& name : plan_->terrain_files) {
        const std::string path = resolveBeside(path_.toStdString(), name);
        std::shared_ptr<const ElevationRaster> raster;
        for (const auto& r : terrain_->rasters())
            if (r->path() == path) raster = r;
        if (!raster) {
            auto opened = ElevationRaster::open(path);
            if (!opened) return;
            raster = *opened;
        }
        rasters.push_back(raster);
    }
    terrain_names_ = plan_->terrain_files;
    if (rasters != terrain_->rasters()) terrain_ = std::make_shared<const Terrain>(std::move(rasters));
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
    edit("Add terrain", [&](Plan& p) { p.terrain_files.push_back(name); });
    return {};
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
    rememberDisk();
    terrain_ = *terrain;
    terrain_names_ = plan->terrain_files;
    steps_.clear();
    position_ = 0;
    merge_ = 0;
    selection_.clear();
    saved_ = std::make_shared<const Plan>(std::move(*plan));
    set(saved_);
    emit terrainChanged();
    emit selectionChanged();
    emit opened();
    return {};
}

Result<void> PlanSession::save(const QString& path) {
    if (auto ok = savePlan(*plan_, path.toStdString()); !ok) return ok;
    path_ = path;
    saved_ = plan_;
    rememberDisk();
    emit planChanged();
    return {};
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
        replace("Recovered changes", std::move(plan));
        return;
    }
    startNew();
    replace("Recovered changes", std::move(plan));
    emit opened();
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
        {
            // While edits come one on the heels of the other (a drag), rehearsing would only be in their way.
            constexpr auto kQuiet = std::chrono::milliseconds(60);
            std::unique_lock lock(mutex_);
            if (wake_.wait_for(lock, stop, kQuiet, [this] { return job_.has_value(); })) continue;
        }
        auto whole = deriveRehearsal(*viewed, job.wind, mine);
        if (!whole) continue;
        whole->serial = ++serial;
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

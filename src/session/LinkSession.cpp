#include "session/LinkSession.h"

#include <QDir>

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

QString cardText(const CameraSnapshot& camera) {
    if (camera.card == CardState::none) return "no card";
    if (camera.card == CardState::unformatted) return "card not formatted";
    if (!camera.free_mb) return {};
    constexpr double kGigabytes = 1024.0 * 1024 / 1e9;  // a MiB
    return QString("%1 GB free").arg(*camera.free_mb * kGigabytes, 0, 'f', 1);
}

LinkSession::LinkSession(const LinkWorld& world, QObject* parent)
    : QObject(parent), world_(world), timer_(*world.clock, 50) {
    connect(&timer_, &ClockTimer::timeout, this, [this] {
        vehicle_ = link_->snapshot();
        vehicles_ = link_->vehicles();
        tendBatches();
        emit vehicleChanged();
    });
}

LinkSession::~LinkSession() {
    // Whoever listens may be half gone already: an owner's members are taken down one by one.
    blockSignals(true);
    disconnectLink();
}

Result<void> LinkSession::connectTo(const QString& address) {
    VehicleLink::Options options;
    options.world = world_;
    QString record;
    if (!record_folder_.isEmpty()) {
        if (auto made = makePrivateFolder(record_folder_.toStdString()); !made) return tl::unexpected(made.error());
        record = record_folder_ + "/" + QDateTime::currentDateTimeUtc().toString("yyyyMMdd-HHmmss-zzz") + ".tlog";
        options.record_path = record.toStdString();
    }
    if (!passphrase_.isEmpty()) options.key = mavlink::signingKey(passphrase_.toStdString());
    disconnectLink();
    auto link = VehicleLink::open(address.toStdString(), options);
    if (!link) return tl::unexpected(link.error());
    link_ = std::move(*link);
    address_ = address;
    record_path_ = record;
    vehicle_ = {};
    vehicles_.clear();
    commands_.clear();
    parameters_.clear();
    logs_.clear();
    held_.reset();
    differences_.clear();
    kept_.clear();
    refused_.clear();
    seal_ = Seal::none;
    fingerprint_ = 0;
    timer_.start();
    emit stateChanged();
    emit parametersChanged();
    emit logsChanged();
    return {};
}

void LinkSession::flushRecording() {
    if (link_) link_->flushRecord();
}

QString LinkSession::recordProblem() const {
    return link_ ? QString::fromStdString(link_->recordError()) : QString();
}

void LinkSession::mark(const QString& note) {
    if (link_) link_->mark(note.toStdString());
}

void LinkSession::disconnectLink() {
    ++generation_;
    timer_.stop();
    transfer_ = {};
    commander_ = {};
    batches_.reset();
    const bool recorded = link_ && !record_path_.isEmpty();
    link_.reset();
    busy_ = false;
    for (CommandNote& c : commands_) {
        if (c.state != CommandNote::sent) continue;
        c.state = CommandNote::refused;
        c.reason = c.name + ": the connection ended before it was answered";
    }
    emit stateChanged();
    if (recorded) emit recordingEnded(record_path_);
}

void LinkSession::choose(int system) {
    if (!link_ || busy_ || system == vehicle_.system) return;
    ++generation_;
    link_->choose(system);
    vehicle_ = link_->snapshot();
    // What was known is known of another one.
    held_.reset();
    differences_.clear();
    kept_.clear();
    refused_.clear();
    parameters_.clear();
    logs_.clear();
    commands_.clear();
    seal_ = Seal::none;
    fingerprint_ = 0;
    emit stateChanged();
    emit parametersChanged();
    emit logsChanged();
}

// ---- long work

TransferOptions LinkSession::transferOptions() {
    TransferOptions options;
    options.progress = [this, generation = generation_, &clock = clock(), told_ms = 0.0](
                           double share, const std::string& text) mutable {
        // As often as it can be read, not for each of a thousand items.
        constexpr double kEvery_ms = 60;
        const double now_ms = clock.now_ms();
        if (share < 1 && now_ms - told_ms < kEvery_ms) return;
        told_ms = now_ms;
        mail_.post([this, share, generation, t = QString::fromStdString(text)] {
            if (generation != generation_) return;
            progress_ = share;
            progress_text_ = t;
            emit stateChanged();
        });
    };
    return options;
}

bool LinkSession::run(const QString& what, std::function<std::function<void()>(TransferOptions)> job) {
    if (!link_ || busy_) return false;
    busy_ = true;
    progress_ = 0;
    progress_text_ = what;
    emit stateChanged();
    transfer_ = clock().start([this, generation = generation_, job = std::move(job),
                               options = transferOptions()](const std::stop_token& stop) mutable {
        options.stop = stop;
        auto then = job(options);
        mail_.post([this, generation, then = std::move(then)] {
            if (generation != generation_) return;
            busy_ = false;
            then();
            emit stateChanged();
        });
    });
    return true;
}

void LinkSession::cancel() {
    transfer_.requestStop();
}

/// A plan file of what an aircraft held; its path, or empty when there is nothing to keep or nowhere to keep it.
std::string LinkSession::keepCopy(const HeldPlan& held) {
    if (copy_folder_.isEmpty() || held.empty()) return {};
    Plan base;
    base.title = "Held by the aircraft";
    const auto back = held.plan(base);
    if (!back || !makePrivateFolder(copy_folder_.toStdString())) return {};
    const QString path = copy_folder_ + "/aircraft-" + QDateTime::currentDateTimeUtc().toString("yyyyMMdd-HHmmss-zzz") +
                         ".anhinga.geojson";
    return savePlan(back->plan, path.toStdString(), {.private_file = true}) ? path.toStdString() : std::string();
}

void LinkSession::takeHandOver(const Result<HandOver>& result) {
    differences_.clear();
    kept_.clear();
    refused_.clear();
    if (!result) {
        seal_ = Seal::failed;
        seal_text_ = QString::fromStdString(result.error().message);
        held_.reset();
        return;
    }
    refused_ = result->refused;
    if (!refused_.empty()) {
        seal_ = Seal::failed;
        seal_text_ = QString("Nothing was sent to %1: %2")
                         .arg(QString::fromStdString(result->dialect), QString::fromStdString(refused_.front().reason));
        if (refused_.size() > 1) seal_text_ += QString(" (and %1 more: point here)").arg(refused_.size() - 1);
        return;
    }
    differences_ = result->differences;
    kept_ = result->kept;
    held_ = result->held;
    fingerprint_ = result->fingerprint;
    seal_time_ = QDateTime::currentDateTime();
    stored_ = false;
    store_answer_.clear();
    seal_ = result->verified ? Seal::sealed : Seal::differs;
    seal_text_ =
        result->verified
            ? QString("%1 items, %2 fence points and %3 rally points read back, all agree%4")
                  .arg(result->held.route())
                  .arg(result->held.fence())
                  .arg(result->held.rally())
                  .arg(kept_.empty() ? QString()
                                     : QString(" in meaning; %1 kept otherwise (point here)").arg(kept_.size()))
        : !result->objection.empty()
            ? QString("taken, and then found not valid: %1").arg(QString::fromStdString(result->objection))
            : (result->differences.size() == 1
                   ? QString("1 difference between plan and aircraft")
                   : QString("%1 differences between plan and aircraft").arg(result->differences.size()));
    if (result->verified) emit sealed(*result);
}

void LinkSession::handOver(const ToSend& plan, const TranslationInput& input) {
    if (!link_ || busy_) return;
    seal_ = Seal::none;
    seal_text_.clear();
    batches_.reset();
    run("waiting for the vehicle", [this, plan, input, known = held_](TransferOptions options) mutable {
        // What is there is read first: a copy is kept of what would be lost, and only the difference is sent.
        Result<HeldPlan> before = known ? Result<HeldPlan>(*known) : HeldPlan();
        std::string copy;
        const TransferOptions plain = options;
        if (!known) {
            TransferOptions reading = options;
            reading.progress = [plain](double share, const std::string& what) {
                report(plain, 0.1 * share, what + " before anything is sent");
            };
            before = readHeld(*link_, reading);
            if (before && before->firstDifference(plan.program)) copy = keepCopy(*before);
        }
        options.progress = [plain, known = known.has_value()](double share, const std::string& what) {
            report(plain, known ? share : 0.1 + 0.9 * share, what);
        };
        Result<HandOver> result = tl::unexpected(Error{"stopped"});
        if (!options.stop.stop_requested())
            result = anhinga::handOver(*link_, plan, options, before ? &*before : nullptr, input);
        return std::function<void()>([this, result = std::move(result), copy] {
            copy_path_ = QString::fromStdString(copy);
            takeHandOver(result);
        });
    });
}

Result<void> LinkSession::handOverBatches(const ToSend& plan, int limit, const TranslationInput& input) {
    if (!link_ || busy_) return fail("the link is busy");
    auto parts = BatchPlan::make(plan.program, limit);
    if (!parts) return tl::unexpected(parts.error());
    seal_ = Seal::none;
    batches_ = std::make_unique<BatchSender>(*link_, std::move(*parts));
    whole_fingerprint_ = planFingerprint(plan);
    batch_problem_.clear();
    run("sending the first batches", [this, plan, input](const TransferOptions& options) {
        auto result = batches_->begin(plan, options, input);
        return std::function<void()>([this, result = std::move(result)]() mutable {
            if (result) result->fingerprint = whole_fingerprint_;
            takeHandOver(result);
            if (seal_ == Seal::sealed)
                seal_text_ = QString("%1 of %2 batches read back and agree; the rest is sent in flight")
                                 .arg(batches_->sent())
                                 .arg(batches_->plan().parts());
            else
                batches_.reset();
        });
    });
    return {};
}

void LinkSession::tendBatches() {
    if (!batches_ || busy_ || !batches_->due(vehicle_)) return;
    run("sending the next batch", [this](const TransferOptions& options) {
        const auto ok = batches_->tend(options);
        return std::function<void()>([this, ok] {
            batch_problem_ = ok ? QString() : QString::fromStdString(ok.error().message);
            held_.reset();
            seal_text_ =
                QString("%1 of %2 batches read back and agree").arg(batches_->sent()).arg(batches_->plan().parts());
        });
    });
}

std::optional<int> LinkSession::flownItem() const {
    if (!vehicle_.mission_item || !batches_) return vehicle_.mission_item;
    const auto source = batches_->plan().sourceOf(static_cast<std::size_t>(*vehicle_.mission_item), batches_->part());
    return source ? std::optional(static_cast<int>(*source)) : std::nullopt;
}

void LinkSession::check(const ToSend& plan, const TranslationInput& input) {
    run("reading what the aircraft holds", [this, plan, input](const TransferOptions& options) {
        auto result = compareHeld(*link_, plan, options, input);
        return std::function<void()>([this, result = std::move(result)] { takeHandOver(result); });
    });
}

void LinkSession::storeForPowerOff() {
    if (seal_ != Seal::sealed) return;
    run("asking it to store the plan", [this](const TransferOptions& options) {
        auto ok = commandStoreMission(*link_, options.stop);
        return std::function<void()>([this, ok = std::move(ok)] {
            stored_ = ok.has_value();
            store_answer_ = ok ? QString() : QString::fromStdString(ok.error().message);
            if (stored_) emit storedAboard();
        });
    });
}

void LinkSession::clearAircraft() {
    run("reading what the aircraft holds", [this](const TransferOptions& options) {
        Result<void> cleared;
        std::string copy;
        if (const auto before = readHeld(*link_, options)) {
            copy = keepCopy(*before);
            for (const MissionType type : {MissionType::mission, MissionType::fence, MissionType::rally})
                if (cleared) cleared = uploadMission(*link_, type, {}, options);
        } else {
            cleared = tl::unexpected(before.error());
        }
        return std::function<void()>([this, cleared, copy] {
            copy_path_ = QString::fromStdString(copy);
            differences_.clear();
            seal_ = cleared ? Seal::none : Seal::failed;
            seal_text_ = cleared ? QString() : QString::fromStdString(cleared.error().message);
            fingerprint_ = 0;
            held_ = cleared ? std::optional(HeldPlan()) : std::nullopt;
        });
    });
}

void LinkSession::fetch() {
    run("asking the vehicle", [this](const TransferOptions& options) {
        auto held = readHeld(*link_, options);
        return std::function<void()>([this, held = std::move(held)] {
            if (!held) return emit fetchFailed(QString::fromStdString(held.error().message));
            held_ = *held;
            emit fetched(*held_);
        });
    });
}

std::vector<HoldState> LinkSession::states(const FlightProgram& program) const {
    HoldInput in{program};
    in.held = held_ ? &*held_ : nullptr;
    in.stored = stored_;
    if (vehicle_.armed && modeKind(vehicle_) == ModeKind::mission) in.flown = vehicle_.mission_item;
    if (busy_ && !held_) in.sent = static_cast<std::size_t>(progress_ * static_cast<double>(program.entries()));
    return holdStates(in);
}

// ---- commands

void LinkSession::command(const QString& name, Command command) {
    if (!link_) return;
    // One after the other. An order that comes before the answer to the last one is not sent, and that is said.
    for (const CommandNote& c : commands_)
        if (c.state == CommandNote::sent) {
            commands_.push_back({name, CommandNote::refused,
                                 name + ": not sent, still waiting for the answer to " + c.name,
                                 QDateTime::currentDateTime()});
            return emit stateChanged();
        }
    commands_.push_back({name, CommandNote::sent, "", QDateTime::currentDateTime()});
    link_->mark("command " + name.toStdString());
    const std::size_t index = commands_.size() - 1;
    emit stateChanged();
    commander_ = clock().start(
        [this, generation = generation_, command = std::move(command), index](const std::stop_token& stop) {
            const auto result = command(*link_, stop);
            mail_.post([this, generation, index, result] {
                if (generation != generation_ || index >= commands_.size()) return;
                commands_[index].state = result ? CommandNote::accepted : CommandNote::refused;
                if (!result) commands_[index].reason = QString::fromStdString(result.error().message);
                emit stateChanged();
            });
        });
}

void LinkSession::putKeyAboard() {
    if (passphrase_.isEmpty()) return;
    command("Put the key aboard",
            [key = mavlink::signingKey(passphrase_.toStdString())](VehicleLink& l, std::stop_token s) {
                return commandSetupSigning(l, key, std::move(s));
            });
}

// ---- parameters

void LinkSession::readParameters() {
    run("reading parameters", [this](const TransferOptions& options) {
        auto set = anhinga::readParameters(*link_, options);
        return std::function<void()>([this, set = std::move(set)] {
            if (!set) return emit parametersFailed(QString::fromStdString(set.error().message));
            parameters_ = *set;
            emit parametersChanged();
        });
    });
}

void LinkSession::setParameters(const ParameterSet& wanted) {
    run("setting parameters", [this, wanted](const TransferOptions& options) {
        ParameterSet done;
        std::string problem;
        double n = 0;
        for (const auto& [name, p] : wanted) {
            report(options, n++ / static_cast<double>(wanted.size()), "setting " + name);
            const auto held = setParameter(*link_, name, p, options);
            if (!held) {
                problem = held.error().message;
                break;
            }
            done[name] = *held;
        }
        return std::function<void()>([this, done, problem] {
            for (const auto& [name, p] : done) parameters_[name] = p;
            emit parametersChanged();
            if (!problem.empty()) emit parametersFailed(QString::fromStdString(problem));
        });
    });
}

// ---- onboard logs

void LinkSession::listLogs() {
    run("listing the logs", [this](const TransferOptions& options) {
        auto logs = anhinga::listLogs(*link_, options);
        return std::function<void()>([this, logs = std::move(logs)] {
            if (!logs) return emit logFailed(QString::fromStdString(logs.error().message));
            logs_ = *logs;
            emit logsChanged();
        });
    });
}

void LinkSession::fetchLog(const OnboardLog& log, const QString& path) {
    run("fetching the log", [this, log, path](TransferOptions options) {
        constexpr double kPatience_s = 60;  // a link that comes back goes on where it was
        options.silence_s = kPatience_s;
        auto got = anhinga::fetchLog(*link_, log, path.toStdString(), options);
        return std::function<void()>([this, got = std::move(got), path] {
            if (!got) return emit logFailed(QString::fromStdString(got.error().message));
            emit logFetched(path, got->seconds);
        });
    });
}

void LinkSession::eraseLogs() {
    run("erasing the logs", [this](const TransferOptions& options) {
        const auto done = anhinga::eraseLogs(*link_, options);
        return std::function<void()>([this, done] {
            if (!done) return emit logFailed(QString::fromStdString(done.error().message));
            logs_.clear();
            emit logsChanged();
        });
    });
}

}  // namespace anhinga

#include "session/ReviewSession.h"

namespace anhinga {

void ReviewSession::open(const QString& path) {
    openWith(path, [path](const LogWatch& watch) { return openLog(path.toStdString(), watch); });
}

void ReviewSession::openTable(const QString& path, const TableMapping& mapping) {
    openWith(path, [path, mapping](const LogWatch&) -> Result<LogPtr> {
        const auto bytes = mapFile(path.toStdString());
        if (!bytes) return tl::unexpected(bytes.error());
        return readTable(*bytes, path.toStdString(), mapping);
    });
}

void ReviewSession::openWith(const QString& path, std::function<Result<LogPtr>(const LogWatch&)> read) {
    opening_path_ = path;
    opening_share_ = 0;
    opener_.begin(
        [this, read = std::move(read)](const LatestTask::Run& run) {
            LogWatch watch;
            watch.stop = run.stop;
            watch.progress = [this, &run](double share) {
                run.tell([this, share] {
                    opening_share_ = share;
                    emit openingChanged();
                });
            };
            return read(watch);
        },
        [this, path](const Result<LogPtr>& log) {
            emit openingChanged();
            if (!log)
                emit failed(QString::fromStdString(log.error().message));
            else
                take(*log, path, false);
        });
    emit openingChanged();
}

void ReviewSession::stopOpening() {
    opener_.stop();
}

void ReviewSession::show(LogPtr log, const QString& title) {
    take(std::move(log), title, true);
}

void ReviewSession::take(LogPtr log, const QString& title, bool rehearsed) {
    file_log_ = log;
    aircraft_ = 0;
    rehearsed_ = rehearsed;
    path_ = title;
    put(std::move(log));
}

void ReviewSession::chooseAircraft(int number) {
    if (!file_log_ || number == aircraft_ || number < 0 || number > static_cast<int>(file_log_->others.size())) return;
    aircraft_ = number;
    put(number == 0 ? file_log_ : file_log_->others[static_cast<std::size_t>(number) - 1]);
}

void ReviewSession::put(LogPtr log) {
    log_ = std::move(log);
    mission_ = {};
    health_.clear();
    waits_ = false;
    diagnoser_.drop();  // what is being worked out is of another log
    emit logChanged();
}

void ReviewSession::compareWith(const PlanBeside& beside) {
    mission_ = log_ ? flownMission(*log_, beside) : FlownMission{};
}

void ReviewSession::diagnoseLog(int session, std::shared_ptr<const Plan> plan, bool even_large) {
    health_.clear();
    waits_ = false;
    diagnoser_.drop();
    if (!log_) return emit healthChanged();
    // Every inertial sample is read: what that takes is known without decoding.
    constexpr std::size_t kLarge = 30'000'000;
    std::size_t samples = 0;
    for (const ChannelInfo& c : log_->list())
        if (isCanonical(c.name)) samples += c.count;
    if (samples > kLarge && !even_large) {
        waits_ = true;
        return emit healthChanged();
    }
    diagnoser_.begin(
        [session, plan = std::move(plan), log = log_](const LatestTask::Run& run) {
            HealthOptions options;
            options.session = session;
            options.plan = plan.get();
            options.stop = run.stop;
            return diagnose(*log, options);
        },
        [this](std::vector<Answer> answers) {
            health_ = std::move(answers);
            emit healthChanged();
        });
    emit healthChanged();
}

}  // namespace anhinga

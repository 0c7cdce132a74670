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
    opening_ = true;
    opening_path_ = path;
    opening_share_ = 0;
    const unsigned number = ++openings_;
    emit openingChanged();
    opener_ = std::jthread([this, path, number, read = std::move(read)](const std::stop_token& stop) {
        LogWatch watch;
        watch.stop = stop;
        watch.progress = [this, number](double share) {
            mail_.post([this, number, share] {
                if (number != openings_ || !opening_) return;
                opening_share_ = share;
                emit openingChanged();
            });
        };
        auto log = read(watch);
        mail_.post([this, path, number, log = std::move(log)] {
            if (number != openings_) return;  // another one was asked for
            opening_ = false;
            emit openingChanged();
            if (!log)
                emit failed(QString::fromStdString(log.error().message));
            else
                take(*log, path, false);
        });
    });
}

void ReviewSession::stopOpening() {
    opener_.request_stop();
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
    ++diagnosis_;  // what is being worked out is of another log
    diagnosing_ = false;
    emit logChanged();
}

void ReviewSession::compareWith(const PlanBeside& beside) {
    mission_ = log_ ? flownMission(*log_, beside) : FlownMission{};
}

void ReviewSession::diagnoseLog(int session, std::shared_ptr<const Plan> plan, bool even_large) {
    health_.clear();
    waits_ = false;
    const unsigned number = ++diagnosis_;
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
    diagnosing_ = true;
    emit healthChanged();
    diagnoser_ = std::jthread([this, number, session, plan = std::move(plan), log = log_] {
        HealthOptions options;
        options.session = session;
        options.plan = plan.get();
        auto answers = diagnose(*log, options);
        mail_.post([this, number, answers = std::move(answers)]() mutable {
            if (number != diagnosis_) return;  // another log, or another session of it, was opened meanwhile
            diagnosing_ = false;
            health_ = std::move(answers);
            emit healthChanged();
        });
    });
}

}  // namespace anhinga

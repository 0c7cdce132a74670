#include "session/ReviewSession.h"

namespace anhinga {

void ReviewSession::open(const QString& path) {
    openWith(path, [path] { return openLog(path.toStdString()); });
}

void ReviewSession::openTable(const QString& path, const TableMapping& mapping) {
    openWith(path, [path, mapping]() -> Result<LogPtr> {
        const auto bytes = mapFile(path.toStdString());
        if (!bytes) return tl::unexpected(bytes.error());
        return readTable(*bytes, path.toStdString(), mapping);
    });
}

void ReviewSession::openWith(const QString& path, std::function<Result<LogPtr>()> read) {
    opening_ = true;
    opener_ = std::jthread([this, path, read = std::move(read)] {
        auto log = read();
        QMetaObject::invokeMethod(
            this,
            [this, path, log = std::move(log)] {
                opening_ = false;
                if (!log)
                    emit failed(QString::fromStdString(log.error().message));
                else
                    show(*log, path);
            },
            Qt::QueuedConnection);
    });
}

void ReviewSession::show(LogPtr log, const QString& title) {
    log_ = std::move(log);
    path_ = title;
    comparison_.reset();
    not_compared_.clear();
    emit logChanged();
}

void ReviewSession::compareWith(const std::vector<MissionItem>& mission, std::optional<double> home_amsl_m) {
    comparison_.reset();
    if (!log_) return;
    auto result = plannedAgainstFlown(mission, home_amsl_m, *log_);
    if (result)
        comparison_ = std::move(*result);
    else
        not_compared_ = QString::fromStdString(result.error().message);
}

}  // namespace anhinga

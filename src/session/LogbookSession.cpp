#include "session/LogbookSession.h"

#include <QCoreApplication>
#include <QDeadlineTimer>
#include <QDir>
#include <QFileInfo>
#include <QSettings>

#include "core/base/Text.h"

namespace anhinga {

namespace {
QString summaryOf(const LogbookAdded& a) {
    QString text = QString("%1 flights in %2 files added").arg(a.flights).arg(a.files);
    if (a.duplicates > 0) text += QString(", %1 files were known").arg(a.duplicates);
    if (a.not_logs > 0) text += QString(", %1 are no logs").arg(a.not_logs);
    if (!a.failed.empty())
        text += QString(", %1 cannot be read: %2").arg(a.failed.size()).arg(QString::fromStdString(a.failed.front()));
    return text;
}
}  // namespace

LogbookSession::LogbookSession(QObject* parent) : QObject(parent) {
    constexpr int kRested_ms = 1500;
    settle_.setSingleShot(true);
    settle_.setInterval(kRested_ms);
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, &settle_, qOverload<>(&QTimer::start));
    connect(&settle_, &QTimer::timeout, this, &LogbookSession::lookAtWatched);
}

LogbookSession::~LogbookSession() {
    cancel_.request_stop();
    worker_.request_stop();
    waiting_.notify_all();
    if (worker_.joinable()) worker_.join();
}

Result<std::shared_ptr<Logbook>> LogbookSession::book() {
    if (book_) return book_;
    auto opened = Logbook::open(file_.toStdString());
    if (!opened) return opened;
    book_ = *opened;
    return book_;
}

void LogbookSession::queue(Job job) {
    const auto opened = book();
    if (!opened) return emit failed(QString::fromStdString(opened.error().message));
    ++busy_;
    {
        const std::lock_guard lock(mutex_);
        jobs_.push_back(std::move(job));
    }
    if (!worker_.joinable()) worker_ = std::jthread([this](const std::stop_token& stop) { work(stop); });
    waiting_.notify_one();
}

void LogbookSession::work(const std::stop_token& stop) {
    while (!stop.stop_requested()) {
        Job job;
        std::stop_token cancelled;
        {
            std::unique_lock lock(mutex_);
            if (!waiting_.wait(lock, stop, [this] { return !jobs_.empty(); })) return;
            job = std::move(jobs_.front());
            jobs_.pop_front();
            cancelled = cancel_.get_token();
        }
        job(*book_, cancelled);
        mail_.post([this] {
            --busy_;
            share_ = 0;
            doing_.clear();
            emit progress();
        });
    }
}

bool LogbookSession::waitUntilIdle(int ms) {
    const QDeadlineTimer end(ms);
    while (busy() && !end.hasExpired()) QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 20);
    return !busy();
}

void LogbookSession::report(const Result<void>& result) {
    mail_.post([this, result] {
        if (!result) emit failed(QString::fromStdString(result.error().message));
        emit changed();
    });
}

void LogbookSession::add(const QString& path, LogPtr log, const QString& plan_path) {
    queue([this, path = path.toStdString(), plan = plan_path.toStdString(), log = std::move(log)](
              Logbook& book, const std::stop_token&) {
        const auto ok = book.add(path, *log, plan);
        report(ok ? Result<void>() : tl::unexpected(ok.error()));
    });
}

void LogbookSession::add(const QString& path, bool only_flown, const QString& plan_path) {
    queue([this, path = path.toStdString(), plan = plan_path.toStdString(), only_flown](Logbook& book,
                                                                                        const std::stop_token&) {
        const auto log = openLog(path);
        if (!log) {
            if (!only_flown) report(tl::unexpected(log.error()));
            return;
        }
        constexpr double kFlown_m = 2;
        bool flown = false;
        for (const LogbookEntry& e : entriesOf(**log)) flown |= e.top_height_home_m >= kFlown_m;
        if (only_flown && !flown) return;
        const auto ok = book.add(path, **log, plan);
        report(ok ? Result<void>() : tl::unexpected(ok.error()));
    });
}

void LogbookSession::watchFolder(const QString& folder) {
    if (!watcher_.directories().isEmpty()) watcher_.removePaths(watcher_.directories());
    watched_ = folder;
    QSettings().setValue("logbook/watched", folder);
    if (folder.isEmpty()) return settle_.stop();
    if (!QFileInfo(folder).isDir()) return emit failed(folder + ": the folder that is watched for logs is not there");
    watcher_.addPath(folder);
    settle_.start();  // what came while nobody watched
}

/// A file that is still being copied changes without a word from the folder: wait until all have rested.
void LogbookSession::lookAtWatched() {
    if (watched_.isEmpty()) return;
    const QDateTime now = QDateTime::currentDateTime();
    for (const QFileInfo& file : QDir(watched_).entryInfoList(QDir::Files))
        if (file.lastModified().msecsTo(now) < settle_.interval()) return settle_.start();
    importWith(watched_, true);
}

void LogbookSession::importFolder(const QString& folder) {
    importWith(folder, false);
}

void LogbookSession::importWith(const QString& folder, bool only_new) {
    cancel_ = {};
    queue([this, only_new, folder = folder.toStdString()](Logbook& book, const std::stop_token& stop) {
        double said_ms = -1e9;
        const auto done = book.addFolder(
            folder,
            [&](int n, int of, const std::string& file) {
                constexpr double kApart_ms = 60;
                if (monotonicMs() - said_ms < kApart_ms) return;
                said_ms = monotonicMs();
                mail_.post([this, n, of, file] {
                    share_ = of > 0 ? static_cast<double>(n) / of : 0;
                    doing_ = QString("%1 of %2: %3")
                                 .arg(n + 1)
                                 .arg(of)
                                 .arg(QFileInfo(QString::fromStdString(file)).fileName());
                    emit progress();
                });
            },
            stop, only_new);
        const bool stopped = stop.stop_requested();
        mail_.post([this, done, stopped, only_new] {
            if (!done) return emit failed(QString::fromStdString(done.error().message));
            // Nothing new in a watched folder is not worth a word.
            if (only_new && done->flights == 0 && done->failed.empty()) return;
            emit changed();
            emit imported(summaryOf(*done) + (stopped ? "; stopped" : ""));
        });
    });
    emit progress();
}

void LogbookSession::cancel() {
    cancel_.request_stop();
}

void LogbookSession::open(const LogbookEntry& entry) {
    queue([this, entry](Logbook&, const std::stop_token&) {
        const QString path = QString::fromStdString(entry.path);
        QString why;
        if (!QFileInfo(path).isFile())
            why = path + ": is not there any more";
        else if (!isTheFileOf(entry))
            why = path + ": is another flight now; the one noted here was replaced by it";
        mail_.post([this, path, why] {
            if (why.isEmpty())
                emit opened(path);
            else
                emit failed(why);
        });
    });
}

void LogbookSession::change(const LogbookEntry& entry) {
    const auto opened = book();
    const Result<void> ok = opened ? (*opened)->change(entry) : tl::unexpected(opened.error());
    if (!ok) emit failed(QString::fromStdString(ok.error().message));
    emit changed();
}

void LogbookSession::remove(const std::vector<std::int64_t>& ids) {
    const auto opened = book();
    const Result<void> ok = opened ? (*opened)->remove(ids) : tl::unexpected(opened.error());
    if (!ok) emit failed(QString::fromStdString(ok.error().message));
    emit changed();
}

void LogbookSession::addNote(const QString& vehicle, const QString& text) {
    const auto opened = book();
    const Result<void> ok =
        opened ? (*opened)->addNote({0, std::floor(unixNow()), vehicle.toStdString(), text.toStdString()})
               : tl::unexpected(opened.error());
    if (!ok) emit failed(QString::fromStdString(ok.error().message));
    emit changed();
}

void LogbookSession::removeNote(std::int64_t id) {
    const auto opened = book();
    const Result<void> ok = opened ? (*opened)->removeNote(id) : tl::unexpected(opened.error());
    if (!ok) emit failed(QString::fromStdString(ok.error().message));
    emit changed();
}

}  // namespace anhinga

// The logbook for the windows: flights are added in the background, one file after the other; a folder is imported with
// progress and can be stopped.
#pragma once

#include <QFileSystemWatcher>
#include <QObject>
#include <QString>
#include <QTimer>
#include <condition_variable>
#include <deque>
#include <memory>
#include <thread>

#include "core/logbook/Logbook.h"
#include "session/Mailbox.h"

namespace anhinga {

class LogbookSession : public QObject {
    Q_OBJECT
  public:
    explicit LogbookSession(QObject* parent = nullptr);
    ~LogbookSession() override;

    /// Where the logbook lies; opened at its first use. On failure the reason, and there is no logbook.
    void setFile(const QString& path) { file_ = path; }
    Result<std::shared_ptr<Logbook>> book();

    /// A log that is open already.
    void add(const QString& path, LogPtr log, const QString& plan_path = {});
    /// A log file; of a recording only when something was flown in it.
    void add(const QString& path, bool only_flown, const QString& plan_path = {});
    void importFolder(const QString& folder);
    /// Logs that appear in this folder come into the logbook by themselves; empty: none is watched. Remembered.
    void watchFolder(const QString& folder);
    QString watchedFolder() const { return watched_; }
    void cancel();
    bool busy() const { return busy_ > 0; }
    double share() const { return share_; }
    QString doing() const { return doing_; }
    /// Waits until nothing is left to do. False after the time.
    bool waitUntilIdle(int ms);

    /// Looks whether the file of an entry is still what it was; opened(), or failed() with the reason.
    void open(const LogbookEntry& entry);
    /// Keeps what the operator changed of an entry.
    void change(const LogbookEntry& entry);
    void remove(const std::vector<std::int64_t>& ids);
    void addNote(const QString& vehicle, const QString& text);
    void removeNote(std::int64_t id);

  signals:
    void changed();   // entries or notes are others
    void progress();  // busy(), share(), doing()
    void imported(const QString& summary);
    void failed(const QString& why);
    void opened(const QString& path);

  private:
    using Job = std::function<void(Logbook&, const std::stop_token&)>;
    void queue(Job job);
    void work(const std::stop_token& stop);
    void report(const Result<void>& result);

    void lookAtWatched();
    void importWith(const QString& folder, bool only_new);

    QString watched_;
    QFileSystemWatcher watcher_;
    QTimer settle_;
    QString file_, doing_;
    std::shared_ptr<Logbook> book_;
    int busy_ = 0;
    double share_ = 0;
    std::mutex mutex_;
    std::condition_variable_any waiting_;
    std::deque<Job> jobs_;
    std::stop_source cancel_;
    Mailbox mail_;  // before the thread that posts
    std::jthread worker_;
};

}  // namespace anhinga

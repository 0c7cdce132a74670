// The open flight log, its review against the plan and its health report. Opening and diagnosing run in the background;
// a failure leaves the open log.
#pragma once

#include <QObject>
#include <QString>
#include <memory>

#include "core/logio/LogReader.h"
#include "core/logio/TableLog.h"
#include "core/plan/Plan.h"
#include "core/program/Program.h"
#include "core/review/FlownMission.h"
#include "core/review/Health.h"
#include "session/LatestTask.h"

namespace anhinga {

class ReviewSession : public QObject {
    Q_OBJECT
  public:
    explicit ReviewSession(QObject* parent = nullptr) : QObject(parent) {}
    LogPtr log() const { return log_; }
    QString path() const { return path_; }
    bool opening() const { return opener_.busy(); }
    QString openingPath() const { return opening_path_; }
    double openingShare() const { return opening_share_; }
    /// What is being read is given up; the open log stays.
    void stopOpening();
    void open(const QString& path);
    /// The same for a table whose columns are known.
    void openTable(const QString& path, const TableMapping& mapping);
    /// A log that is not from a file (a rehearsal).
    void show(LogPtr log, const QString& title);
    /// One that was read or rehearsed already.
    void showAgain(LogPtr log, const QString& title, bool rehearsed) { take(std::move(log), title, rehearsed); }
    /// The log of the whole file: with several aircraft in it, log() is that of one of them.
    LogPtr fileLog() const { return file_log_; }
    /// Shows another aircraft of the file: 0 its first one.
    void chooseAircraft(int number);
    int aircraft() const { return aircraft_; }
    /// Holds the log against the mission it holds, else against this plan where it was what was flown.
    void compareWith(const PlanBeside& beside);
    const FlownMission& mission() const { return mission_; }
    const std::optional<PlannedFlown>& comparison() const { return mission_.figures; }
    QString notCompared() const { return QString::fromStdString(mission_.not_compared); }
    /// It is not from a file: a rehearsal of the open plan.
    bool rehearsed() const { return rehearsed_; }

    /// The health report of the log or of one session of it (-1: all), judged by this plan where there is one. Large
    /// logs wait until they are asked for: `even_large`.
    void diagnoseLog(int session, std::shared_ptr<const Plan> plan, bool even_large = false);
    bool diagnosing() const { return diagnoser_.busy(); }
    /// It would take long: nothing was done.
    bool waitsForDiagnosis() const { return waits_; }
    const std::vector<Answer>& health() const { return health_; }

  signals:
    void logChanged();
    void failed(const QString& why);
    void healthChanged();
    void openingChanged();  // begun, further, or done

  private:
    void openWith(const QString& path, std::function<Result<LogPtr>(const LogWatch&)> read);
    void take(LogPtr log, const QString& title, bool rehearsed);
    void put(LogPtr log);
    LogPtr log_, file_log_;
    int aircraft_ = 0;
    QString path_;
    bool waits_ = false;
    FlownMission mission_;
    bool rehearsed_ = false;
    std::vector<Answer> health_;
    QString opening_path_;
    double opening_share_ = 0;
    LatestTask opener_, diagnoser_;
};

}  // namespace anhinga

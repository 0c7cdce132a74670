// Keeps the newest unsaved state of a plan on disk, in the background, a moment after each edit.
#pragma once

#include <QTimer>
#include <condition_variable>
#include <mutex>
#include <optional>
#include <thread>

#include "core/plan/KeptPlan.h"
#include "session/Mailbox.h"
#include "session/PlanSession.h"

namespace anhinga {

class UnsavedKeeper : public QObject {
    Q_OBJECT
  public:
    UnsavedKeeper(PlanSession* session, QString folder, QObject* parent = nullptr);
    ~UnsavedKeeper() override;
    /// The present state is on disk when this returns (or there is nothing unsaved and no copy).
    void flush();
    QString folder() const { return folder_; }
    /// Why changes are not being kept safe; empty when they are.
    QString problem() const { return problem_; }

  signals:
    void problemChanged(const QString& problem);

  private:
    void request();
    void work(const std::stop_token& stop);
    Result<void> keep(const Plan& plan, const std::string& original);

    PlanSession* session_;
    QString folder_, problem_;
    QTimer soon_;
    struct Job {
        PlanPtr plan;  // null: nothing unsaved
        std::string original;
    };
    std::mutex mutex_;
    std::condition_variable_any wake_, done_;
    std::optional<Job> job_;
    bool busy_ = false;
    KeptCopy copy_;
    Mailbox mail_;  // before the thread that posts
    std::jthread worker_;
};

}  // namespace anhinga

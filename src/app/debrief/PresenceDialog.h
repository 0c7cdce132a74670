// Presence: a place, one flight or the whole logbook, and the page that answers for it.
#pragma once

#include <QDialog>

#include "core/review/PresencePage.h"
#include "session/LatestTask.h"
#include "session/LogbookSession.h"
#include "session/PlanSession.h"
#include "session/ReviewSession.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTextBrowser;

namespace anhinga {

class PresenceDialog : public QDialog {
    Q_OBJECT
  public:
    PresenceDialog(PlanSession* plan, ReviewSession* review, LogbookSession* book, QWidget* parent = nullptr);
    ~PresenceDialog() override;
    /// `around`: what a point is proposed as.
    void present(GeoPoint around);
    bool saveTo(const QString& path);
    const PresencePageInput& page() const { return page_; }

  signals:
    void message(const QString& text);

  private:
    void fillPlaces();
    std::optional<std::pair<PresencePlace, std::string>> place();
    void work();
    void show(PresencePageInput page, const std::vector<std::vector<GeoPoint>>& tracks);
    PlanSession* plan_;
    ReviewSession* review_;
    LogbookSession* book_;
    QComboBox *place_, *over_;
    QLineEdit *point_, *radius_;
    QPushButton *look_, *stop_, *save_, *print_;
    QProgressBar* progress_;
    QLabel* summary_;
    QTextBrowser* view_;
    PresencePageInput page_;
    std::string html_;
    LatestTask looker_;
};

}  // namespace anhinga

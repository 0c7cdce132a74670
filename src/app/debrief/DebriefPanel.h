// Debrief: the open log, its channels (a click adds a trace), planned against flown, export.
#pragma once

#include <QWidget>
#include <set>

#include "app/debrief/TraceBand.h"
#include "app/rehearse/RehearsePanel.h"
#include "session/LatestTask.h"
#include "session/PlanSession.h"
#include "session/ReviewSession.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QProgressBar;
class QPushButton;
class QToolButton;
class QTableWidget;
class QTreeWidget;
class QTreeWidgetItem;

namespace anhinga {

/// Left: the log, its flights, and its channels as a tree. A click draws a channel on the left axis, with Shift on the
/// right one, with Ctrl on a plot of its own; again takes it away.
class ChannelPanel : public QWidget {
    Q_OBJECT
  public:
    ChannelPanel(ReviewSession* review, TraceBand* band, QWidget* parent = nullptr);
    void refresh();

  signals:
    void openWanted();
    void exportWanted();
    void logbookWanted();
    void reportWanted();
    void spectrumWanted();
    /// What the columns of the open table are.
    void columnsWanted();
    void compareWanted();
    void parametersWanted();
    void presenceWanted();
    void relationWanted();
    void colourTrackWanted(const QString& channel);

  private:
    void fill();
    void fillSessions();
    void clicked(QTreeWidgetItem* item, int column);
    void menuAt(const QPoint& at);
    void editFormula(const QString& name);
    ReviewSession* review_;
    TraceBand* band_;
    QLabel* title_;
    QProgressBar* reading_;
    QPushButton *stop_, *columns_;
    QComboBox* sessions_;
    QToolButton* presets_;
    QLineEdit* search_;
    QTreeWidget* tree_;
    std::set<QString> open_groups_;
    bool filling_ = false;
};

/// Right: planned against flown, events.
class ComparisonPanel : public QWidget {
    Q_OBJECT
  public:
    ComparisonPanel(ReviewSession* review, PlanSession* plan, QWidget* parent = nullptr);
    void refresh();

  signals:
    void goTo(double t_s);
    /// To hold it against the open plan all the same.
    void openPlanWanted();
    /// Planned photos that were missed, to be seen on the map.
    void missedFound(const std::vector<GeoPoint>& places);

  private:
    ReviewSession* review_;
    PlanSession* plan_;
    FiguresView* figures_;
    QTableWidget* legs_;
    QLabel *photos_, *against_;
    QPushButton* anyway_;
    QListWidget* events_;
    LatestTask photo_looker_;
    void lookAtPhotos();
};

}  // namespace anhinga

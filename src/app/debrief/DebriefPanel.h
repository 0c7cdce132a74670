// Debrief: the open log, its channels (a click adds a trace), planned against flown, export.
#pragma once

#include <QWidget>

#include "app/debrief/TraceBand.h"
#include "app/rehearse/RehearsePanel.h"
#include "session/PlanSession.h"
#include "session/ReviewSession.h"

class QLabel;
class QLineEdit;
class QListWidget;

namespace anhinga {

/// Left: the log and its channels.
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

  private:
    void fill();
    ReviewSession* review_;
    TraceBand* band_;
    QLabel* title_;
    QPushButton* columns_;
    QLineEdit* search_;
    QListWidget* list_;
};

/// Right: planned against flown, events.
class ComparisonPanel : public QWidget {
    Q_OBJECT
  public:
    ComparisonPanel(ReviewSession* review, PlanSession* plan, QWidget* parent = nullptr);
    void refresh();

  signals:
    void goTo(double t_s);

  private:
    ReviewSession* review_;
    PlanSession* plan_;
    FiguresView* figures_;
    QListWidget* events_;
};

}  // namespace anhinga

// Two flights side by side: the same measures of both and which changed beyond noise, parameters that differ, what was
// noted of the aircraft in between, one channel of both laid over each other at take-off.
#pragma once

#include <QDialog>

#include "app/widgets/Theme.h"
#include "core/review/Compare.h"
#include "session/LatestTask.h"
#include "session/LogbookSession.h"
#include "session/ReviewSession.h"
#include "session/TraceModel.h"

class QComboBox;
class QDoubleSpinBox;
class QPushButton;
class QCustomPlot;
class QLabel;
class QTableWidget;

namespace anhinga {

class FlightsDialog : public QDialog {
    Q_OBJECT
  public:
    FlightsDialog(ReviewSession* review, LogbookSession* book, TraceModel* traces, QWidget* parent = nullptr);
    ~FlightsDialog() override;
    void setTheme(const Theme& theme);
    /// The open flight is the one before, or after where it was flown later.
    void present();
    /// The other flight, from a file of any kind of log.
    void openOther(const QString& path);
    const std::optional<FlightComparison>& comparison() const { return comparison_; }

  signals:
    void message(const QString& text);

  private:
    void fillBook();
    void drawBeside();
    void showBeside();
    void work();
    void draw();
    ReviewSession* review_;
    LogbookSession* book_;
    TraceModel* traces_;
    Theme theme_ = Theme::light();
    QComboBox *other_box_, *channel_, *align_;
    QDoubleSpinBox* shift_;
    QPushButton* beside_;
    QTableWidget *measures_, *changes_;
    QLabel *heads_, *caution_;
    QCustomPlot* plot_;
    LogPtr other_;
    std::weak_ptr<const FlightLog> open_;  // the open one as last looked at; nothing is kept for it
    QString other_path_, open_path_;
    std::optional<FlightComparison> comparison_;
    bool open_is_after_ = false;
    LatestTask reader_;
};

}  // namespace anhinga

// Every channel of the open log as it was at the cursor, under the aircraft as it flew at that moment.
#pragma once

#include <QWidget>

#include "app/widgets/ValuesView.h"
#include "core/flightlog/FlightLog.h"
#include "session/LatestTask.h"
#include "session/TraceModel.h"

namespace anhinga {

class Instrument;

class ValuesPanel : public QWidget {
    Q_OBJECT
  public:
    explicit ValuesPanel(TraceModel* model, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    ValuesView& values() { return *values_; }

  signals:
    /// To draw it, or not any more.
    void traceWanted(const QString& channel);

  protected:
    void showEvent(QShowEvent*) override;

  private:
    void take();
    void look();
    TraceModel* model_;
    Instrument* instrument_;
    ValuesView* values_;
    LogPtr of_;
    LatestTask looker_;
};

}  // namespace anhinga

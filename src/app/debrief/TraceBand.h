// Traces of a log: several channels on two axes, mode bands behind, a cursor tied to the map.
#pragma once

#include <QColor>
#include <QWidget>
#include <memory>
#include <vector>

#include "app/widgets/Theme.h"
#include "core/logio/LogReader.h"

class QCustomPlot;
class QCPItemLine;
class QCPItemText;

namespace anhinga {

class TraceBand : public QWidget {
    Q_OBJECT
  public:
    explicit TraceBand(QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void setLog(LogPtr log);
    struct Trace {
        std::string name;
        bool right = false;
    };
    void setTraces(std::vector<Trace> traces);
    const std::vector<Trace>& traces() const { return traces_; }
    QColor colourOf(std::size_t index) const;
    void setCursor(double t_s);
    double cursor() const { return t_s_; }
    void showAll();
    QCustomPlot* plot() { return plot_; }

  signals:
    void cursorMoved(double t_s);

  private:
    void rebuild();
    void refreshData();
    void drawCursor();

    Theme theme_ = Theme::light();
    LogPtr log_;
    std::vector<Trace> traces_;
    QCustomPlot* plot_;
    QCPItemLine* line_ = nullptr;
    QCPItemText* text_ = nullptr;
    double t_s_ = 0;
};

}  // namespace anhinga

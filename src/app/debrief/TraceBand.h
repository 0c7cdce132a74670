// Traces of a log, drawn by ourselves: stacked plots over one time axis, two axes each, mode bands behind, events
// below, two cursors. Every redraw takes a time that depends on the pixels alone (core/analysis/Pyramid).
#pragma once

#include <QColor>
#include <QWidget>
#include <optional>
#include <vector>

#include "app/widgets/Theme.h"
#include "session/TraceModel.h"

namespace anhinga {

class TraceBand : public QWidget {
    Q_OBJECT
  public:
    explicit TraceBand(TraceModel* model, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    TraceModel& model() { return *model_; }
    const std::vector<Trace>& traces() const { return model_->traces(); }
    QColor colourOf(std::size_t index) const;
    double cursor() const { return model_->cursor(); }
    /// Time at a place of the widget, and back.
    double timeAt(double x) const;
    double xOf(double t_s) const;
    QRectF plotRect(int plot) const;
    /// What the vertical axes of a plot show: left, or right.
    std::pair<double, double> valueRange(int plot, bool right) const;
    void copyPicture();
    /// What is in view, of every trace, as a table with tabs.
    void copyData();
    double lastFrameMs() const { return frame_ms_; }

  signals:
    void cursorMoved(double t_s);  // by hand
    /// A look at two channels against each other, or at how often a value comes.
    void relationWanted();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    bool event(QEvent*) override;

  private:
    struct Axis {
        double low = 0, high = 1;
        bool any = false, fixed = false;  // fixed: by a box drawn with the mouse
        double y(double v, const QRectF& r) const { return r.bottom() - (v - low) / (high - low) * r.height(); }
    };
    struct Drawn {
        std::vector<Pyramid::Column> columns;
    };
    enum class Grip { none, cursor, second, pan, box };

    int plotAt(double y) const;
    void measure();
    void paintModes(QPainter& p) const;
    void paintPlot(QPainter& p, int plot) const;
    void paintTrace(QPainter& p, std::size_t index, const QRectF& rect, const Axis& axis) const;
    void measureBeside(std::size_t index, Axis& axis);
    void paintBeside(QPainter& p, std::size_t index, const QRectF& rect, const Axis& axis) const;
    void paintBesideName(QPainter& p, const QRectF& rect) const;
    QString besideAtCursor(const Trace& trace) const;
    void paintTimes(QPainter& p) const;
    void paintEvents(QPainter& p) const;
    void paintCursors(QPainter& p) const;
    QString textAtCursor() const;

    Theme theme_ = Theme::light();
    TraceModel* model_;
    std::vector<Drawn> drawn_, beside_;
    std::vector<std::array<Axis, 2>> axes_;
    std::vector<std::optional<std::array<std::pair<double, double>, 2>>> boxes_;  // a plot's own values in view
    Grip grip_ = Grip::none;
    QPointF from_, to_;
    bool right_axis_ = false;
    double frame_ms_ = 0;
};

}  // namespace anhinga

// The band at the bottom: a height profile along the route (Draft) or values over time (the other workspaces).
// It shares its cursor with the map: both emit and take a place or a time.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

#include "app/widgets/Theme.h"
#include "session/PlanSession.h"

namespace anhinga {

/// Axes, margins and mapping shared by both bands.
class BandFrame : public QWidget {
  public:
    explicit BandFrame(QWidget* parent) : QWidget(parent) {
        setMouseTracking(true);
        setMinimumHeight(110);
    }
    void setTheme(const Theme& theme) {
        theme_ = theme;
        update();
    }

  protected:
    QRectF plot() const { return QRectF(rect()).adjusted(58, 22, -58, -26); }
    double toX(double v) const { return plot().left() + (v - x0_) / std::max(1e-9, x1_ - x0_) * plot().width(); }
    double toY(double v) const { return plot().bottom() - (v - y0_) / std::max(1e-9, y1_ - y0_) * plot().height(); }
    double fromX(double x) const { return x0_ + (x - plot().left()) / plot().width() * (x1_ - x0_); }
    double fromY(double y) const { return y0_ + (plot().bottom() - y) / plot().height() * (y1_ - y0_); }
    /// Round numbers of the unit shown; `y_unit` is one of it in the unit of the values.
    void paintAxes(QPainter& p, const QString& y_title, double y_unit);
    /// Beside `x`, at the top or, where the line runs there, at the bottom.
    void paintNote(QPainter& p, double x, const QStringList& lines, const QColor& edge, bool at_bottom = false);

    Theme theme_ = Theme::light();
    double x0_ = 0, x1_ = 1, y0_ = 0, y1_ = 1;
};

/// Draft: terrain, margin and route over distance. Points are dragged up and down; a double click inserts one.
class ProfileBand : public BandFrame {
    Q_OBJECT
  public:
    ProfileBand(PlanSession* session, QWidget* parent = nullptr);
    void setCursorPlace(std::optional<GeoPoint> place);
    /// Where an item's point is drawn; (-1, -1) when it is not.
    QPointF screenPointOf(ItemId item) const;

  signals:
    void hovered(std::optional<GeoPoint> place);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;

  private:
    void rebuild();
    ItemId pointAt(QPointF at) const;
    const ProfileSample* sampleAt(double along_m) const;

    PlanSession* session_;
    std::optional<double> cursor_m_;
    std::optional<double> amslOfItem(const Plan& plan, const Item& item) const;
    ItemId dragged_ = 0;
    std::optional<double> grabbed_;  // height AMSL of the dragged point as last set
    int drag_number_ = 500000;
};

/// A line over time. Its own scale is fitted when `right` is set, else it shares the left axis.
struct TimeLine {
    QString name, unit;
    QColor colour;
    std::vector<double> t_s, value;
    bool right = false;
    bool dashed = false;
};

/// Rehearse and Field: heights on the left axis, percent on the right, mode bands behind, a play head.
class TimeBand : public BandFrame {
    Q_OBJECT
  public:
    explicit TimeBand(QWidget* parent = nullptr);
    void setLines(std::vector<TimeLine> lines, double duration_s);
    /// Each from its time on; the last one until `until_s`.
    void setModes(std::vector<std::pair<double, QString>> modes, double until_s = INFINITY);
    void setPlayHead(std::optional<double> t_s);

  signals:
    /// Pressed or dragged: the play head is wanted here.
    void scrubbed(double t_s);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;

  private:
    std::vector<TimeLine> lines_;
    std::vector<std::pair<double, QString>> modes_;
    double modes_until_s_ = INFINITY;
    std::optional<double> head_s_, hover_s_;
    double right_low_ = 0, right_high_ = 100;
};

}  // namespace anhinga

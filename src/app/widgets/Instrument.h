// The aircraft as it flies, for reading at arm's length: seen from behind over a level horizon, with speed and height
// beside it and the heading below. Drawn here; nothing is shown that was not received. While it flies, another speed or
// height is set on its tapes: dragged, or typed after a click; *Fly so* orders it.
#pragma once

#include <QWidget>
#include <optional>

#include "app/widgets/Theme.h"
#include "core/watch/Progress.h"

class QLineEdit;
class QPushButton;

namespace anhinga {

class Instrument : public QWidget {
    Q_OBJECT
  public:
    explicit Instrument(QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    /// `alive`: false while nothing is heard; what was last heard is then drawn pale.
    /// `over_ground_m`: above the terrain beneath it; nothing where that is unknown.
    void show(const VehicleSnapshot& vehicle, const std::optional<FlightProgress>& progress, bool wing, bool alive,
              std::optional<double> over_ground_m);

    /// What is set and not ordered yet, m/s and metres above home.
    std::optional<double> wishedSpeed() const { return speed_.wish; }
    std::optional<double> wishedHeight() const { return height_.wish; }
    /// Where the tapes are, for those who drag on them.
    QRectF speedTape() const { return tape(speed_); }
    QRectF heightTape() const { return tape(height_); }

  signals:
    void flySo(std::optional<double> speed_mps, std::optional<double> height_m);

  protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    /// One of the two tapes, and what is wished on it (SI).
    struct Tape {
        bool left;
        double span;         // shown each way from the middle
        double least, most;  // that can be wished
        double step;         // in shown units
        std::optional<double> wish;
    };
    QRectF tape(const Tape& t) const;
    std::optional<double> now(const Tape& t) const;
    QString unitOf(const Tape& t) const;
    void wish(Tape& t, std::optional<double> si);
    void beginTyping(Tape& t);
    void endTyping(bool take);
    void placeOrders();
    void paintAttitude(QPainter& p, const QRectF& box) const;
    void paintLadder(QPainter& p, const QRectF& box, const Tape& tape, std::optional<double> value,
                     std::optional<double> wanted, const QString& title, const QString& below) const;
    void paintHeading(QPainter& p, const QRectF& box) const;
    void paintOverGround(QPainter& p, const QRectF& box) const;

    Theme theme_ = Theme::light();
    VehicleSnapshot vehicle_;
    std::optional<FlightProgress> progress_;
    std::optional<double> over_ground_m_;
    bool wing_ = false, alive_ = false;
    bool flies_ = false;  // armed and heard: orders make sense
    Tape speed_{true, 8, 0.5, 60, 0.5, {}}, height_{false, 40, 1, 5000, 1, {}};
    Tape* dragged_ = nullptr;
    Tape* typed_ = nullptr;
    double drag_from_ = 0, press_y_ = 0;
    bool drag_moved_ = false;
    QLineEdit* typing_;
    QPushButton *order_, *forget_;
};

/// Desired and actual roll and pitch over the last half minute.
class AttitudeTraces : public QWidget {
    Q_OBJECT
  public:
    explicit AttitudeTraces(QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void add(double now_s, const VehicleSnapshot& vehicle);
    void clear();

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    struct Sample {
        double t_s;
        std::optional<double> roll, pitch, wanted_roll, wanted_pitch;
    };
    Theme theme_ = Theme::light();
    std::vector<Sample> samples_;
};

}  // namespace anhinga

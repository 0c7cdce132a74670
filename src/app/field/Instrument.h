// The aircraft as it flies, for reading at arm's length: seen from behind over a level horizon, with speed and height
// beside it and the heading below. Drawn here; nothing is shown that was not received.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "core/watch/Progress.h"

namespace anhinga {

class Instrument : public QWidget {
    Q_OBJECT
  public:
    explicit Instrument(QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    /// `alive`: false while nothing is heard; what was last heard is then drawn pale.
    void show(const VehicleSnapshot& vehicle, const std::optional<FlightProgress>& progress, bool wing, bool alive);

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    void paintAttitude(QPainter& p, const QRectF& box) const;
    void paintLadder(QPainter& p, const QRectF& box, std::optional<double> value, std::optional<double> wanted,
                     double span, const QString& title, const QString& below, bool left) const;
    void paintHeading(QPainter& p, const QRectF& box) const;

    Theme theme_ = Theme::light();
    VehicleSnapshot vehicle_;
    std::optional<FlightProgress> progress_;
    bool wing_ = false, alive_ = false;
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

// The pilot's transmitter as the aircraft hears it: both sticks, and where the mode switch stands.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "core/watch/PilotInput.h"

namespace anhinga {

class PilotSticks : public QWidget {
    Q_OBJECT
  public:
    explicit PilotSticks(QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void show(const PilotInput& input);
    /// What is written beside the sticks.
    QString text() const;

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    void paintStick(QPainter& p, const QRectF& box, std::optional<double> across, std::optional<double> along) const;
    Theme theme_ = Theme::light();
    PilotInput input_;
};

}  // namespace anhinga

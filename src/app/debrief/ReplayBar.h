// Replay of a log over map or Scene: play, speed, loop, follow, steps from event to event, and what the track is
// coloured by.
#pragma once

#include <QElapsedTimer>
#include <QFrame>
#include <QTimer>

#include "session/TraceModel.h"

class QComboBox;
class QToolButton;

namespace anhinga {

class ReplayBar : public QFrame {
    Q_OBJECT
  public:
    explicit ReplayBar(TraceModel* model, QWidget* parent = nullptr);
    bool playing() const { return timer_.isActive(); }
    void togglePlay();
    void stop();
    bool following() const;
    /// To the next or previous event of the log.
    void step(int direction);
    /// The channel the track is coloured by; empty: by mode.
    QString colourBy() const;
    void setColourBy(const QString& channel);
    void refresh();

  signals:
    void moved(double t_s);
    void colourChanged();
    void playingChanged();

  private:
    void advance();
    void go(double t_s);
    TraceModel* model_;
    QToolButton *play_, *loop_, *follow_;
    QComboBox *speed_, *colour_;
    std::optional<Stretch> loop_part_;
    QTimer timer_;
    QElapsedTimer clock_;
};

}  // namespace anhinga

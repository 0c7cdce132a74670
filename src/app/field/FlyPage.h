// Flying: what can be done now as large buttons, the other orders folded away, what became of each, what the aircraft
// says. Speed and height are set on the instrument, the mode on the aircraft's cell of the state strip, going on from
// an item in that item's row of the Itinerary.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/FieldSession.h"

class QCheckBox;
class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QPushButton;
class QStackedWidget;

namespace anhinga {

class AttitudeTraces;
class PilotSticks;

class FlyPage : public QWidget {
    Q_OBJECT
  public:
    FlyPage(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void refresh();
    void refreshVehicle();
    /// What must be done to the camera by hand; empty: nothing.
    void setCameraByHand(const QString& text);
    void forgetCamera();
    void forgetTexts();
    /// A height above home typed for "go to a place", metres.
    double goToHeight_m() const;
    void mark();

  signals:
    void message(const QString& text);
    /// The next click on the map is where to go.
    void goToWanted();

  private:
    /// What the large button does: it follows from the state of the aircraft.
    enum class Next { arm, start, hold, goOn };
    Next next() const;
    void showNext();
    QPushButton* button(const QString& text, const QString& name, const QString& tip, LinkSession::Command command);
    QWidget* makeOthers();
    /// What can be ordered of a camera and a gimbal that answer; hidden while none does.
    QWidget* makeCamera();
    void refreshCamera();
    void photo();
    void film();
    void tilt();
    void arm();
    void launch();
    void holdToPress(QPushButton* button, int ms, const std::function<void()>& act);
    void goOnLater();
    bool endedEarly() const;

    FieldSession* field_;
    PlanSession* plan_;
    LinkSession* link_;
    Theme theme_ = Theme::light();
    QLabel *by_hand_text_, *command_, *musts_, *camera_state_, *tilt_state_;
    QWidget *camera_, *camera_row_, *tilt_row_;
    QPushButton *photo_, *film_;
    QLineEdit* tilt_deg_;
    QCheckBox* by_hand_;
    QStackedWidget* next_;
    ClockTimer* settle_;
    QPushButton *arm_, *cut_, *resume_later_, *go_there_, *fold_, *launch_, *disarm_;
    QLineEdit *launch_m_, *go_there_m_, *note_;
    QWidget* others_;
    QPlainTextEdit* texts_;
    AttitudeTraces* traces_;
    PilotSticks* sticks_;
    std::vector<QPushButton*> in_air_;  // make sense while it is armed
    QString by_hand_needed_;
    std::uint64_t texts_shown_ = 0;
};

}  // namespace anhinga

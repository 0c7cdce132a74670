// Flying: the operator's commands, what became of them, what the aircraft says, marks.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/FieldSession.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QPushButton;

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
    /// A height above home typed for "go there", metres.
    double goToHeight_m() const;
    void mark();

  signals:
    void message(const QString& text);
    /// The next click on the map is where to go.
    void goToWanted();

  private:
    QPushButton* button(const QString& text, const QString& tip, LinkSession::Command command);
    void arm();
    void holdToPress(QPushButton* button, int ms, const std::function<void()>& act);
    void goOnLater();
    bool endedEarly() const;
    void fillPlaces();
    void fillModes();

    FieldSession* field_;
    PlanSession* plan_;
    LinkSession* link_;
    Theme theme_ = Theme::light();
    QLabel *by_hand_text_, *command_, *musts_;
    QCheckBox* by_hand_;
    QPushButton *arm_, *stop_, *resume_later_, *go_there_, *skip_, *set_mode_;
    QLineEdit *take_off_m_, *speed_, *height_, *note_;
    QComboBox *places_, *modes_;
    QPlainTextEdit* texts_;
    AttitudeTraces* traces_;
    PilotSticks* sticks_;
    std::vector<QPushButton*> commands_;
    QString by_hand_needed_;
    std::uint64_t texts_shown_ = 0;
    PlanPtr places_of_;
    std::size_t modes_of_ = 0;
};

}  // namespace anhinga

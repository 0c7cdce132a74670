// Field: connect, hand over and seal, fly; and what the aircraft says.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/LinkSession.h"
#include "session/PlanSession.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QProgressBar;
class QPushButton;
class QPlainTextEdit;

namespace anhinga {

class FieldPanel : public QWidget {
    Q_OBJECT
  public:
    FieldPanel(PlanSession* plan, LinkSession* link, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void toggleConnection();
    void handOver();
    /// True when the seal fits the plan as it is now.
    bool sealHolds() const;
    QString sealLine() const;

  signals:
    void message(const QString& text);
    void openRecording(const QString& path);

  private:
    void refresh();
    void refreshVehicle();
    /// The flight of what is sealed ended before all of it was flown.
    bool endedEarly() const;
    void goOnLater();
    /// What must be done to the camera by hand; empty when the aircraft triggers it.
    QString cameraByHand() const;
    QPushButton* commandButton(const QString& text, const QString& key, LinkSession::Command command);

    PlanSession* plan_;
    LinkSession* link_;
    Theme theme_ = Theme::light();
    QComboBox* address_;
    QPushButton *connect_, *hand_over_, *cancel_, *fetch_, *recording_, *resume_;
    QLabel* by_hand_text_;
    QCheckBox* by_hand_;
    QLabel *vehicle_, *seal_, *command_;
    QProgressBar* progress_;
    QPlainTextEdit* texts_;
    std::vector<QPushButton*> commands_;
    QPushButton* arm_ = nullptr;
    std::size_t texts_shown_ = 0;
};

}  // namespace anhinga

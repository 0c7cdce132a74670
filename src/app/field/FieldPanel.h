// Field: connect, hand over and seal, fly; and what the aircraft says.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/LinkSession.h"
#include "session/PlanSession.h"

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
    QPushButton* commandButton(const QString& text, const QString& key, LinkSession::Command command);

    PlanSession* plan_;
    LinkSession* link_;
    Theme theme_ = Theme::light();
    QComboBox* address_;
    QPushButton *connect_, *hand_over_, *cancel_, *fetch_, *recording_;
    QLabel *vehicle_, *seal_, *command_;
    QProgressBar* progress_;
    QPlainTextEdit* texts_;
    std::vector<QPushButton*> commands_;
    QPushButton* arm_ = nullptr;
    std::size_t texts_shown_ = 0;
};

}  // namespace anhinga

// The health report as cards, the worst first: verdict, evidence, a way to the place, what to try.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/ReviewSession.h"

class QLabel;
class QPushButton;
class QVBoxLayout;

namespace anhinga {

class HealthPanel : public QWidget {
    Q_OBJECT
  public:
    explicit HealthPanel(ReviewSession* review, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void refresh();
    /// "1 bad · 2 attention", "nothing stands out", or that it is being worked out.
    QString summary() const;

  signals:
    /// Its channels are to be drawn and its stretch shown.
    void showWanted(const Answer& answer);
    void diagnosisWanted();  // of a large log

  private:
    QWidget* card(const Answer& answer, int number);
    ReviewSession* review_;
    Theme theme_ = Theme::light();
    QLabel* summary_;
    QPushButton* begin_;
    QVBoxLayout* cards_;
    QWidget* inner_;
};

}  // namespace anhinga

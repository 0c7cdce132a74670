// Moving a whole plan: what it does to heights and clearances is shown before it is accepted.
#pragma once

#include <QDialog>

#include "session/PlanSession.h"

class QLabel;
class QLineEdit;
class QPushButton;

namespace anhinga {

class MovePlanDialog : public QDialog {
    Q_OBJECT
  public:
    /// With `home_to` the step is given: home comes to lie there.
    MovePlanDialog(PlanPtr plan, TerrainPtr terrain, std::optional<GeoPoint> home_to, QWidget* parent = nullptr);
    const Plan& moved() const { return moved_; }

  private:
    void refresh();

    PlanPtr plan_;
    TerrainPtr terrain_;
    Plan moved_;
    QLineEdit *distance_ = nullptr, *bearing_ = nullptr, *home_ = nullptr;
    QLabel* result_ = nullptr;
    QPushButton* accept_ = nullptr;
};

}  // namespace anhinga

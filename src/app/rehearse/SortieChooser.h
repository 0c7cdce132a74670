// Which part of the plan is rehearsed and handed over: the whole, or one of its sorties; and cutting it into them.
#pragma once

#include <QWidget>

#include "session/PlanSession.h"

class QComboBox;
class QLabel;
class QProgressBar;
class QPushButton;

namespace anhinga {

class SortieChooser : public QWidget {
    Q_OBJECT
  public:
    /// `with_cutting`: the plan can be cut and joined here; otherwise there is only something to see once it is cut.
    SortieChooser(PlanSession* session, bool with_cutting, QWidget* parent = nullptr);

  private:
    void refresh();
    PlanSession* session_;
    bool with_cutting_;
    QLabel* line_;
    QComboBox* choice_;
    QPushButton *cut_, *join_, *stop_;
    QProgressBar* progress_;
};

}  // namespace anhinga

// Aircraft and plan side by side, item by item, with what differs marked.
#pragma once

#include <QDialog>

#include "session/LinkSession.h"
#include "session/PlanSession.h"

class QCheckBox;
class QLabel;
class QTableWidget;

namespace anhinga {

class CompareDialog : public QDialog {
    Q_OBJECT
  public:
    CompareDialog(PlanSession* plan, LinkSession* link, QWidget* parent = nullptr);
    void present();

  private:
    void refresh();
    PlanSession* plan_;
    LinkSession* link_;
    QLabel* summary_;
    QCheckBox* only_;
    QTableWidget* table_;
};

}  // namespace anhinga

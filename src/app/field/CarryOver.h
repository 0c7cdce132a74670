// Carrying the plan by hand to an aircraft without a link: which file, what it holds as read back, the sheet.
#pragma once

#include <QDialog>

#include "session/PlanSession.h"

class QLabel;
class QPushButton;
class QComboBox;

namespace anhinga {

class CarryOverDialog : public QDialog {
    Q_OBJECT
  public:
    explicit CarryOverDialog(PlanSession* plan, QWidget* parent = nullptr);
    /// Writes file and sheet and shows what the file holds. False when it could not be written.
    bool write(const QString& path);

  signals:
    void message(const QString& text);

  private:
    PlanSession* plan_;
    QLabel* result_;
    QComboBox* format_;
    QPushButton* open_;
    QString sheet_;
};

}  // namespace anhinga

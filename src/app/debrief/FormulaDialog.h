// A channel of the operator's own: its name and formula, checked as it is typed, the error marked at its character.
#pragma once

#include <QDialog>

#include "session/TraceModel.h"

class QLabel;
class QLineEdit;
class QPushButton;

namespace anhinga {

class FormulaDialog : public QDialog {
    Q_OBJECT
  public:
    /// `name`: of the formula to change; empty: a new one. What is taken is drawn at once.
    FormulaDialog(TraceModel* model, const QString& name, QWidget* parent = nullptr);
    void accept() override;

  private:
    void check();
    TraceModel* model_;
    QLineEdit *name_, *formula_;
    QLabel *result_, *mark_;
    QPushButton* ok_;
};

}  // namespace anhinga

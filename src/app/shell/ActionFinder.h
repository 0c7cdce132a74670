// Ctrl+K: finds any action by name and runs it.
#pragma once

#include <QDialog>

class QLineEdit;
class QListWidget;

namespace anhinga {

class ActionFinder : public QDialog {
  public:
    ActionFinder(const QList<QAction*>& actions, QWidget* parent);
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void fill();
    void run();
    QList<QAction*> actions_;
    QLineEdit* search_;
    QListWidget* list_;
};

}  // namespace anhinga

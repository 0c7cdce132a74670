// The logs aboard: listed, fetched with progress, opened.
#pragma once

#include <QDialog>

#include "session/LinkSession.h"

class QLabel;
class QProgressBar;
class QPushButton;
class QTableWidget;

namespace anhinga {

class LogsDialog : public QDialog {
    Q_OBJECT
  public:
    /// Fetched logs go into `folder`.
    LogsDialog(LinkSession* link, const QString& folder, QWidget* parent = nullptr);
    void present();

  signals:
    void message(const QString& text);
    void openLog(const QString& path);

  private:
    void refresh();
    void refreshState();
    void fetch();
    QString pathOf(const OnboardLog& log) const;

    LinkSession* link_;
    QString folder_, fetched_;
    QLabel* summary_;
    QTableWidget* table_;
    QProgressBar* progress_;
    QPushButton *list_, *fetch_, *open_, *erase_, *stop_;
};

}  // namespace anhinga

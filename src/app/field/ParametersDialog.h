// The aircraft's parameters: search, change with read-back, files, comparison.
#pragma once

#include <QDialog>

#include "session/LinkSession.h"

class QCheckBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTableWidget;

namespace anhinga {

class ParametersDialog : public QDialog {
    Q_OBJECT
  public:
    ParametersDialog(LinkSession* link, QWidget* parent = nullptr);
    /// Shown; read from the aircraft when they were not yet.
    void present();
    bool saveTo(const QString& path);
    /// Another set beside the aircraft's: a file, or the set of another vehicle that was saved.
    bool compareWith(const QString& path);

  signals:
    void message(const QString& text);

  private:
    void refresh();
    void refreshState();
    void send();
    void edited(int row, int column);

    LinkSession* link_;
    QLineEdit* search_;
    QCheckBox *changed_, *differing_;
    QLabel *summary_, *text_;
    QTableWidget* table_;
    QProgressBar* progress_;
    QPushButton *read_, *send_, *save_, *compare_, *stop_;
    ParameterSet wanted_, other_;
    QString other_name_;
    bool filling_ = false;
};

}  // namespace anhinga

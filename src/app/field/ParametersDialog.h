// The aircraft's parameters by subject: what each does, what the aircraft holds, what is usual, what a file says;
// search, change with read-back, files, comparison. The raw names stand last: they are the aircraft's, not ours.
#pragma once

#include <QDialog>

#include "session/LinkSession.h"

class QCheckBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTreeWidget;
class QTreeWidgetItem;

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
    void edited(QTreeWidgetItem* row, int column);
    void describe(QTreeWidgetItem* row);

    LinkSession* link_;
    QLineEdit* search_;
    QCheckBox *unusual_, *differing_;
    QLabel *summary_, *text_;
    QTreeWidget* table_;
    QProgressBar* progress_;
    QPushButton *read_, *send_, *save_, *compare_, *stop_;
    ParameterSet wanted_, other_;
    QString other_name_;
    std::string refused_;  // what was typed last into it could not be
    QString refused_why_;
    bool filling_ = false;
};

}  // namespace anhinga

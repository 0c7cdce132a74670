// What stands in a log beside its channels: parameters, and the missions that were sent.
#pragma once

#include <QDialog>

#include "session/ReviewSession.h"

class QLabel;
class QLineEdit;
class QListWidget;
class QTableWidget;
class QTabWidget;

namespace anhinga {

class ContentsDialog : public QDialog {
    Q_OBJECT
  public:
    explicit ContentsDialog(ReviewSession* review, QWidget* parent = nullptr);
    void present();
    /// Beside the parameters of another log.
    void compareWith(const QString& path);
    bool saveParameters(const QString& path);

  signals:
    void message(const QString& text);
    /// This mission of the log is to be opened as a plan.
    void missionWanted(int number);

  private:
    void fill();
    void fillMissions();
    void fillSpeakers();
    ReviewSession* review_;
    QTabWidget* tabs_;
    QLineEdit* search_;
    QLabel* summary_;
    QTableWidget* table_;
    QListWidget *missions_, *speakers_;
    QLabel* mission_text_;
    std::optional<std::map<std::string, double>> other_;
    QString other_name_;
};

}  // namespace anhinga

// The logbook as a page: every flight with a small picture of its track, searched, sorted, opened, described; and what
// was done to the aircraft between flights.
#pragma once

#include <QWidget>
#include <map>

#include "app/widgets/Theme.h"
#include "session/LogbookSession.h"

class QLabel;
class QLineEdit;
class QListWidget;
class QProgressBar;
class QPushButton;
class QTableWidget;

namespace anhinga {

class LogbookPage : public QWidget {
    Q_OBJECT
  public:
    explicit LogbookPage(LogbookSession* logbook, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    /// Reads the logbook anew.
    void refresh();

  signals:
    void backWanted();
    void openWanted(const QString& path);
    void message(const QString& text);

  private:
    void fillNotes();
    void refreshChosen();
    void refreshBusy();
    void refreshWatched();
    /// What was set differently than on the flight before.
    QString changesOf(const LogbookEntry& entry) const;
    void edited(int row, int column);
    void removeChosen();
    std::vector<std::int64_t> chosen() const;
    const LogbookEntry* entryOf(int row) const;
    QPixmap picture(const LogbookEntry& entry) const;

    LogbookSession* logbook_;
    Theme theme_ = Theme::light();
    QLineEdit *search_, *note_;
    QTableWidget* table_;
    QLabel *count_, *details_, *doing_;
    QProgressBar* progress_;
    QPushButton *open_, *plan_, *remove_, *stop_, *import_, *add_note_, *remove_note_;
    QListWidget* notes_;
    QPushButton* watch_;
    QLabel* changes_;
    std::map<std::int64_t, LogbookEntry> entries_;
    bool filling_ = false;
};

}  // namespace anhinga

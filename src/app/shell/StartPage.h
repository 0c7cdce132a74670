// The start page: recent and stored plans as cards, templates to begin a new one, search.
#pragma once

#include <QWidget>
#include <functional>

#include "app/widgets/Theme.h"
#include "session/PlanShelf.h"

class QLabel;
class QLineEdit;
class QListWidget;
class QVBoxLayout;

namespace anhinga {

class StartPage : public QWidget {
    Q_OBJECT
  public:
    explicit StartPage(QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    /// Looks for plans anew.
    void refresh(const QStringList& recent, const QStringList& folders, const QString& templates_folder);
    PlanShelf& shelf() { return shelf_; }

  signals:
    void openWanted(const QString& path);
    void browseWanted();
    void backWanted();
    /// A template of the program's own, by its number in planTemplates().
    void templateWanted(int index);
    /// One of the operator's: a plan file.
    void ownTemplateWanted(const QString& path);

  private:
    void fill();
    void fillOwn(const QString& folder);
    PlanShelf shelf_;
    Theme theme_ = Theme::light();
    QLineEdit* search_;
    QListWidget* cards_;
    QLabel* none_;
    QVBoxLayout* own_;
};

/// Size of a plan in a few words: "12.4 ha", "6.30 km", "empty".
QString sizeText(const PlanSummary& plan);

}  // namespace anhinga

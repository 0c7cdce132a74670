// Above the map in the Field: what the aircraft does and how it is, in words and large; and the alarms below.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/FieldSession.h"

class QHBoxLayout;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace anhinga {

class StateStrip : public QWidget {
    Q_OBJECT
  public:
    StateStrip(FieldSession* field, LinkSession* link, PlanSession* plan, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void refresh();
    /// Alarms that are not acknowledged, as they are shown.
    QStringList shownAlarms() const;

  private:
    struct Cell {
        QLabel *name, *value;
    };
    Cell addCell(const QString& name, QHBoxLayout* row);
    void setNext(const QString& text);
    QString nextLine() const;
    void refreshAlarms();
    void put(const Cell& cell, const QString& text, int level);

    FieldSession* field_;
    LinkSession* link_;
    PlanSession* plan_;
    Theme theme_ = Theme::light();
    Cell mode_, gps_, battery_, wind_, link_cell_;
    QLabel* next_;
    QVBoxLayout* alarms_;
    std::vector<QWidget*> rows_;
};

}  // namespace anhinga

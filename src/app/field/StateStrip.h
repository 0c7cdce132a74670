// Above the map in the Field: what the aircraft does and how it is, in words and large; and the alarms below.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/FieldSession.h"

class QFrame;
class QHBoxLayout;
class QLabel;
class QMenu;
class QPushButton;
class QToolButton;
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
    /// As high as all that is shown needs at this width: a layout's own hint goes by another width.
    void fit();

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    struct Cell {
        QLabel *name, *value;
        QHBoxLayout* beside;  // the name; what belongs to it stands there too
    };
    Cell addCell(const QString& name, QHBoxLayout* row, int stretch);
    void setNext(const QString& text);
    QString nextLine() const;
    static QString passText(const FlightProgress& progress);
    void refreshAlarms();
    /// No alarm lower than its text needs at this width.
    void giveRoom();
    void showAllAlarms();
    void offerModes();
    void put(const Cell& cell, const QString& text, int level);

    FieldSession* field_;
    LinkSession* link_;
    PlanSession* plan_;
    Theme theme_ = Theme::light();
    Cell mode_, gps_, battery_, wind_, link_cell_;
    QToolButton* other_mode_;
    QLabel* next_;
    QVBoxLayout* alarms_;
    struct Row {
        QFrame* box;
        QLabel* text;
        QPushButton* seen;
    };
    std::vector<Row> rows_;
    QPushButton* all_;
};

}  // namespace anhinga

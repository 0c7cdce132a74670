// The checklist before a flight: manual lines to tick, automatic ones that explain themselves, the heading test.
#pragma once

#include <QWidget>
#include <map>

#include "app/widgets/Theme.h"
#include "session/FieldSession.h"

class QCheckBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace anhinga {

class ChecklistPage : public QWidget {
    Q_OBJECT
  public:
    ChecklistPage(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void refresh();

  signals:
    void message(const QString& text);

  private:
    struct Row {
        QWidget* box = nullptr;
        QCheckBox* tick = nullptr;
        QLabel* why = nullptr;
        QPushButton* set = nullptr;
    };
    void rebuild();
    void addLine();
    void removeLine(ItemId id);

    FieldSession* field_;
    PlanSession* plan_;
    LinkSession* link_;
    Theme theme_ = Theme::light();
    QLabel *summary_, *heading_text_;
    QPushButton *templates_, *add_, *clear_, *heading_, *ask_;
    QVBoxLayout* list_;
    std::map<ItemId, Row> rows_;
    std::vector<ItemId> order_;
};

}  // namespace anhinga

// Field: the panel on the right, in three pages: the link and the plan on its way, the checklist, flying.
#pragma once

#include <QWidget>

#include "app/field/ChecklistPage.h"
#include "app/field/FlyPage.h"
#include "app/field/LinkPage.h"

class QFrame;
class QLabel;
class QPushButton;
class QStackedWidget;

namespace anhinga {

class FieldPanel : public QWidget {
    Q_OBJECT
  public:
    enum class Page { link, checklist, fly };
    FieldPanel(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void showPage(Page page);
    void toggleConnection() { link_page_->toggleConnection(); }
    void handOver() { link_page_->handOver(); }
    /// True when the seal fits the plan as it is now.
    bool sealHolds() const { return field_->sealHolds(); }
    QString sealLine() const { return field_->sealLine(); }
    LinkPage* linkPage() { return link_page_; }
    FlyPage* flyPage() { return fly_page_; }

  signals:
    void message(const QString& text);

  private:
    void refresh();

    FieldSession* field_;
    LinkSession* link_;
    LinkPage* link_page_;
    ChecklistPage* checklist_page_;
    FlyPage* fly_page_;
    QStackedWidget* pages_;
    QPushButton* tabs_[3];
    QFrame* after_;
    QLabel* after_text_;
};

}  // namespace anhinga

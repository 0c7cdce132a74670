// What will be flown, in order: home, items with their height and actions, repeats as brackets, fences below.
#pragma once

#include <QListWidget>
#include <map>
#include <set>

#include "app/widgets/Theme.h"
#include "session/PlanSession.h"

class QPushButton;

namespace anhinga {

class Itinerary : public QListWidget {
    Q_OBJECT
  public:
    Itinerary(PlanSession* session, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    const Theme& theme() const { return theme_; }
    /// The item being flown or rehearsed is marked; 0 for none.
    void setActive(ItemId id);
    ItemId active() const { return active_; }
    /// Words beside items in the Field: how far each has got into the aircraft. Empty: none are shown.
    void setStates(std::map<ItemId, QString> states);
    QString stateOf(ItemId id) const;
    /// True where the row shows the button to go on from it.
    bool offersGoOn(ItemId id) const;
    /// In the Field: items from which the flight can go on now; the row of the selected one offers it.
    void setGoOn(std::set<ItemId> items);
    /// Moves the selected items so that they stand before the row (home is row 0).
    void moveSelectionTo(int row);
    /// One place earlier (-1) or later (1).
    void shiftSelection(int direction);
    PlanSession* session() const { return session_; }

  signals:
    void chosen(ItemId id);
    void goOnWanted(ItemId id);

  protected:
    void paintEvent(QPaintEvent*) override;
    void dropEvent(QDropEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void scrollContentsBy(int dx, int dy) override;

  private:
    void refresh();
    void syncSelection();
    int rowOf(ItemId id) const;
    void placeGoOn();

    PlanSession* session_;
    Theme theme_ = Theme::light();
    ItemId active_ = 0;
    std::map<ItemId, QString> states_;
    std::set<ItemId> go_on_;
    QPushButton* go_on_button_;
    bool refreshing_ = false;
};

/// One line about what happens at an item: actions, hold, speed; shared by the list and tooltips.
QString actionLine(const Plan& plan, const Item& item);

}  // namespace anhinga

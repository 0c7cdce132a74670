// Findings as cards, most severe first: a click goes to the place, an offered correction is one button.
#pragma once

#include <QScrollArea>

#include "app/widgets/Theme.h"
#include "session/PlanSession.h"

namespace anhinga {

class FindingsPanel : public QScrollArea {
    Q_OBJECT
  public:
    FindingsPanel(PlanSession* session, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    /// Shows the same in the units chosen meanwhile.
    void refreshUnits() { rebuild(); }

  signals:
    void goTo(ItemId item, std::optional<GeoPoint> place);
    void checklistWanted();
    /// A file of the plan, as it is named there, is to be found.
    void lookForFile(const QString& name);
    void setOnAircraftWanted(const Finding& finding);

  private:
    static constexpr int kMostCards = 60;
    void refresh();
    void rebuild();
    PlanSession* session_;
    QString shown_;  // what the cards were made from
    Theme theme_ = Theme::light();
};

}  // namespace anhinga

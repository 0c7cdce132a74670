// Connecting to the aircraft, and the plan on its way into it: hand-over, seal, comparison, measured home.
#pragma once

#include <QWidget>

#include "app/widgets/Theme.h"
#include "session/FieldSession.h"

class QComboBox;
class QFrame;
class QLabel;
class QListWidget;
class QProgressBar;
class QPushButton;

namespace anhinga {

class LinkPage : public QWidget {
    Q_OBJECT
  public:
    LinkPage(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    void toggleConnection();
    void handOver();
    void refresh();
    /// What must be done to the camera by hand; empty when the aircraft triggers it.
    QString cameraByHand() const;

  signals:
    void message(const QString& text);
    void openRecording(const QString& path);
    void compareWanted();
    void parametersWanted();
    void valuesWanted();
    void logsWanted();
    void carryOverWanted();
    void movePlanWanted(GeoPoint home);
    /// The plan is on its way: what was ticked for the camera holds no longer.
    void handedOver();

  private:
    void handOverNow();
    void refreshDay();
    void refreshSeal();
    QString itemName(const std::string& type, int seq) const;
    QString fieldName(const std::string& type, int seq, const std::string& field) const;
    QString storedText() const;
    QString changeText() const;
    QString keptText() const;
    QString refusedText() const;
    void refreshVehicle();
    void refreshHome();
    void askPassphrase();
    void putKeyAboard();
    void listAddresses();

    FieldSession* field_;
    PlanSession* plan_;
    LinkSession* link_;
    bool hand_over_waits_ = false;
    Theme theme_ = Theme::light();
    QComboBox *address_, *vehicles_;
    QPushButton *connect_, *key_, *hand_over_, *cancel_, *fetch_, *compare_, *check_, *clear_, *freeze_, *store_,
        *take_back_, *recording_;
    QPushButton *parameters_, *logs_, *all_values_, *carry_, *use_home_, *move_plan_;
    QLabel *vehicle_, *seal_, *home_text_;
    QListWidget* day_;
    QFrame* home_box_;
    QProgressBar* progress_;
};

}  // namespace anhinga

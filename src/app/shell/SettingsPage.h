// Settings: units and coordinates, theme, where maps are kept, and the library of vehicles, cameras and autopilots.
#pragma once

#include <QScrollArea>

#include "app/widgets/Theme.h"
#include "core/plan/ProfileLibrary.h"
#include "session/PlanSession.h"

class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QTabBar;

namespace anhinga {

class SettingsPage : public QScrollArea {
    Q_OBJECT
  public:
    SettingsPage(PlanSession* session, const QString& profiles_file, QWidget* parent = nullptr);
    void setNight(bool night);
    const ProfileLibrary& library() const { return library_; }

  signals:
    void unitsChanged();
    void nightWanted(bool night);
    void closeWanted();
    void message(const QString& text);

  private:
    enum Kind { kVehicles, kCameras, kAutopilots };
    QWidget* makeUnits();
    QWidget* makeProfiles();
    void loadLibrary();
    void saveLibrary();
    void fillList();
    void fillForm();
    void use();
    void takeFromPlan();
    void copy();
    void remove();
    std::size_t count() const;
    std::string& nameAt(std::size_t i);

    PlanSession* session_;
    QString file_;
    ProfileLibrary library_;
    QComboBox* theme_ = nullptr;
    QTabBar* tabs_ = nullptr;
    QListWidget* list_ = nullptr;
    QWidget* form_ = nullptr;
    QPushButton *use_ = nullptr, *remove_ = nullptr;
    QLabel* in_plan_ = nullptr;
    bool readable_ = true;
};

}  // namespace anhinga

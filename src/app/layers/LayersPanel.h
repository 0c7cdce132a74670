// The list of map layers over the map's right edge: order, visibility, opacity, adding and removing; and behind it the
// page that stores an area of a web map for the field.
#pragma once

#include <QFrame>

#include "app/layers/LayerStack.h"
#include "app/layers/StoreAreaPage.h"
#include "session/PlanSession.h"

class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QSlider;
class QSpinBox;
class QStackedWidget;

namespace anhinga {

class LayersPanel : public QFrame {
    Q_OBJECT
  public:
    LayersPanel(LayerStack* stack, PlanSession* session, QWidget* parent);
    void setTheme(const Theme& theme);
    StoreAreaPage* storePage() { return store_; }
    /// Opens the page to store an area: of the chosen web map, else of the first there is.
    void storeArea();

  signals:
    void message(const QString& text);
    void closeWanted();
    void showBox(const UnitBox& box);
    void resized();

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    bool event(QEvent* event) override;

  private:
    void refresh();
    void showChosen();
    Layer* chosen() const;
    void addPicture();
    void addOverlay();
    void addTerrain();
    void addWebMap();
    void shift(int by);
    QWidget* makeList();
    QWidget* makeWebForm();

    LayerStack* stack_;
    PlanSession* session_;
    QStackedWidget* pages_;
    QListWidget* list_;
    QSlider* opacity_;
    QLabel *opacity_text_, *about_, *web_problem_;
    QPushButton *remove_, *up_, *down_, *go_, *keep_;
    QLineEdit *web_name_, *web_pattern_, *web_attribution_;
    QSpinBox* web_zoom_;
    StoreAreaPage* store_;
    bool filling_ = false;
};

}  // namespace anhinga

// "Store an area for the field": which area, which zooms, how many tiles and how large before anything is fetched; then
// progress, cancel and resume; and what is stored already, and where.
#pragma once

#include <QTimer>
#include <QWidget>

#include "app/layers/PictureLayers.h"
#include "session/AreaStoring.h"
#include "session/PlanSession.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QProgressBar;
class QPushButton;
class QSpinBox;

namespace anhinga {

class StoreAreaPage : public QWidget {
    Q_OBJECT
  public:
    explicit StoreAreaPage(PlanSession* session, QWidget* parent = nullptr);
    void open(WebLayer* layer);
    /// The layer is going away.
    void forget(WebLayer* layer);
    void setTheme(const Theme& theme);
    bool storing(const TileSource* source) const;
    /// What the map shows now; asked for while that is the area chosen.
    void setView(const MapTransform& view);
    /// Drawn by the operator after areaWanted().
    void setDrawn(const GeoBox& box);
    /// The area chosen, to be framed on the map; nothing while the page is not shown.
    std::optional<GeoBox> frame() const;

  signals:
    void back();
    void areaWanted();
    void frameChanged();
    void message(const QString& text);
    void showBox(const UnitBox& box);

  protected:
    void showEvent(QShowEvent*) override;
    void hideEvent(QHideEvent*) override;

  private:
    enum From { kView, kPlan, kDrawn };
    std::optional<GeoBox> box() const;
    StoredArea area() const;
    void count();
    void start(const StoredArea& area);
    void fillList();
    void refreshWork();
    std::optional<StoredArea> chosen() const;

    PlanSession* session_;
    WebLayer* layer_ = nullptr;
    TileSource* working_for_ = nullptr;
    AreaStoring work_;
    MapTransform view_;
    std::optional<GeoBox> drawn_;
    QTimer soon_;
    QLabel *title_, *cost_, *fine_, *state_, *where_;
    QComboBox* from_;
    QLineEdit* name_;
    QSpinBox *coarsest_, *finest_;
    QPushButton *store_, *cancel_, *resume_, *show_, *remove_;
    QProgressBar* progress_;
    QListWidget* list_;
};

}  // namespace anhinga

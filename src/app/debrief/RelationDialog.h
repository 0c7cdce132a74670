// One channel against another, how often a value comes, height and slope over the distance flown.
#pragma once

#include <QDialog>

#include "app/widgets/Theme.h"
#include "session/TraceModel.h"

class QCheckBox;
class QComboBox;
class QCustomPlot;
class QLabel;

namespace anhinga {

class RelationDialog : public QDialog {
    Q_OBJECT
  public:
    explicit RelationDialog(TraceModel* model, QWidget* parent = nullptr);
    void setTheme(const Theme& theme);
    /// Of the open log; what is drawn last is proposed.
    void present();
    enum View { against, often, distance };
    void setView(View view);
    QString result() const;

  signals:
    void goTo(double t_s);

  private:
    void fill();
    void work();
    void reset();
    Stretch stretch() const;
    TraceModel* model_;
    Theme theme_ = Theme::light();
    QComboBox *view_, *x_, *y_, *where_;
    QCheckBox* steady_;
    QCustomPlot* plot_;
    QLabel* result_;
    std::vector<double> times_;  // of the points drawn
};

}  // namespace anhinga

// Rehearse: the figures of the rehearsed flight and its player.
#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

#include "core/flight/Passes.h"
#include "session/LatestTask.h"
#include "session/PlanSession.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;
class QSlider;
class QDoubleSpinBox;
class QGridLayout;
class QTreeWidget;

namespace anhinga {

/// Label and value rows, the biggest first; shared look of the figures in every workspace.
class FiguresView : public QWidget {
  public:
    explicit FiguresView(QWidget* parent = nullptr);
    void setFigures(const QString& headline, const QString& headline_note,
                    const std::vector<std::pair<QString, QString>>& rows);

  private:
    QLabel *headline_, *note_;
    QGridLayout* grid_;
    std::vector<QLabel*> labels_;
};

class RehearsePanel : public QWidget {
    Q_OBJECT
  public:
    /// Shows the same in the units chosen meanwhile.
    void refreshUnits() { refresh(); }
    RehearsePanel(PlanSession* session, QWidget* parent = nullptr);
    double playHead() const { return t_s_; }
    void setPlayHead(double t_s);
    bool playing() const { return timer_.isActive(); }
    void togglePlay();
    void step(int direction);  // to the next or previous item
    void rewindIfEnded();
    /// What goes wrong at the play head: 0 nothing, else a row of the list.
    void tryAtPlayHead(int what);
    /// Map and Scene move along with the aircraft.
    bool following() const;

  signals:
    void message(const QString& text);
    void playHeadMoved(double t_s);
    void openInDebrief();
    void followChanged(bool on);

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void refresh();
    void refreshPasses();
    /// Only while somebody can see it: it takes eight rehearsals.
    void tryWindsAround();
    PlanSession* session_;
    FiguresView* figures_;
    QPushButton* play_;
    QComboBox *speed_, *what_if_;
    QSlider* slider_;
    QLabel* now_;
    QDoubleSpinBox *wind_from_, *wind_speed_, *gusts_;
    QCheckBox *shear_, *follow_;
    QLabel* winds_;
    QTreeWidget* list_;
    std::vector<ItemPass> passes_;
    std::shared_ptr<const Rehearsal> passes_of_;
    LatestTask winds_maker_;
    bool winds_due_ = false;
    QTimer timer_;
    QElapsedTimer clock_;
    double t_s_ = 0;
};

}  // namespace anhinga

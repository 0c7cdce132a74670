// What the start page knows of plans on disk: title, place, size, batteries, date and a small picture of each, gathered
// in the background, one file after the other.
#pragma once

#include <QDateTime>
#include <QImage>
#include <QObject>
#include <QString>
#include <optional>
#include <stop_token>
#include <thread>
#include <vector>

#include "core/geo/Geo.h"
#include "session/LatestTask.h"

namespace anhinga {

struct PlanSummary {
    QString path, title, notes;
    QDateTime changed;
    std::optional<GeoPoint> place;     // home, else the middle of what is drawn
    double length_m = 0, area_m2 = 0;  // of the route, each leg once; of all survey areas
    int items = 0;
    std::optional<int> batteries;  // full ones needed down to the reserve; nothing when it cannot be rehearsed
    QString problem;               // why the file cannot be read
    QImage picture;
};

/// Reads one plan; never fails, `problem` says what is wrong.
PlanSummary summarise(const QString& path, QSize picture, const std::stop_token& stop = {});

class PlanShelf : public QObject {
    Q_OBJECT
  public:
    explicit PlanShelf(QObject* parent = nullptr) : QObject(parent) {}
    /// Files first in the order given, then the plans of the folders; each once, at most 300. Known ones that did not
    /// change since are not read again.
    void look(const QStringList& files, const QStringList& folders);
    const std::vector<PlanSummary>& plans() const { return plans_; }
    bool looking() const { return reader_.busy(); }

  signals:
    void changed();

  private:
    std::vector<PlanSummary> plans_;
    LatestTask reader_;
};

}  // namespace anhinga

// The ground under the map: imagery shaded by the terrain, made once in the background for each plan's files.
#pragma once

#include <QImage>
#include <QObject>
#include <QRectF>
#include <memory>
#include <thread>

#include "core/terrain/Terrain.h"

namespace anhinga {

class MapBase : public QObject {
    Q_OBJECT
  public:
    explicit MapBase(QObject* parent = nullptr) : QObject(parent) {}
    /// Replaces what is shown once it is ready. Files that cannot be read are named in problem().
    void load(const std::vector<std::string>& imagery, std::shared_ptr<const Terrain> terrain);
    const QImage& image() const { return image_; }
    /// Where the image lies in Mercator unit coordinates.
    QRectF extent() const { return extent_; }
    QString problem() const { return problem_; }

  signals:
    void ready();

  private:
    QImage image_;
    QRectF extent_;
    QString problem_;
    std::jthread worker_;
};

}  // namespace anhinga

// The layers under the plan in their order, bottom first, and what is remembered of them between runs. The backdrop,
// the plan's own pictures, relief, contours and the grid are always there; pictures, web maps and drawings come and go.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "app/layers/Layer.h"
#include "core/terrain/Terrain.h"
#include "session/TileSource.h"

namespace anhinga {

struct CameraProfile;
struct PatternCover;
class CoverLayer;
class WebLayer;

class LayerStack : public QObject {
    Q_OBJECT
  public:
    /// As remembered.
    explicit LayerStack(QObject* parent = nullptr);
    ~LayerStack() override;

    const std::vector<std::unique_ptr<Layer>>& layers() const { return layers_; }
    /// Above the ground layers, below the lines.
    Layer* add(const LayerSpec& spec);
    /// Of the layers that come and go; the others can only be hidden.
    bool canRemove(const Layer* layer) const;
    void remove(Layer* layer);
    /// Brings a layer to a place in the order, bottom is 0.
    void move(Layer* layer, int to);
    void setTerrain(std::shared_ptr<const Terrain> terrain);
    void setPlanPictures(const std::vector<std::string>& files);
    /// Patterns whose photos the cover layer counts.
    void setCovers(const std::vector<std::shared_ptr<const PatternCover>>& covers, bool counted);
    /// How far the counting is, 0..1; true when it is to be seen.
    bool setCountingShare(double share);
    void paint(QPainter& p, const MapTransform& view, const Theme& theme);
    /// Legends of the layers shown, for the very top.
    void paintLegends(QPainter& p, const MapTransform& view, const Theme& theme) const;
    /// The cover of photos is shown: areas need no tint of their own.
    bool showsCover() const { return cover() != nullptr; }
    /// Of what the last painting needed nothing is still being made or on its way.
    bool idle() const;
    /// Of the web maps shown.
    QString attribution() const;
    /// Where tiles are kept; a folder chosen by the operator or the usual one.
    static TileFolders folders();
    static void setStoredFolder(const QString& folder);

  signals:
    /// Something looks different.
    void changed();
    /// Layers came, went, moved, or one of them has a problem.
    void listChanged();

  private:
    std::unique_ptr<Layer> make(const LayerSpec& spec);
    void save() const;
    int indexOf(const Layer* layer) const;
    const CoverLayer* cover() const;  // when it is shown
    std::vector<std::unique_ptr<Layer>> layers_;
    std::shared_ptr<const Terrain> terrain_ = std::make_shared<const Terrain>();
    std::vector<std::string> plan_pictures_;
};

}  // namespace anhinga

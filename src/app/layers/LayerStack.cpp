#include "app/layers/LayerStack.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QPainter>
#include <QSettings>
#include <QStandardPaths>

#include "app/layers/CoverLayer.h"
#include "app/layers/DrawnLayers.h"
#include "app/layers/GroundLayers.h"
#include "app/layers/PictureLayers.h"

namespace anhinga {

namespace {

/// Kinds in the order of the stack as it is at first; name in settings, name on screen, whether always there.
struct KindRow {
    LayerKind kind;
    const char *key, *name;
    bool always, visible;
    double opacity;
};
constexpr KindRow kKinds[] = {{LayerKind::backdrop, "backdrop", "Coastline and heights", true, true, 1},
                              {LayerKind::planPicture, "plan pictures", "Pictures of the plan", true, true, 1},
                              {LayerKind::picture, "picture", "Picture", false, true, 1},
                              {LayerKind::webMap, "web map", "Web map", false, true, 1},
                              {LayerKind::relief, "relief", "Shaded relief", true, true, 0.8},
                              {LayerKind::contours, "contours", "Contours", true, false, 1},
                              {LayerKind::overlay, "overlay", "Drawing", false, true, 1},
                              {LayerKind::grid, "grid", "Coordinate grid", true, false, 1},
                              {LayerKind::cover, "cover", "Photo cover", true, false, 0.8}};

const KindRow& rowOf(LayerKind kind) {
    return kKinds[static_cast<int>(kind)];
}

}  // namespace

LayerStack::LayerStack(QObject* parent) : QObject(parent) {
    std::vector<LayerSpec> specs;
    const auto saved = QJsonDocument::fromJson(QSettings().value("map/layers").toByteArray()).array();
    for (const auto& value : saved) {
        const QJsonObject o = value.toObject();
        for (const KindRow& row : kKinds) {
            if (o["kind"].toString() != row.key) continue;
            const auto same = [&](const LayerSpec& s) { return s.kind == row.kind; };
            if (row.always && std::any_of(specs.begin(), specs.end(), same)) continue;
            specs.push_back({row.kind, o["name"].toString(row.name), o["source"].toString(),
                             o["attribution"].toString(), std::clamp(o["zoom_max"].toInt(19), 0, kZoomMax),
                             std::clamp(o["opacity"].toDouble(1), 0.0, 1.0), o["visible"].toBool(true)});
        }
    }
    for (const KindRow& row : kKinds) {  // what is always there but was not remembered
        const auto same = [&](const LayerSpec& s) { return s.kind == row.kind; };
        if (!row.always || std::any_of(specs.begin(), specs.end(), same)) continue;
        auto at = specs.begin();
        while (at != specs.end() && at->kind < row.kind) ++at;
        specs.insert(at, {row.kind, row.name, {}, {}, 19, row.opacity, row.visible});
    }
    for (const LayerSpec& s : specs) layers_.push_back(make(s));
}

LayerStack::~LayerStack() = default;

TileFolders LayerStack::folders() {
    const QString usual = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/maps";
    const QString chosen = QSettings().value("map/stored folder").toString();
    return {chosen.isEmpty() ? usual : chosen,
            QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + "/maps"};
}

void LayerStack::setStoredFolder(const QString& folder) {
    QSettings().setValue("map/stored folder", folder);
}

std::unique_ptr<Layer> LayerStack::make(const LayerSpec& spec) {
    std::unique_ptr<Layer> layer;
    switch (spec.kind) {
        case LayerKind::backdrop:
            layer = std::make_unique<BackdropLayer>(spec);
            break;
        case LayerKind::planPicture:
        case LayerKind::picture:
            layer = std::make_unique<PictureLayer>(spec);
            break;
        case LayerKind::webMap:
            layer = std::make_unique<WebLayer>(spec, folders());
            break;
        case LayerKind::relief:
            layer = std::make_unique<ReliefLayer>(spec);
            break;
        case LayerKind::contours:
            layer = std::make_unique<ContourLayer>(spec);
            break;
        case LayerKind::overlay:
            layer = std::make_unique<OverlayLayer>(spec);
            break;
        case LayerKind::grid:
            layer = std::make_unique<GridLayer>(spec);
            break;
        case LayerKind::cover:
            layer = std::make_unique<CoverLayer>(spec);
            break;
    }
    if (auto* t = dynamic_cast<TerrainLayer*>(layer.get())) t->setTerrain(terrain_);
    if (auto* picture = dynamic_cast<PictureLayer*>(layer.get());
        picture != nullptr && spec.kind == LayerKind::planPicture)
        picture->setFiles(plan_pictures_);
    connect(layer.get(), &Layer::changed, this, [this, last = layer->spec(), raw = layer.get()]() mutable {
        if (!(raw->spec() == last)) {  // not just a new picture
            last = raw->spec();
            save();
        }
        emit changed();
    });
    connect(layer.get(), &Layer::problemChanged, this, &LayerStack::listChanged);
    return layer;
}

int LayerStack::indexOf(const Layer* layer) const {
    for (std::size_t i = 0; i < layers_.size(); ++i)
        if (layers_[i].get() == layer) return static_cast<int>(i);
    return -1;
}

Layer* LayerStack::add(const LayerSpec& spec) {
    auto at = layers_.begin();
    while (at != layers_.end() && (*at)->spec().kind <= spec.kind) ++at;
    Layer* layer = layers_.insert(at, make(spec))->get();
    save();
    emit listChanged();
    emit changed();
    return layer;
}

bool LayerStack::canRemove(const Layer* layer) const {
    return layer != nullptr && !rowOf(layer->spec().kind).always;
}

void LayerStack::remove(Layer* layer) {
    const int i = indexOf(layer);
    if (i < 0 || !canRemove(layer)) return;
    layers_.erase(layers_.begin() + i);
    save();
    emit listChanged();
    emit changed();
}

void LayerStack::move(Layer* layer, int to) {
    const int from = indexOf(layer);
    to = std::clamp(to, 0, static_cast<int>(layers_.size()) - 1);
    if (from < 0 || from == to) return;
    auto moved = std::move(layers_[static_cast<std::size_t>(from)]);
    layers_.erase(layers_.begin() + from);
    layers_.insert(layers_.begin() + to, std::move(moved));
    save();
    emit listChanged();
    emit changed();
}

void LayerStack::setTerrain(std::shared_ptr<const Terrain> terrain) {
    terrain_ = std::move(terrain);
    for (const auto& l : layers_)
        if (auto* t = dynamic_cast<TerrainLayer*>(l.get())) t->setTerrain(terrain_);
}

void LayerStack::setPlanPictures(const std::vector<std::string>& files) {
    plan_pictures_ = files;
    for (const auto& l : layers_)
        if (l->spec().kind == LayerKind::planPicture) static_cast<PictureLayer*>(l.get())->setFiles(files);
}

void LayerStack::setCovers(const std::vector<PatternCoverPtr>& covers, bool counted) {
    for (const auto& l : layers_)
        if (auto* cover = dynamic_cast<CoverLayer*>(l.get())) cover->setCovers(covers, counted);
}

void LayerStack::paint(QPainter& p, const MapTransform& view, const Theme& theme) {
    const QRect all(QPoint(), view.size);
    p.fillRect(all, seaColour(theme.night));
    bool dimmed = !theme.night;
    const auto dim = [&] {
        if (!dimmed) p.fillRect(all, QColor(10, 18, 26, 120));
        dimmed = true;
    };
    for (const auto& layer : layers_) {
        const LayerSpec& s = layer->spec();
        if (!s.visible || s.opacity <= 0) continue;
        // In the night pictures are dimmed; lines above them are not.
        if (!layer->isGround()) dim();
        p.save();
        p.setOpacity(s.opacity);
        layer->paint(p, view, theme);
        p.restore();
    }
    dim();
}

bool LayerStack::setCountingShare(double share) {
    for (const auto& l : layers_)
        if (auto* cover = dynamic_cast<CoverLayer*>(l.get())) cover->setShare(share);
    return showsCover();
}

const CoverLayer* LayerStack::cover() const {
    for (const auto& l : layers_)
        if (const auto* cover = dynamic_cast<const CoverLayer*>(l.get());
            cover != nullptr && cover->spec().visible && cover->spec().opacity > 0)
            return cover;
    return nullptr;
}

void LayerStack::paintLegends(QPainter& p, const MapTransform& view, const Theme& theme) const {
    if (const CoverLayer* shown = cover()) shown->paintLegend(p, view, theme);
}

bool LayerStack::idle() const {
    return std::all_of(layers_.begin(), layers_.end(), [](const auto& l) {
        if (!l->spec().visible) return true;
        if (const auto* made = dynamic_cast<const RenderedLayer*>(l.get())) return made->idle();
        const auto* web = dynamic_cast<const WebLayer*>(l.get());
        return web == nullptr || web->lacking() == 0 || !web->problem().isEmpty();
    });
}

QString LayerStack::attribution() const {
    QStringList all;
    for (const auto& l : layers_)
        if (l->spec().visible && l->spec().opacity > 0 && !l->spec().attribution.isEmpty())
            all << l->spec().attribution;
    all.removeDuplicates();
    return all.join(" · ");
}

void LayerStack::save() const {
    QJsonArray list;
    for (const auto& l : layers_) {
        const LayerSpec& s = l->spec();
        list.append(QJsonObject{{"kind", rowOf(s.kind).key},
                                {"name", s.name},
                                {"source", s.source},
                                {"attribution", s.attribution},
                                {"zoom_max", s.zoom_max},
                                {"opacity", s.opacity},
                                {"visible", s.visible}});
    }
    QSettings().setValue("map/layers", QJsonDocument(list).toJson(QJsonDocument::Compact));
}

}  // namespace anhinga

// What lies under the plan on the map: one layer each for a picture, a web map, relief, contours, a drawing, a grid. A
// layer paints from what is ready and tells when more is; nothing is computed or read on the window's thread.
#pragma once

#include <QImage>
#include <QObject>
#include <QString>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <thread>

#include "app/map/MapTransform.h"
#include "app/widgets/Theme.h"
#include "session/Mailbox.h"

class QPainter;

namespace anhinga {

enum class LayerKind { backdrop, planPicture, picture, webMap, relief, contours, overlay, grid, cover };

/// What is remembered of a layer between runs.
struct LayerSpec {
    LayerKind kind = LayerKind::picture;
    QString name;
    QString source;       // file or address pattern
    QString attribution;  // shown on the map
    int zoom_max = 19;    // webMap
    double opacity = 1;
    bool visible = true;
    bool operator==(const LayerSpec&) const = default;
};

class Layer : public QObject {
    Q_OBJECT
  public:
    explicit Layer(LayerSpec spec, QObject* parent = nullptr) : QObject(parent), spec_(std::move(spec)) {}
    const LayerSpec& spec() const { return spec_; }
    void setOpacity(double opacity);
    void setVisible(bool on);
    virtual void paint(QPainter& p, const MapTransform& view, const Theme& theme) = 0;
    /// What is wrong with it, for the operator; empty while all is well.
    virtual QString problem() const { return problem_; }
    /// True for layers that are dimmed in the night theme.
    virtual bool isGround() const { return true; }
    /// Where the layer has something, for going there.
    virtual std::optional<UnitBox> extent() const { return std::nullopt; }

  signals:
    /// It looks different now.
    void changed();
    void problemChanged();

  protected:
    void setProblem(const QString& text);
    LayerSpec spec_;

  private:
    QString problem_;
};

/// A layer whose picture of a view, with some margin, is made in the background. Until it is there the picture of the
/// view before is shown where it belongs.
class RenderedLayer : public Layer {
    Q_OBJECT
  public:
    using Layer::Layer;
    ~RenderedLayer() override;
    void paint(QPainter& p, const MapTransform& view, const Theme& theme) override;
    /// Nothing is being made at the moment.
    bool idle() const { return !busy_; }

  protected:
    struct Made {
        QImage image;
        QString problem;
        std::optional<UnitBox> extent;
    };
    /// Runs on the layer's own thread. What it captures must not change.
    using Job = std::function<Made(const std::stop_token&)>;
    virtual Job jobFor(const MapTransform& view, const Theme& theme) = 0;
    /// The picture is out of date whatever the view.
    void outOfDate();
    std::optional<UnitBox> extent() const override { return extent_; }

  private:
    struct Request {
        MapTransform view;
        bool night = false;
        int version = 0;
    };
    bool serves(const Request& made, const MapTransform& view, bool night) const;
    void begin(const Request& wanted, const Theme& theme);

    QImage image_;
    std::optional<Request> made_, making_;
    std::optional<UnitBox> extent_;
    int version_ = 0;
    bool busy_ = false;
    std::stop_source stop_;
    Mailbox mail_;  // before the thread that posts
    std::jthread worker_;
};

/// The view's edges on the unit square.
UnitBox boxOf(const MapTransform& view);

}  // namespace anhinga

#include "app/layers/Layer.h"

#include <QPainter>

namespace anhinga {

UnitBox boxOf(const MapTransform& v) {
    const double w = v.size.width() / v.scale / 2, h = v.size.height() / v.scale / 2;
    return {v.centre.x() - w, v.centre.y() - h, v.centre.x() + w, v.centre.y() + h};
}

void Layer::setOpacity(double opacity) {
    if (spec_.opacity == opacity) return;
    spec_.opacity = opacity;
    emit changed();
}

void Layer::setVisible(bool on) {
    if (spec_.visible == on) return;
    spec_.visible = on;
    emit changed();
}

void Layer::setProblem(const QString& text) {
    if (text == problem_) return;
    problem_ = text;
    emit problemChanged();
}

RenderedLayer::~RenderedLayer() {
    stop_.request_stop();
}

bool RenderedLayer::serves(const Request& made, const MapTransform& view, bool night) const {
    if (made.version != version_ || made.night != night || made.view.scale != view.scale) return false;
    const UnitBox have = boxOf(made.view), need = boxOf(view);
    return have.left <= need.left && have.right >= need.right && have.top <= need.top && have.bottom >= need.bottom;
}

void RenderedLayer::paint(QPainter& p, const MapTransform& view, const Theme& theme) {
    if (!made_ || !serves(*made_, view, theme.night)) {
        const bool coming = making_ && serves(*making_, view, theme.night);
        if (busy_ && !coming) stop_.request_stop();  // the next painting begins anew
        if (!busy_) {
            MapTransform larger = view;
            larger.size = QSize(view.size.width() * 3 / 2, view.size.height() * 3 / 2);
            begin({larger, theme.night, version_}, theme);
        }
    }
    if (image_.isNull() || !made_) return;
    const double k = view.scale / made_->view.scale;
    const QPointF middle = view.toScreen(made_->view.centre);
    const QSizeF size = QSizeF(image_.size()) * k;
    const QRectF full(middle - QPointF(size.width() / 2, size.height() / 2), size);
    if (k == 1) {  // whole pixels: sharp, and quick
        p.drawImage(full.topLeft().toPoint(), image_);
        return;
    }
    // Only the part in view is drawn: after zooming in the whole picture would be far larger than the screen.
    const QRectF seen = full.intersected(QRectF(QPointF(), QSizeF(view.size)));
    if (!seen.isEmpty()) p.drawImage(seen, image_, QRectF((seen.topLeft() - full.topLeft()) / k, seen.size() / k));
}

void RenderedLayer::begin(const Request& wanted, const Theme& theme) {
    busy_ = true;
    making_ = wanted;
    stop_ = std::stop_source();
    Job job = jobFor(wanted.view, theme);
    worker_ = std::jthread([this, job = std::move(job), stop = stop_.get_token(), wanted] {
        const Made made = job ? job(stop) : Made{};
        const bool stopped = stop.stop_requested();
        mail_.post([this, made, wanted, stopped] {
            busy_ = false;
            making_.reset();
            if (!stopped) {
                image_ = made.image;
                made_ = wanted;
                extent_ = made.extent;
                setProblem(made.problem);
            }
            emit changed();
        });
    });
}

void RenderedLayer::outOfDate() {
    ++version_;
    emit changed();
}

}  // namespace anhinga

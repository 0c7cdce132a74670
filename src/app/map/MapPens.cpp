#include "app/map/MapPens.h"

#include <QPainter>
#include <QPainterPath>
#include <QPixmapCache>
#include <cmath>

namespace anhinga {

QPen pen(const QColor& c, double w, Qt::PenStyle style) {
    return {c, w, style, Qt::RoundCap, Qt::RoundJoin};
}

QColor alpha(QColor c, int a) {
    c.setAlpha(a);
    return c;
}

namespace {

void strokeHaloText(QPainter& p, QPointF at, const QString& text, const QColor& ink, const QColor& halo) {
    QPainterPath path;
    path.addText(at, p.font(), text);
    p.strokePath(path, pen(alpha(halo, 220), 3.2));
    p.fillPath(path, ink);
}

}  // namespace

void haloText(QPainter& p, QPointF at, const QString& text, const QColor& ink, const QColor& halo) {
    if (p.transform().type() > QTransform::TxTranslate) {
        strokeHaloText(p, at, text, ink, halo);
        return;
    }
    const double ratio = p.device()->devicePixelRatioF();
    const QString key =
        QString("halo %1|%2|%3|%4|%5").arg(p.font().key(), ink.name(), halo.name()).arg(ratio).arg(text);
    const QRectF box = QRectF(p.fontMetrics().boundingRect(text)).adjusted(-4, -4, 4, 4);
    QPixmap picture;
    if (!QPixmapCache::find(key, &picture)) {
        picture = QPixmap((box.size() * ratio).toSize());
        picture.setDevicePixelRatio(ratio);
        picture.fill(Qt::transparent);
        QPainter inner(&picture);
        inner.setRenderHint(QPainter::Antialiasing);
        inner.setFont(p.font());
        strokeHaloText(inner, -box.topLeft(), text, ink, halo);
        inner.end();
        QPixmapCache::insert(key, picture);
    }
    p.drawPixmap(QPointF(std::round(at.x()), std::round(at.y())) + box.topLeft(), picture);
}

}  // namespace anhinga

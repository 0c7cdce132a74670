// Pens and lettering of the map.
#pragma once

#include <QColor>
#include <QPen>
#include <QPointF>
#include <QString>

class QPainter;

namespace anhinga {

QPen pen(const QColor& c, double w, Qt::PenStyle style = Qt::SolidLine);
QColor alpha(QColor c, int a);
/// Text with a halo, readable over any ground. Stroking letters is slow: upright text is kept as a picture.
void haloText(QPainter& p, QPointF at, const QString& text, const QColor& ink, const QColor& halo);

}  // namespace anhinga

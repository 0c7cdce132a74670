#include "app/layers/CoverLayer.h"

#include <QPainter>

namespace anhinga {

namespace {

/// Steps of the tint: share of the promised photos, colour, words.
struct SeenStep {
    QColor colour;
    const char* text;
};
const SeenStep kSeen[] = {{QColor(150, 22, 40, 190), "no photo"},
                          {QColor(214, 92, 40, 175), "fewer than half"},
                          {QColor(236, 176, 60, 160), "fewer than wanted"},
                          {QColor(70, 150, 120, 130), "as wanted"},
                          {QColor(36, 96, 150, 130), "twice as many"}};

int stepOf(int seen, int promised) {
    return seen == 0 ? 0 : 2 * seen < promised ? 1 : seen < promised ? 2 : seen < 2 * promised ? 3 : 4;
}

}  // namespace

void CoverLayer::setCovers(const std::vector<PatternCoverPtr>& covers, bool counted) {
    if (covers == covers_ && counted == counted_) return;
    const bool same = covers == covers_;
    covers_ = covers;
    counted_ = counted;
    if (same) return;
    double cells = 0, few = 0, none = 0, unknown = 0;
    // Where there are patterns that are for the ground, the shares are of theirs.
    const bool some = std::any_of(covers_.begin(), covers_.end(), [](const PatternCoverPtr& c) { return c->wanted; });
    for (const PatternCoverPtr& c : covers_) {
        if (some && !c->wanted) continue;
        const auto all = static_cast<double>(c->cover.cellsInside());
        const double n = all * (1 - c->cover.shareUnknown());
        cells += n;
        unknown += all - n;
        few += n * c->cover.shareBelow(c->promised);
        none += n * c->cover.shareBelow(1);
    }
    few_ = cells > 0 ? few / cells : 0;
    none_ = cells > 0 ? none / cells : 0;
    unknown_ = cells + unknown > 0 ? unknown / (cells + unknown) : 0;
    outOfDate();
}

RenderedLayer::Job CoverLayer::jobFor(const MapTransform& view, const Theme&) {
    return [view, covers = covers_](const std::stop_token& stop) {
        Made made;
        made.image = QImage(view.size, QImage::Format_ARGB32_Premultiplied);
        made.image.fill(Qt::transparent);
        const UnitBox seen = boxOf(view);
        QPainter p(&made.image);
        p.setPen(Qt::NoPen);
        for (const PatternCoverPtr& of : covers) {
            const Coverage& c = of->cover;
            const auto px = [&](Vec2 at) {
                const UnitPoint u = toUnitSquare(c.frame.toGeo(at));
                return QPointF((u.x - seen.left) * view.scale, (u.y - seen.top) * view.scale);
            };
            for (int row = 0; row < c.rows; ++row) {
                if (stop.stop_requested()) return made;
                // Neighbours of one tint are one rectangle.
                for (int from = 0; from < c.columns;) {
                    const auto counted = [&](int column) {
                        return c.inside[c.at(column, row)] != 0 && c.known[c.at(column, row)] != 0;
                    };
                    if (!counted(from)) {
                        ++from;
                        continue;
                    }
                    const int step = stepOf(c.seen[c.at(from, row)], of->promised);
                    int to = from + 1;
                    while (to < c.columns && counted(to) && stepOf(c.seen[c.at(to, row)], of->promised) == step) ++to;
                    const Vec2 low = c.corner + Vec2{from * c.cell_m, row * c.cell_m};
                    const Vec2 high = c.corner + Vec2{to * c.cell_m, (row + 1) * c.cell_m};
                    p.setBrush(kSeen[step].colour);
                    p.drawPolygon(QPolygonF({px(low), px({high.x, low.y}), px(high), px({low.x, high.y})}));
                    from = to;
                }
            }
        }
        return made;
    };
}

QString CoverLayer::summary() const {
    if (!counted_) return QString("counting photos … %1 %").arg(share_ * 100, 0, 'f', 0);
    if (covers_.empty()) return "no pattern takes photos of an area";
    if (unknown_ > 0.999) return "not known: no elevation is loaded there";
    const QString shares =
        QString("%1 % seen too seldom, %2 % by no photo").arg(few_ * 100, 0, 'f', 1).arg(none_ * 100, 0, 'f', 1);
    return unknown_ < 0.0005 ? shares : shares + QString(", %1 % not known").arg(unknown_ * 100, 0, 'f', 1);
}

void CoverLayer::paintLegend(QPainter& p, const MapTransform& view, const Theme& theme) const {
    p.save();
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setFont(uiFont(8.5));
    const QString title = "Photos of each place", words = summary();
    double w = p.fontMetrics().horizontalAdvance(words);
    for (const SeenStep& s : kSeen) w = std::max(w, p.fontMetrics().horizontalAdvance(s.text) + 22.0);
    const double row = 17, h = row * (2 + static_cast<double>(std::size(kSeen))) + 12;
    const QRectF box(view.size.width() - w - 34, view.size.height() - h - 46, w + 20, h);
    p.setPen(QPen(theme.hairline(), 1));
    p.setBrush(theme.panel);
    p.drawRect(box);
    double y = box.top() + row;
    p.setPen(theme.ink);
    p.setFont(uiFont(8.5, true));
    p.drawText(QPointF(box.left() + 10, y), title);
    p.setFont(uiFont(8.5));
    for (const SeenStep& s : kSeen) {
        y += row;
        QColor solid = s.colour;
        solid.setAlpha(230);
        p.fillRect(QRectF(box.left() + 10, y - 10, 14, 11), solid);
        p.drawText(QPointF(box.left() + 32, y), s.text);
    }
    p.setPen(theme.quiet);
    p.drawText(QPointF(box.left() + 10, y + row), words);
    p.restore();
}

}  // namespace anhinga

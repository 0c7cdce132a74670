#include "session/PlanShelf.h"

#include <QDir>
#include <QFileInfo>
#include <QPainter>
#include <map>

#include "core/derive/PlanAnalysis.h"
#include "core/geo/Mercator.h"
#include "core/geo/Polygon.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "core/terrain/Imagery.h"
#include "core/terrain/Relief.h"

namespace anhinga {

namespace {

constexpr int kMostPlans = 300;
constexpr qint64 kTerrainMax = 200 << 20;  // bytes; larger terrain is not read for a small picture

/// The ground of `box`: picture of the plan, or its relief, or plain paper.
QImage groundOf(const Plan& plan, const QString& path, const UnitBox& box, QSize size, const Terrain* terrain) {
    QImage image(size, QImage::Format_ARGB32_Premultiplied);
    image.fill(QColor("#dcd9cb"));
    QPainter p(&image);
    for (const std::string& f : plan.imagery_files) {
        const auto source = ImagerySource::open(resolveBeside(path.toStdString(), f));
        const auto pixels = source ? (*source)->read(box, size.width(), size.height())
                                   : Result<std::vector<std::uint8_t>>(tl::unexpected(source.error()));
        if (!pixels) continue;
        p.drawImage(0, 0,
                    QImage(pixels->data(), size.width(), size.height(), size.width() * 4, QImage::Format_RGBA8888));
        return image;
    }
    if (terrain == nullptr || terrain->empty()) return image;
    const auto shade = shadedRelief(*terrain, box, size.width(), size.height());
    for (int y = 0; y < size.height(); ++y)
        for (int x = 0; x < size.width(); ++x) {
            const int k = shade[static_cast<std::size_t>(y * size.width() + x)];
            p.setPen(k < 0 ? QColor(20, 24, 30, std::min(255, -k * 3 / 2)) : QColor(255, 252, 240, k / 2));
            if (k != 0) p.drawPoint(x, y);
        }
    return image;
}

QImage pictureOf(const Plan& plan, const PlanView& view, const QString& path, QSize size, const Terrain* terrain) {
    std::vector<GeoPoint> all = placesOfWhole(plan);
    if (all.empty()) return {};
    UnitPoint middle = toUnitSquare(middleOf(all));
    double w = 2e-6, h = 2e-6;
    for (const GeoPoint& g : all) {
        const UnitPoint m = toUnitSquare(g);
        w = std::max(w, 2.3 * std::abs(std::remainder(m.x - middle.x, 1.0)));
        h = std::max(h, 2.3 * std::abs(m.y - middle.y));
    }
    const double scale = std::min(size.width() / w, size.height() / h);
    const UnitBox box{middle.x - size.width() / scale / 2, middle.y - size.height() / scale / 2,
                      middle.x + size.width() / scale / 2, middle.y + size.height() / scale / 2};
    QImage image = groundOf(plan, path, box, size, terrain);
    QPainter p(&image);
    p.setRenderHint(QPainter::Antialiasing);
    const auto at = [&](GeoPoint g) {
        const UnitPoint m = toUnitSquare(g);
        return QPointF((middle.x + std::remainder(m.x - middle.x, 1.0) - box.left) * scale, (m.y - box.top) * scale);
    };
    const auto shape = [&](const std::vector<GeoPoint>& outline) {
        QPolygonF px;
        for (const GeoPoint& g : outline) px << at(g);
        return px;
    };
    for (const Fence& f : plan.fences) {
        p.setPen(QPen(QColor("#6B3A6E"), 1.4, f.kind == FenceKind::keepIn ? Qt::DashLine : Qt::SolidLine));
        p.setBrush(f.kind == FenceKind::keepOut ? QBrush(QColor(107, 58, 110, 70)) : QBrush(Qt::NoBrush));
        p.drawPolygon(shape(f.isCircle() ? circleOutline(f.outline.front(), f.radius_m, 36) : f.outline));
    }
    p.setPen(QPen(QColor("#4E7A33"), 1.4));
    p.setBrush(QColor(78, 122, 51, 80));
    for (const Item& item : plan.items)
        if (hasArea(item.kind)) p.drawPolygon(shape(item.pattern->outline));
    std::vector<GeoPoint> line;
    for (const LinePoint& l : view.path.line) line.push_back(l.position);
    p.setBrush(Qt::NoBrush);
    for (const auto& [colour, width] : {std::pair("#F5F2E9", 3.6), std::pair("#0B7480", 2.0)}) {
        p.setPen(QPen(QColor(colour), width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        p.drawPolyline(shape(line));
    }
    if (plan.home) {
        p.setPen(QPen(QColor("#1C2830"), 1.6));
        p.setBrush(QColor("#F5F2E9"));
        p.drawEllipse(at(plan.home->position), 4.5, 4.5);
        p.drawEllipse(at(plan.home->position), 1.6, 1.6);
    }
    return image;
}

}  // namespace

PlanSummary summarise(const QString& path, QSize size, const std::stop_token& stop) {
    PlanSummary s;
    const QFileInfo info(path);
    s.path = info.absoluteFilePath();
    s.changed = info.lastModified();
    s.title = info.completeBaseName();
    auto loaded = loadPlan(path.toStdString());
    if (!loaded) {
        s.problem = QString::fromStdString(loaded.error().message);
        return s;
    }
    const auto plan = std::make_shared<const Plan>(std::move(*loaded));
    s.title = QString::fromStdString(plan->title);
    s.notes = QString::fromStdString(plan->notes);
    s.items = static_cast<int>(plan->items.size());
    const std::vector<GeoPoint> all = placesOfWhole(*plan);
    if (plan->home)
        s.place = plan->home->position;
    else if (!all.empty())
        s.place = middleOf(all);
    for (const Item& item : plan->items)
        if (hasArea(item.kind) && item.pattern->outline.size() > 2)
            s.area_m2 += area_m2(toLocal(LocalFrame(middleOf(item.pattern->outline)), item.pattern->outline));
    std::vector<std::string> files;
    qint64 bytes = 0;
    for (const std::string& f : plan->terrain_files) {
        files.push_back(resolveBeside(path.toStdString(), f));
        bytes += QFileInfo(QString::fromStdString(files.back())).size();
    }
    std::shared_ptr<const Terrain> terrain = std::make_shared<const Terrain>();
    if (bytes <= kTerrainMax)
        if (const auto opened = Terrain::open(files)) terrain = *opened;
    if (stop.stop_requested()) return s;
    const PlanAnalysis begun = beginAnalysis(plan, terrain);
    s.length_m = begun.view.path.length_m;
    const auto whole = withFlights(begun, stop);
    if (!whole) return s;
    const double usable_wh = plan->vehicle.battery_wh * (1 - plan->vehicle.reserve_percent / 100);
    // A flight that turns back at the reserve needs more than the one that was rehearsed: nobody knows how many.
    if (const auto flown = whole->rehearsal; flown && !flown->reached_reserve && usable_wh > 0)
        s.batteries = std::max(1, static_cast<int>(std::ceil(flown->energy_wh / usable_wh)));
    s.picture = pictureOf(*plan, begun.view, s.path, size, terrain.get());
    return s;
}

void PlanShelf::look(const QStringList& files, const QStringList& folders) {
    QStringList paths;
    const auto add = [&](const QString& path) {
        const QString whole = QFileInfo(path).absoluteFilePath();
        if (paths.size() < kMostPlans && !paths.contains(whole) && QFileInfo(whole).isFile()) paths << whole;
    };
    for (const QString& f : files)
        if (f.endsWith("json")) add(f);
    for (const QString& folder : folders)
        for (const QFileInfo& f :
             QDir(folder).entryInfoList({QString("*%1").arg(kPlanExtension)}, QDir::Files, QDir::Time))
            add(f.absoluteFilePath());
    std::map<QString, PlanSummary> known;
    for (PlanSummary& s : plans_) known.emplace(s.path, std::move(s));
    plans_.clear();
    QStringList missing;
    for (const QString& path : paths) {
        const auto k = known.find(path);
        if (k != known.end() && k->second.changed == QFileInfo(path).lastModified())
            plans_.push_back(k->second);
        else
            missing << path;
    }
    const auto take = [this, paths](const PlanSummary& s) {
        plans_.push_back(s);
        std::sort(plans_.begin(), plans_.end(), [&](const PlanSummary& a, const PlanSummary& b) {
            return paths.indexOf(a.path) < paths.indexOf(b.path);
        });
        emit changed();
    };
    reader_.drop();
    if (!missing.isEmpty())
        reader_.begin(
            [take, missing](const LatestTask::Run& run) {
                for (const QString& path : missing) {
                    PlanSummary s = summarise(path, QSize(248, 132), run.stop);
                    if (run.stopped()) break;
                    run.tell([take, s = std::move(s)] { take(s); });
                }
                return true;
            },
            [this](bool) { emit changed(); });
    emit changed();
}

}  // namespace anhinga

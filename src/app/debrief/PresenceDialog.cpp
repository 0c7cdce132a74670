#include "app/debrief/PresenceDialog.h"

#include <QtPrintSupport/QPrintDialog>
#include <QtPrintSupport/QPrinter>
#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "app/widgets/Theme.h"
#include "core/base/Digest.h"
#include "core/base/File.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {

/// The tracks around the place, drawn for paper.
std::string mapOf(const PresencePlace& place, const std::vector<std::vector<GeoPoint>>& tracks) {
    std::vector<GeoPoint> outline = place.outline;
    if (outline.empty())
        for (int i = 0; i < 72; ++i) outline.push_back(destination(place.centre, i * 5, place.radius_m));
    const LocalFrame frame(outline.front());
    QRectF box;
    const auto local = [&](const GeoPoint& p) {
        const Vec2 v = frame.toLocal(p);
        return QPointF(v.x, -v.y);
    };
    QPolygonF area;
    for (const GeoPoint& p : outline) area << local(p);
    box = area.boundingRect();
    std::vector<QPolygonF> lines;
    for (const auto& t : tracks) {
        QPolygonF line;
        for (const GeoPoint& p : t)
            if (isValid(p)) line << local(p);
        if (!line.isEmpty()) box = box.united(line.boundingRect());
        lines.push_back(std::move(line));
    }
    constexpr int kWide = 640, kHigh = 320, kEdge = 30;
    QImage image(kWide, kHigh, QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter p(&image);
    p.setRenderHint(QPainter::Antialiasing);
    const double scale =
        std::min((kWide - 2 * kEdge) / std::max(1.0, box.width()), (kHigh - 2 * kEdge) / std::max(1.0, box.height()));
    const auto at = [&](QPointF v) { return QPointF(kWide / 2.0, kHigh / 2.0) + (v - box.center()) * scale; };
    const auto polygon = [&](const QPolygonF& from) {
        QPolygonF out;
        for (const QPointF& v : from) out << at(v);
        return out;
    };
    p.setBrush(QColor(180, 60, 40, 50));
    p.setPen(QPen(QColor(160, 40, 30), 1.6));
    p.drawPolygon(polygon(area));
    p.setBrush(Qt::white);
    for (const auto& hole : place.holes) {
        QPolygonF h;
        for (const GeoPoint& g : hole) h << local(g);
        p.drawPolygon(polygon(h));
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(10, 90, 100), 1.8));
    for (const QPolygonF& line : lines) p.drawPolyline(polygon(line));
    // A bar of a round length.
    double bar = 1;
    while (bar * 10 * scale < kWide / 3.0) bar *= 10;
    if (bar * 5 * scale < kWide / 3.0)
        bar *= 5;
    else if (bar * 2 * scale < kWide / 3.0)
        bar *= 2;
    p.setPen(QPen(Qt::black, 3));
    p.drawLine(QPointF(kEdge, kHigh - kEdge), QPointF(kEdge + bar * scale, kHigh - kEdge));
    p.setFont(uiFont(9));
    p.drawText(QPointF(kEdge, kHigh - kEdge - 8), QString("%1 m, north is up").arg(bar));
    p.end();
    QBuffer png;
    png.open(QIODevice::WriteOnly);
    image.save(&png, "PNG");
    return png.data().toStdString();
}

std::vector<GeoPoint> trackOf(const FlightLog& log) {
    std::vector<GeoPoint> out;
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return out;
    const std::size_t stride = std::max<std::size_t>(1, lat->value.size() / 4000);
    for (std::size_t i = 0; i < std::min(lat->value.size(), lon->value.size()); i += stride)
        out.push_back({lat->value[i], lon->value[i]});
    return out;
}

/// The page without its map, and the tracks to draw there.
struct Looked {
    PresencePageInput page;
    std::vector<std::vector<GeoPoint>> tracks;
};

PresenceFlight judge(const std::string& path, const Result<LogPtr>& log, const PresencePlace& place) {
    PresenceFlight f;
    f.file = path.substr(path.rfind('/') + 1);
    if (const auto digest = sha256OfFile(path)) f.sha256 = *digest;
    if (!log) {
        f.failed = log.error().message;
        return f;
    }
    f.format = (*log)->format;
    f.vehicle = (*log)->vehicle;
    f.start_unix_s = (*log)->start_unix_s;
    f.first_s = (*log)->firstTime();
    const auto p = presence(**log, place);
    if (p)
        f.presence = *p;
    else
        f.failed = p.error().message;
    return f;
}

}  // namespace

PresenceDialog::PresenceDialog(PlanSession* plan, ReviewSession* review, LogbookSession* book, QWidget* parent)
    : QDialog(parent), plan_(plan), review_(review), book_(book) {
    setObjectName("presence dialog");
    setWindowTitle("Presence");
    resize(760, 640);
    auto* column = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    place_ = new QComboBox;
    place_->setObjectName("presence place");
    form->addRow("Was it in", place_);
    auto* row = new QHBoxLayout;
    point_ = new QLineEdit;
    point_->setObjectName("presence point");
    point_->setPlaceholderText("latitude, longitude");
    radius_ = new QLineEdit("50 m");
    radius_->setObjectName("presence radius");
    radius_->setMaximumWidth(90);
    row->addWidget(point_, 1);
    row->addWidget(new QLabel("within"));
    row->addWidget(radius_);
    form->addRow("Point", row);
    over_ = new QComboBox;
    over_->setObjectName("presence over");
    over_->addItems({"the open flight", "every flight of the logbook"});
    form->addRow("Look at", over_);
    column->addLayout(form);
    auto* buttons = new QHBoxLayout;
    look_ = new QPushButton("Look");
    look_->setObjectName("presence look");
    look_->setProperty("primary", true);
    stop_ = new QPushButton("Stop");
    stop_->hide();
    progress_ = new QProgressBar;
    progress_->hide();
    save_ = new QPushButton("Save …");
    print_ = new QPushButton("Print …");
    for (QPushButton* b : {save_, print_}) b->setEnabled(false);
    buttons->addWidget(look_);
    buttons->addWidget(stop_);
    buttons->addWidget(progress_, 1);
    buttons->addStretch(1);
    buttons->addWidget(save_);
    buttons->addWidget(print_);
    column->addLayout(buttons);
    summary_ = new QLabel;
    summary_->setObjectName("presence summary");
    summary_->setWordWrap(true);
    summary_->setFont(uiFont(11, true));
    column->addWidget(summary_);
    view_ = new QTextBrowser;
    view_->setObjectName("presence page");
    column->addWidget(view_, 1);
    connect(place_, &QComboBox::activated, this, [this](int i) {
        const bool point = place_->itemData(i).toLongLong() == 0;
        point_->setEnabled(point);
        radius_->setEnabled(point);
    });
    connect(look_, &QPushButton::clicked, this, &PresenceDialog::work);
    connect(stop_, &QPushButton::clicked, this, [this] { looker_.stop(); });
    connect(save_, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getSaveFileName(this, "Save the page", "presence.pdf", "PDF (*.pdf);;HTML (*.html)");
        if (!path.isEmpty()) saveTo(path);
    });
    connect(print_, &QPushButton::clicked, this, [this] {
        QPrinter printer;
        QPrintDialog ask(&printer, this);
        if (ask.exec() == QDialog::Accepted) view_->document()->print(&printer);
    });
}

PresenceDialog::~PresenceDialog() = default;

void PresenceDialog::present(GeoPoint around) {
    fillPlaces();
    if (point_->text().isEmpty())
        point_->setText(QString("%1, %2").arg(around.lat_deg, 0, 'f', 6).arg(around.lon_deg, 0, 'f', 6));
    over_->setCurrentIndex(review_->log() ? over_->currentIndex() : 1);
    QDialog::show();
    raise();
}

void PresenceDialog::fillPlaces() {
    place_->clear();
    place_->addItem("a circle around a point", 0);
    const Plan& plan = *plan_->plan();
    for (const Fence& f : plan.fences)
        place_->addItem(
            QString("fence %1").arg(QString::fromStdString(f.name.empty() ? std::string("without a name") : f.name)),
            QVariant::fromValue<qlonglong>(f.id));
    for (const Item& i : plan.items)
        if (i.kind == ItemKind::block && i.pattern->outline.size() >= 3)
            place_->addItem("area of " + QString::fromStdString(itemText(plan, i.id)),
                            QVariant::fromValue<qlonglong>(i.id));
    place_->setCurrentIndex(0);
    point_->setEnabled(true);
    radius_->setEnabled(true);
}

std::optional<std::pair<PresencePlace, std::string>> PresenceDialog::place() {
    PresencePlace out;
    const auto id = static_cast<ItemId>(place_->currentData().toLongLong());
    const Plan& plan = *plan_->plan();
    if (id == 0) {
        const auto point = parsePlace(point_->text().toStdString());
        const auto radius = typedNumber(radius_->text(), "m");
        if (!point) {
            summary_->setText("The point cannot be read: latitude and longitude in degrees are needed");
            point_->setFocus();
            return std::nullopt;
        }
        if (!radius || *radius <= 0 || *radius > 1e6) {
            summary_->setText("The distance must be above 0 and at most 1000 km");
            radius_->setFocus();
            return std::nullopt;
        }
        out.centre = {point->lat_deg, point->lon_deg};
        out.radius_m = *radius;
        return std::pair(out,
                         fmt::format("within {:.0f} m of {:.6f}, {:.6f}", *radius, point->lat_deg, point->lon_deg));
    }
    for (const Fence& f : plan.fences)
        if (f.id == id) {
            if (f.isCircle()) {
                out.centre = f.outline.front();
                out.radius_m = f.radius_m;
            } else {
                out.outline = f.outline;
            }
        }
    for (const Item& i : plan.items)
        if (i.id == id) {
            out.outline = i.pattern->outline;
            out.holes = i.pattern->holes;
        }
    return std::pair(out, place_->currentText().toStdString());
}

void PresenceDialog::work() {
    const auto where = place();
    if (!where) return;
    const bool all = over_->currentIndex() == 1;
    std::vector<std::string> paths;
    if (all) {
        const auto book = book_->book();
        if (!book) return summary_->setText(QString::fromStdString(book.error().message));
        for (const LogbookEntry& e : (*book)->entries())
            // The newest of what was ever at one place: what it replaced is not there any more.
            if (e.session == 0 && std::find(paths.begin(), paths.end(), e.path) == paths.end()) paths.push_back(e.path);
        if (paths.empty()) return summary_->setText("The logbook is empty");
    } else if (!review_->log()) {
        return summary_->setText("No log is open");
    }
    PresencePageInput page;
    page.where = where->first;
    page.place = where->second;
    page.made_unix_s = static_cast<double>(QDateTime::currentSecsSinceEpoch());
    look_->setEnabled(false);
    stop_->setVisible(all);
    progress_->setVisible(all);
    progress_->setRange(0, static_cast<int>(std::max<std::size_t>(1, paths.size())));
    summary_->setText("Looking …");
    looker_.begin(
        [this, page = std::move(page), paths = std::move(paths), open = review_->log(),
         open_path = review_->path().toStdString(), all](const LatestTask::Run& run) mutable {
            Looked looked{std::move(page), {}};
            const auto take = [&looked](const std::string& path, const Result<LogPtr>& log) {
                looked.page.flights.push_back(judge(path, log, looked.page.where));
                // Far flights would make the place too small to see.
                const auto& p = looked.page.flights.back().presence;
                const double reach = std::max(2000.0, 10 * looked.page.where.radius_m);
                if (log && p && (p->entered || p->nearest_m < reach)) looked.tracks.push_back(trackOf(**log));
            };
            if (!all) take(open_path, Result<LogPtr>(open));
            LogWatch watch;
            watch.stop = run.stop;
            for (std::size_t i = 0; i < paths.size() && !run.stopped(); ++i) {
                const auto log = openLog(paths[i], watch);
                if (run.stopped()) break;
                take(paths[i], log);
                run.tell([this, i] { progress_->setValue(static_cast<int>(i + 1)); });
            }
            if (run.stopped()) looked.page.place += " (stopped before every flight was looked at)";
            return looked;
        },
        [this](Looked looked) { show(std::move(looked.page), looked.tracks); });
}

void PresenceDialog::show(PresencePageInput page, const std::vector<std::vector<GeoPoint>>& tracks) {
    look_->setEnabled(true);
    stop_->hide();
    progress_->hide();
    page.map_png = mapOf(page.where, tracks);
    page_ = std::move(page);
    html_ = presencePage(page_);
    summary_->setText(QString::fromStdString(presenceSummary(page_)));
    view_->document()->setDefaultFont(uiFont(10));
    view_->setHtml(QString::fromStdString(html_));
    for (QPushButton* b : {save_, print_}) b->setEnabled(true);
}

bool PresenceDialog::saveTo(const QString& path) {
    if (path.endsWith(".pdf", Qt::CaseInsensitive)) {
        QPdfWriter writer(path);
        writer.setPageSize(QPageSize(QPageSize::A4));
        writer.setTitle("Presence");
        view_->document()->print(&writer);
        const bool ok = QFileInfo(path).isFile() && QFileInfo(path).size() > 0;
        emit message(ok ? "Page written: " + path : path + ": cannot be written");
        return ok;
    }
    const auto ok = writeFileAtomic(path.toStdString(), html_);
    emit message(ok ? "Page written: " + path : QString::fromStdString(ok.error().message));
    return ok.has_value();
}

}  // namespace anhinga

#include "app/debrief/SpectrumDialog.h"

#include <qcustomplot.h>

#include <QtWidgets>

#include "app/widgets/PlotStyle.h"

namespace anhinga {

namespace {
enum View { byFrequency, overTime, againstThrottle };
constexpr double kSlowest_hz = 10;  // of a channel that is offered first
constexpr int kThrottleBands = 24;
}  // namespace

SpectrumDialog::SpectrumDialog(QWidget* parent) : QDialog(parent) {
    setObjectName("spectrum dialog");
    setWindowTitle("Spectrum");
    resize(900, 560);
    auto* column = new QVBoxLayout(this);
    auto* row = new QHBoxLayout;
    channel_ = new QComboBox;
    channel_->setObjectName("spectrum channel");
    channel_->setMinimumWidth(240);
    view_ = new QComboBox;
    view_->setObjectName("spectrum view");
    view_->addItems({"by frequency", "over time", "against throttle"});
    segment_ = new QComboBox;
    segment_->setObjectName("spectrum segment");
    segment_->setToolTip("Longer segments tell nearer frequencies apart, shorter ones are averaged more often");
    for (const int n : {128, 256, 512, 1024, 2048, 4096, 8192}) segment_->addItem(QString("%1 samples").arg(n), n);
    segment_->setCurrentIndex(3);
    row->addWidget(channel_, 1);
    row->addWidget(view_);
    row->addWidget(segment_);
    column->addLayout(row);
    plot_ = new QCustomPlot;
    plot_->setObjectName("spectrum plot");
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    column->addWidget(plot_, 1);
    found_ = new QLabel;
    found_->setObjectName("spectrum peaks");
    found_->setWordWrap(true);
    found_->setFont(uiFont(10, true));
    column->addWidget(found_);
    evidence_ = new QLabel;
    evidence_->setObjectName("spectrum evidence");
    evidence_->setWordWrap(true);
    evidence_->setProperty("quiet", true);
    column->addWidget(evidence_);
    for (QComboBox* box : {channel_, view_, segment_}) connect(box, &QComboBox::activated, this, &SpectrumDialog::work);
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, [this] {
        plot_->rescaleAxes();
        plot_->replot();
    });
    plot_->setToolTip("Wheel and drag; a double click shows all");
}

void SpectrumDialog::setTheme(const Theme& theme) {
    theme_ = theme;
    if (isVisible()) work();
}

QString SpectrumDialog::evidence() const {
    return evidence_->text();
}

void SpectrumDialog::present(LogPtr log, const std::string& wanted) {
    log_ = std::move(log);
    fill(wanted);
    show();
    raise();
    work();
}

/// Gyros, accelerometers and motors first; then what else was sampled fast enough.
void SpectrumDialog::fill(const std::string& wanted) {
    channel_->clear();
    if (!log_) return;
    const double duration = std::max(1.0, log_->duration_s());
    QStringList first, rest;
    for (const ChannelInfo& c : log_->list()) {
        if (static_cast<double>(c.count) / duration < kSlowest_hz) continue;
        const QString name = QString::fromStdString(c.name);
        (name.startsWith("imu.") || name.startsWith("motor.") ? first : rest) << name;
    }
    // Gyros tell propellers best.
    std::stable_sort(first.begin(), first.end(),
                     [](const QString& a, const QString& b) { return a.contains("gyro") > b.contains("gyro"); });
    channel_->addItems(first + rest);
    // What is drawn is looked at, where its spectrum says something.
    constexpr double kWorthIt_hz = 40;
    const Channel* drawn = wanted.empty() ? nullptr : log_->find(wanted);
    const bool worth = drawn != nullptr && static_cast<double>(drawn->t_s.size()) / duration >= kWorthIt_hz;
    channel_->setCurrentIndex(worth ? std::max(0, channel_->findText(QString::fromStdString(wanted))) : 0);
}

void SpectrumDialog::reset() {
    plot_->clearPlottables();
    plot_->clearItems();
    plot_->plotLayout()->simplify();
    stylePlot(*plot_, theme_);
    plot_->xAxis->setLabel("Hz");
    peaks_.clear();
    found_->clear();
}

void SpectrumDialog::work() {
    reset();
    if (!log_ || channel_->count() == 0) {
        evidence_->setText(
            "No channel of this log was sampled ten times a second or more: there is no spectrum to look at.");
        plot_->replot();
        return;
    }
    const Channel* channel = log_->find(channel_->currentText().toStdString());
    const auto even = evenSamples(*channel, -INFINITY, INFINITY);
    if (!even) {
        evidence_->setText(QString::fromStdString(even.error().message));
        plot_->replot();
        return;
    }
    const auto segment = static_cast<std::size_t>(segment_->currentData().toInt());
    QString why;
    QString sampled =
        QString("Sampled at %1 Hz: nothing above %2 Hz can be seen, what is faster appears at a false frequency.")
            .arg(even->rate_hz, 0, 'f', 0)
            .arg(even->rate_hz / 2, 0, 'f', 0);
    if (even->holes > 0)
        sampled += QString(" %1 holes, %2 s are missing.").arg(even->holes).arg(even->lost_s, 0, 'f', 1);
    if (even->uneven_percent > 5)
        sampled +=
            QString(" The clock is uneven: %1 % of the samples were moved.").arg(even->uneven_percent, 0, 'f', 0);
    if (view_->currentIndex() == byFrequency) {
        if (const auto s = powerSpectrum(*even, segment)) {
            showLines(*s, channel->unit);
            sampled +=
                QString(" Lines every %1 Hz, mean of %2 segments.").arg(s->resolution_hz, 0, 'f', 2).arg(s->segments);
        } else {
            why = QString::fromStdString(s.error().message);
        }
    } else if (view_->currentIndex() == overTime) {
        if (const auto m = spectrogram(*even, segment))
            showMap(*m, "s");
        else
            why = QString::fromStdString(m.error().message);
    } else {
        const Channel* throttle = log_->find("throttle.percent");
        if (throttle == nullptr) throttle = log_->find("motor.1");
        if (throttle == nullptr) {
            why = "The log has neither throttle nor motor outputs";
        } else if (const auto m = spectrumAgainst(*even, *throttle, segment, kThrottleBands)) {
            showMap(*m, QString::fromStdString(throttle->name));
        } else {
            why = QString::fromStdString(m.error().message);
        }
    }
    evidence_->setText(why.isEmpty() ? sampled : why + ". " + sampled);
    plot_->replot();
}

void SpectrumDialog::showLines(const Spectrum& s, const std::string& unit) {
    QVector<double> x, y;
    for (std::size_t k = 1; k < s.hz.size(); ++k) {
        x << s.hz[k];
        y << 10 * std::log10(std::max(s.density[k], 1e-12));
    }
    auto* graph = plot_->addGraph();
    graph->setPen(QPen(theme_.lagoon, 1.4));
    graph->setData(x, y, true);
    plot_->yAxis->setLabel(
        QString("dB over 1 (%1)²/Hz").arg(unit.empty() ? QString("unit") : QString::fromStdString(unit)));
    plot_->rescaleAxes();
    plot_->yAxis->scaleRange(1.15);
    constexpr double kLowest_hz = 3;  // slower is flying, not shaking
    peaks_ = peaksOf(s, 5, kLowest_hz);
    QStringList words;
    for (const SpectrumPeak& p : peaks_) {
        auto* label = new QCPItemText(plot_);
        label->position->setCoords(p.hz, 10 * std::log10(std::max(p.density, 1e-12)));
        label->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
        label->setText(QString("%1 Hz").arg(p.hz, 0, 'f', 1));
        label->setFont(uiFont(9, true));
        label->setColor(theme_.vermilion);
        words << QString("%1 Hz (%2 dB above what is around, %3 %4 rms)")
                     .arg(p.hz, 0, 'f', 1)
                     .arg(p.above_db, 0, 'f', 0)
                     .arg(p.rms, 0, 'g', 3)
                     .arg(QString::fromStdString(unit));
    }
    found_->setText(words.isEmpty() ? QString("No peak stands out") : "Peaks: " + words.join(" · "));
}

void SpectrumDialog::showMap(const SpectrumMap& m, const QString& along) {
    plot_->yAxis->setLabel(along);
    if (m.along.empty()) return;
    auto* map = new QCPColorMap(plot_->xAxis, plot_->yAxis);
    const int nx = static_cast<int>(m.hz.size()), ny = static_cast<int>(m.along.size());
    map->data()->setSize(nx, ny);
    map->data()->setRange({m.hz.front(), m.hz.back()},
                          {m.along.front(), m.along.back() > m.along.front() ? m.along.back() : m.along.front() + 1});
    double low = INFINITY, high = -INFINITY;
    for (int j = 0; j < ny; ++j) {
        const auto& row = m.density[static_cast<std::size_t>(j)];
        for (int i = 0; i < nx; ++i) {
            const double db = row.empty() ? NAN : 10 * std::log10(std::max(row[static_cast<std::size_t>(i)], 1e-12));
            map->data()->setCell(i, j, db);
            if (std::isfinite(db) && i > 1) {
                low = std::min(low, db);
                high = std::max(high, db);
            }
        }
    }
    // From paper to ink: one hue, lightness alone says how much.
    QCPColorGradient gradient;
    gradient.clearColorStops();
    gradient.setColorStopAt(0, theme_.raised);
    gradient.setColorStopAt(0.5, theme_.lagoon);
    gradient.setColorStopAt(1, theme_.night ? QColor(Qt::white) : QColor("#0A1E24"));
    gradient.setNanHandling(QCPColorGradient::nhTransparent);
    map->setGradient(gradient);
    constexpr double kRange_db = 50;
    map->setDataRange({std::max(low, high - kRange_db), high});
    map->setInterpolate(false);
    plot_->rescaleAxes();
    found_->setText(QString("Darkest: %1 dB, paper: %2 dB and less")
                        .arg(high, 0, 'f', 0)
                        .arg(std::max(low, high - kRange_db), 0, 'f', 0));
}

}  // namespace anhinga

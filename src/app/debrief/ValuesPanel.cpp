#include "app/debrief/ValuesPanel.h"

#include <QtWidgets>
#include <algorithm>
#include <cmath>

#include "app/widgets/Instrument.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {

/// As many digits as tell it from its neighbours, and no more than matter.
QString valueText(double v, const std::string& unit) {
    if (std::isnan(v)) return "no number";
    if (std::isinf(v)) return v > 0 ? "infinite" : "-infinite";
    if (unit == "deg" && std::abs(v) <= 360 && v != std::round(v)) return QString::number(v, 'f', 2);
    if (v == std::round(v) && std::abs(v) < 1e15) return QString::number(v, 'f', 0);
    return QString::number(v, 'g', 5);
}
QString placeText(double v) {
    return QString::number(v, 'f', 7);
}

/// What the log says then. How often: over the samples of the last seconds before, at least the last two.
ShownValue valueAt(const Channel& c, double t_s) {
    ShownValue out;
    out.name = QString::fromStdString(c.name);
    out.unit = QString::fromStdString(c.unit);
    const auto after = std::upper_bound(c.t_s.begin(), c.t_s.end(), t_s);
    if (after == c.t_s.begin()) return out;
    const auto i = static_cast<std::size_t>(after - c.t_s.begin()) - 1;
    out.text = c.name.ends_with("lat_deg") || c.name.ends_with("lon_deg") ? placeText(c.value[i])
                                                                          : valueText(c.value[i], c.unit);
    out.age_s = t_s - c.t_s[i];
    constexpr double kOver_s = 5;
    auto first = static_cast<std::size_t>(
        std::lower_bound(c.t_s.begin(), c.t_s.begin() + static_cast<std::ptrdiff_t>(i), c.t_s[i] - kOver_s) -
        c.t_s.begin());
    if (first == i && i > 0) first = i - 1;
    if (c.t_s[i] > c.t_s[first]) out.rate_hz = static_cast<double>(i - first) / (c.t_s[i] - c.t_s[first]);
    return out;
}

/// The aircraft at that moment, as the instrument reads it. What is older than two seconds is not shown as of now.
VehicleSnapshot shownAircraft(const FlightLog& log, double t_s, std::optional<double>& over_ground_m) {
    constexpr double kFresh_s = 2;
    const auto at = [&](const char* name) -> std::optional<double> {
        const Channel* c = log.find(name);
        if (c == nullptr) return std::nullopt;
        const auto after = std::upper_bound(c->t_s.begin(), c->t_s.end(), t_s);
        if (after == c->t_s.begin()) return std::nullopt;
        const auto i = static_cast<std::size_t>(after - c->t_s.begin()) - 1;
        if (t_s - c->t_s[i] > kFresh_s || !std::isfinite(c->value[i])) return std::nullopt;
        return c->value[i];
    };
    VehicleSnapshot v;
    v.heard = true;
    v.autopilot = std::max(0, log.autopilot);
    v.type = log.type;
    v.roll_deg = at("attitude.roll_deg");
    v.pitch_deg = at("attitude.pitch_deg");
    v.yaw_deg = at("attitude.yaw_deg");
    v.heading_deg = v.yaw_deg ? std::optional(std::fmod(*v.yaw_deg + 360, 360)) : at("position.heading_deg");
    v.desired_roll_deg = at("desired.roll_deg");
    v.desired_pitch_deg = at("desired.pitch_deg");
    v.ground_mps = at("velocity.ground_mps");
    v.air_mps = at("velocity.air_mps");
    v.climb_mps = at("velocity.climb_mps");
    v.height_home_m = at("position.height_home_m");
    v.amsl_m = at("position.height_amsl_m");
    over_ground_m = at("position.height_ground_m");
    return v;
}

/// What was looked up beside the window.
struct Looked {
    std::vector<ShownValue> values;
    VehicleSnapshot aircraft;
    std::optional<double> over_ground_m;
    bool wing = false;
};

}  // namespace

ValuesPanel::ValuesPanel(TraceModel* model, QWidget* parent) : QWidget(parent), model_(model) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 8, 8, 8);
    column->setSpacing(6);
    instrument_ = new Instrument;
    instrument_->setObjectName("attitude at cursor");
    instrument_->setFixedHeight(190);
    column->addWidget(instrument_);
    values_ = new ValuesView("debrief/pinned values", "Open a log: its channels stand here as they were at the cursor");
    values_->setToolTip("Double click: draw it");
    column->addWidget(values_, 1);
    connect(values_, &ValuesView::chosen, this, &ValuesPanel::traceWanted);
    connect(values_, &ValuesView::viewChanged, this, &ValuesPanel::look);
    connect(model_, &TraceModel::cursorChanged, this, &ValuesPanel::look);
    connect(model_, &TraceModel::channelsChanged, this, &ValuesPanel::take);
}

void ValuesPanel::setTheme(const Theme& theme) {
    values_->setTheme(theme);
    instrument_->setTheme(theme);
}

void ValuesPanel::showEvent(QShowEvent* e) {
    QWidget::showEvent(e);
    take();
}

/// The channels of the open log, yet without values.
void ValuesPanel::take() {
    if (!isVisible()) return;
    if (of_ != model_->log()) {
        of_ = model_->log();
        std::vector<ShownValue> rows;
        if (of_)
            for (const ChannelInfo& c : of_->list())
                rows.push_back({QString::fromStdString(c.name), QString::fromStdString(c.unit), {}, {}, {}});
        values_->setValues(std::move(rows));
    }
    look();
}

/// Those in view only: every other one of a large log would have to be decoded first.
void ValuesPanel::look() {
    if (!isVisible()) return;
    if (!of_) {
        looker_.drop();
        return instrument_->show({}, std::nullopt, false, false, std::nullopt);
    }
    looker_.begin(
        [log = of_, names = values_->inView(), t_s = model_->cursor()](const LatestTask::Run& run) {
            constexpr int kWing = 1;  // MAV_TYPE_FIXED_WING
            Looked out;
            out.aircraft = shownAircraft(*log, t_s, out.over_ground_m);
            out.wing = log->type == kWing;
            for (const QString& name : names) {
                if (run.stopped()) break;
                if (const Channel* c = log->find(name.toStdString())) out.values.push_back(valueAt(*c, t_s));
            }
            return out;
        },
        [this](const Looked& looked) {
            values_->update(looked.values);
            instrument_->show(looked.aircraft, std::nullopt, looked.wing, true, looked.over_ground_m);
        });
}

}  // namespace anhinga

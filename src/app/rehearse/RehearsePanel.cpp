#include "app/rehearse/RehearsePanel.h"

#include <QtWidgets>

#include "app/rehearse/SortieChooser.h"
#include "app/widgets/Quantity.h"
#include "app/widgets/Theme.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
struct WhatIf {
    const char* text;
    Failure::Kind kind;
};
constexpr double kStrongWind_mps = 10, kFreshWind_mps = 8;
/// The first is nothing.
constexpr WhatIf kWhatIfs[] = {
    {"all goes as planned", Failure::returnHome},     {"it is called home here", Failure::returnHome},
    {"the link is lost here", Failure::lostLink},     {"the battery is low here", Failure::lowBattery},
    {"it loses its position here", Failure::gpsLoss}, {"10 m/s against the way home from here", Failure::wind}};

/// "always, at worst with 31 %", or until when.
QString homeText(const Rehearsal& r) {
    const auto time = [](double s) { return QString::fromStdString(durationText(s)); };
    if (r.no_return_s) return "not from " + time(*r.no_return_s) + " on";
    if (r.reserve_home_s) return "over the reserve until " + time(*r.reserve_home_s);
    return QString("always, at worst with %1 %").arg(r.least_home_percent, 0, 'f', 0);
}
/// A row whose value is a length across the ground, shown in kilometres or miles.
bool isLength(const QString& row) {
    return row.startsWith("Distance") || row.startsWith("Route");
}
}  // namespace

FiguresView::FiguresView(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 14, 10);
    column->setSpacing(4);
    note_ = new QLabel;
    note_->setProperty("quiet", true);
    note_->setWordWrap(true);
    headline_ = new QLabel;
    headline_->setFont(uiFont(17, true));
    headline_->setObjectName("headline");
    column->addWidget(note_);
    column->addWidget(headline_);
    grid_ = new QGridLayout;
    grid_->setVerticalSpacing(3);
    grid_->setColumnStretch(0, 1);
    column->addLayout(grid_);
    column->addStretch(1);
}

void FiguresView::setFigures(const QString& headline, const QString& headline_note,
                             const std::vector<std::pair<QString, QString>>& rows) {
    headline_->setText(inUnits(headline));
    note_->setText(headline_note);
    while (labels_.size() < rows.size() * 2) {
        auto* label = new QLabel;
        const int n = static_cast<int>(labels_.size());
        label->setFont(uiFont(9, n % 2 == 1));
        if (n % 2 == 1) label->setAlignment(Qt::AlignRight);
        grid_->addWidget(label, n / 2, n % 2);
        labels_.push_back(label);
    }
    for (std::size_t i = 0; i < labels_.size(); ++i) {
        labels_[i]->setVisible(i / 2 < rows.size());
        if (i / 2 < rows.size())
            labels_[i]->setText(
                i % 2 == 0
                    ? rows[i / 2].first
                    : inUnits(rows[i / 2].second, isLength(rows[i / 2].first) ? UnitKind::distance : UnitKind::height));
    }
}

RehearsePanel::RehearsePanel(PlanSession* session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("rehearse");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 8);
    auto* sorties = new SortieChooser(session_, true);
    sorties->setContentsMargins(14, 10, 14, 0);
    column->addWidget(sorties);
    figures_ = new FiguresView;
    column->addWidget(figures_);
    auto* box = new QVBoxLayout;
    box->setContentsMargins(14, 4, 14, 4);
    now_ = new QLabel;
    now_->setWordWrap(true);
    now_->setObjectName("now");
    box->addWidget(now_);
    slider_ = new QSlider(Qt::Horizontal);
    slider_->setRange(0, 10000);
    auto* head_row = new QHBoxLayout;
    head_row->addWidget(slider_, 1);
    box->addLayout(head_row);
    auto* row = new QHBoxLayout;
    auto* back = new QPushButton("◀ item");
    play_ = new QPushButton("Play");
    play_->setObjectName("play");
    play_->setProperty("primary", true);
    play_->setToolTip("Play or pause (Space)");
    auto* next = new QPushButton("item ▶");
    speed_ = new QComboBox;
    speed_->setObjectName("speed");
    for (const double s : {0.25, 1.0, 2.0, 4.0, 10.0, 30.0, 100.0}) speed_->addItem(QString("%1×").arg(s), s);
    speed_->setCurrentIndex(4);
    for (QPushButton* b : {back, play_, next}) row->addWidget(b);
    row->addWidget(speed_);
    follow_ = new QCheckBox("follow");
    follow_->setObjectName("follow");
    follow_->setToolTip("Map and Scene move along with the aircraft");
    follow_->setChecked(QSettings().value("rehearse/follow", false).toBool());
    connect(follow_, &QCheckBox::toggled, this, [this](bool on) {
        QSettings().setValue("rehearse/follow", on);
        emit followChanged(on);
    });
    box->addLayout(row);
    head_row->addWidget(follow_);
    for (QPushButton* b : {back, play_, next}) b->setMinimumWidth(60);
    auto* wind = new QHBoxLayout;
    auto* label = new QLabel("Wind");
    label->setProperty("quiet", true);
    wind_from_ = new QDoubleSpinBox;
    wind_from_->setRange(0, 359);
    wind_from_->setDecimals(0);
    wind_from_->setPrefix("from ");
    wind_from_->setSuffix("°");
    wind_speed_ = new QDoubleSpinBox;
    wind_speed_->setRange(0, 30);
    wind_speed_->setDecimals(1);
    wind_speed_->setSuffix(" m/s");
    wind_speed_->setObjectName("wind speed");
    wind->addWidget(label);
    wind->addWidget(wind_from_);
    wind->addWidget(wind_speed_);
    box->addLayout(wind);
    auto* gust_row = new QHBoxLayout;
    auto* gust_label = new QLabel("Gusts");
    gust_label->setProperty("quiet", true);
    gusts_ = new QDoubleSpinBox;
    gusts_->setRange(0, 10);
    gusts_->setDecimals(1);
    gusts_->setSuffix(" m/s");
    gusts_->setObjectName("gusts");
    gusts_->setToolTip("Standard deviation; the same gusts every time");
    shear_ = new QCheckBox("stronger with height");
    shear_->setObjectName("shear");
    shear_->setToolTip("The wind above is that 10 m above home; as over open land");
    gust_row->addWidget(gust_label);
    gust_row->addWidget(gusts_);
    gust_row->addWidget(shear_);
    box->addLayout(gust_row);
    auto* if_row = new QHBoxLayout;
    auto* if_label = new QLabel("What if");
    if_label->setProperty("quiet", true);
    what_if_ = new QComboBox;
    what_if_->setObjectName("what if");
    for (const WhatIf& w : kWhatIfs) what_if_->addItem(w.text);
    what_if_->setToolTip("Happens at the play head; the flight that follows is shown and played");
    if_row->addWidget(if_label);
    if_row->addWidget(what_if_, 1);
    box->addLayout(if_row);
    auto* debrief = new QPushButton("Open this rehearsal in Debrief");
    debrief->setProperty("link", true);
    box->addWidget(debrief);
    winds_ = new QLabel;
    winds_->setWordWrap(true);
    winds_->setObjectName("winds");
    box->insertWidget(box->count() - 1, winds_);
    column->addLayout(box);
    list_ = new QTreeWidget;
    list_->setObjectName("arrivals");
    list_->setRootIsDecorated(false);
    list_->setUniformRowHeights(true);
    list_->setHeaderLabels({"Item", "arrives", "photos", "left"});
    list_->setMinimumHeight(90);
    list_->setToolTip("When each item is reached, its photos, and what the battery holds after it; a click goes there");
    list_->header()->setStretchLastSection(false);
    list_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    for (int c = 1; c < 4; ++c) list_->header()->setSectionResizeMode(c, QHeaderView::ResizeToContents);
    auto* list_box = new QVBoxLayout;
    list_box->setContentsMargins(14, 0, 14, 0);
    list_box->addWidget(list_);
    column->addLayout(list_box, 1);
    connect(list_, &QTreeWidget::itemClicked, this, [this](const QTreeWidgetItem* clicked) {
        const auto k = static_cast<std::size_t>(list_->indexOfTopLevelItem(const_cast<QTreeWidgetItem*>(clicked)));
        if (k < passes_.size()) setPlayHead(passes_[k].arrives_s.value_or(passes_[k].from_s));
    });

    constexpr double kOpenLand = 0.14;  // exponent of the power law
    const auto wind_changed = [this] {
        session_->setWind(
            {wind_from_->value(), wind_speed_->value(), shear_->isChecked() ? kOpenLand : 0, gusts_->value(), 1});
    };
    connect(gusts_, &QDoubleSpinBox::valueChanged, this, wind_changed);
    connect(shear_, &QCheckBox::toggled, this, wind_changed);
    connect(wind_from_, &QDoubleSpinBox::valueChanged, this, wind_changed);
    connect(wind_speed_, &QDoubleSpinBox::valueChanged, this, wind_changed);
    connect(debrief, &QPushButton::clicked, this, &RehearsePanel::openInDebrief);
    connect(what_if_, &QComboBox::activated, this, &RehearsePanel::tryAtPlayHead);
    connect(back, &QPushButton::clicked, this, [this] { step(-1); });
    connect(next, &QPushButton::clicked, this, [this] { step(1); });
    connect(play_, &QPushButton::clicked, this, &RehearsePanel::togglePlay);
    connect(slider_, &QSlider::sliderMoved, this, [this](int v) {
        if (const auto r = session_->flownRehearsal()) setPlayHead(r->duration_s * v / 10000.0);
    });
    connect(session_, &PlanSession::derivedChanged, this, &RehearsePanel::refresh);
    timer_.setInterval(33);
    connect(&timer_, &QTimer::timeout, this, [this] {
        const auto r = session_->flownRehearsal();
        if (!r) return timer_.stop();
        const double dt = static_cast<double>(clock_.restart()) / 1000.0;
        const double t = t_s_ + dt * speed_->currentData().toDouble();
        if (t >= r->duration_s) {
            timer_.stop();
            play_->setText("Play");
        }
        setPlayHead(std::min(t, r->duration_s));
    });
    refresh();
}

void RehearsePanel::tryAtPlayHead(int what) {
    if (what <= 0) return session_->clearFailure();
    // Always at the flight as it is planned, whatever was tried before.
    session_->clearFailure();
    Failure failure{kWhatIfs[what].kind, t_s_, {}};
    if (failure.kind == Failure::wind) {
        const auto r = session_->flownRehearsal();
        const auto& home = session_->plan()->home;
        if (!r || !home) return refresh();
        const Channel* lat = r->log->find("position.lat_deg");
        const Channel* lon = r->log->find("position.lon_deg");
        const auto a = lat->at(t_s_), b = lon->at(t_s_);
        if (a && b) failure.blows.from_deg = bearing_deg({*a, *b}, home->position);
        failure.blows.speed_mps = kStrongWind_mps;
    }
    if (const auto ok = session_->tryFailure(failure); !ok) {
        emit message(QString::fromStdString(ok.error().message));
        refresh();
    }
}

void RehearsePanel::togglePlay() {
    if (!session_->flownRehearsal()) return;
    if (timer_.isActive()) {
        timer_.stop();
    } else {
        rewindIfEnded();
        clock_.start();
        timer_.start();
    }
    play_->setText(timer_.isActive() ? "Pause" : "Play");
}

void RehearsePanel::rewindIfEnded() {
    if (const auto r = session_->flownRehearsal(); r && t_s_ >= r->duration_s - 0.01) setPlayHead(0);
}

void RehearsePanel::step(int direction) {
    const auto r = session_->flownRehearsal();
    if (!r) return;
    double best = direction > 0 ? r->duration_s : 0;
    for (const LogEvent& e : r->log->events) {
        if (e.kind != "item") continue;
        if (direction > 0 && e.t_s > t_s_ + 0.05) {
            best = e.t_s;
            break;
        }
        if (direction < 0 && e.t_s < t_s_ - 0.5) best = e.t_s;
    }
    setPlayHead(best);
}

void RehearsePanel::setPlayHead(double t_s) {
    t_s_ = t_s;
    const auto r = session_->flownRehearsal();
    if (r) {
        const QSignalBlocker quiet(slider_);
        slider_->setValue(static_cast<int>(10000 * t_s / std::max(1.0, r->duration_s)));
        const auto value = [&](const char* name) {
            const Channel* c = r->log->find(name);
            const auto v = c != nullptr ? c->at(t_s) : std::nullopt;
            return v ? QString::number(*v, 'f', 0) : QString("–");
        };
        // The pass of the item that is flown, as repeats count.
        QString item = "–";
        const ItemPass* pass = passAt(passes_, t_s);
        if (pass != nullptr) {
            item = QString::fromStdString(itemText(*session_->derived()->plan, pass->item));
            if (pass->of > 1) item += QString(", pass %1 of %2").arg(pass->pass).arg(pass->of);
        }
        now_->setText(
            inUnits(QString("%1 · %2\n%3 m home · %4 m/s · heading %5° · roll %6° · pitch %7° · camera %8° · %9 %")
                        .arg(QString::fromStdString(durationText(t_s)), item, value("position.height_home_m"),
                             value("velocity.ground_mps"), value("attitude.yaw_deg"), value("attitude.roll_deg"),
                             value("attitude.pitch_deg"), value("camera.pitch_deg"), value("battery.left_percent"))));
        const int row = pass != nullptr ? static_cast<int>(pass - passes_.data()) : -1;
        const QSignalBlocker still(list_);
        list_->setCurrentItem(row >= 0 ? list_->topLevelItem(row) : nullptr);
    }
    emit playHeadMoved(t_s_);
}

bool RehearsePanel::following() const {
    return follow_->isChecked();
}

void RehearsePanel::refreshPasses() {
    const auto r = session_->flownRehearsal();
    if (r == passes_of_) return;
    passes_of_ = r;
    passes_.clear();
    list_->clear();
    const PlanView& view = session_->flownView();
    if (!r || !view.sendable()) return;
    passes_ = passesOf(*r, view.program);
    const Plan& plan = *session_->derived()->plan;
    QList<QTreeWidgetItem*> rows;
    for (const ItemPass& p : passes_) {
        QString name = QString::fromStdString(itemText(plan, p.item));
        if (p.of > 1) name += QString(" (%1 of %2)").arg(p.pass).arg(p.of);
        rows << new QTreeWidgetItem(
            QStringList{name, p.arrives_s ? QString::fromStdString(durationText(*p.arrives_s)) : "–",
                        p.photos > 0 ? QString::number(p.photos) : "", QString("%1 %").arg(p.left_percent, 0, 'f', 0)});
        for (int c = 1; c < 4; ++c) rows.back()->setTextAlignment(c, Qt::AlignRight | Qt::AlignVCenter);
    }
    list_->addTopLevelItems(rows);
    tryWindsAround();
}

/// How it would land with a fresh wind from the worst side, in the background.
void RehearsePanel::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (winds_due_) tryWindsAround();
}

void RehearsePanel::tryWindsAround() {
    winds_->clear();
    winds_maker_.drop();
    winds_due_ = !isVisible();
    if (winds_due_) return;
    const PlanView& view = session_->flownView();
    const DerivedPtr derived = session_->derived();
    // Of a flight in which something goes wrong, or of very many items, nobody asks.
    if (!view.sendable() || session_->failure() || view.program.steps.size() > 5000) return;
    RehearseOptions like;
    like.wind = session_->wind();
    winds_maker_.begin(
        [derived, sent = view.program, like](const LatestTask::Run& run) {
            RehearseOptions options = like;
            options.stop = run.stop;
            const auto tries = tryWinds(*derived->plan, sent, derived->terrain, kFreshWind_mps, options);
            const WindTry* found = worstWind(tries);
            return found == nullptr || run.stopped() ? std::nullopt : std::optional(*found);
        },
        [this, derived](const std::optional<WindTry>& found) {
            if (!found || session_->derived()->plan != derived->plan) return;
            const WindTry& worst = *found;
            const char* sides[] = {"north", "north-east", "east", "south-east",
                                   "south", "south-west", "west", "north-west"};
            const QString from = sides[static_cast<int>(std::lround(worst.wind.from_deg / 45)) % 8];
            QString text =
                QString("With %1 m/s from the %2, the worst side: %3")
                    .arg(kFreshWind_mps, 0, 'f', 0)
                    .arg(from, !worst.landed           ? QString("does not land by itself")
                               : worst.reached_reserve ? QString("turns back at the battery reserve")
                                                       : QString("lands with %1 %").arg(worst.left_percent, 0, 'f', 0));
            // A wind can also help: the worst of all is then the one that is set here.
            const auto now = session_->flownRehearsal();
            if (now && now->landed && worst.landed && !worst.reached_reserve &&
                now->energy_left_percent < worst.left_percent)
                text = QString("%1 is worse than %2 m/s from any side: lands with %3 % against %4 % at least")
                           .arg(session_->wind().speed_mps > 0 ? "The wind set here" : "Calm air")
                           .arg(kFreshWind_mps, 0, 'f', 0)
                           .arg(now->energy_left_percent, 0, 'f', 0)
                           .arg(worst.left_percent, 0, 'f', 0);
            winds_->setText(text);
        });
}

void RehearsePanel::refresh() {
    refreshPasses();
    const Derived& d = *session_->derived();
    const auto& failure = session_->failure();
    int row = 0;
    if (failure)
        for (int k = 1; k < static_cast<int>(std::size(kWhatIfs)); ++k)
            if (kWhatIfs[k].kind == failure->kind) row = k;
    what_if_->setCurrentIndex(row);
    const auto flown = session_->flownRehearsal();
    if (!flown) {
        const QString why = session_->notRehearsed();
        figures_->setFigures("–", why.isEmpty() ? "Rehearsing" : "Not rehearsed: " + why, {});
        now_->clear();
        return;
    }
    const Rehearsal& r = *flown;
    QString clearance = "unknown";
    if (r.min_clearance_m)
        clearance = QString("%1 m, %2")
                        .arg(*r.min_clearance_m, 0, 'f', 0)
                        .arg(QString::fromStdString(itemText(*d.plan, r.min_clearance_item)));
    const QString how =
        failure
            ? QString("what if %1, at %2").arg(kWhatIfs[row].text, QString::fromStdString(durationText(failure->at_s)))
        : r.endless         ? QString("repeats without an end, %1 passes to the reserve").arg(r.endless->passes)
        : r.stays           ? QString("ends in the air and waits there")
        : !r.landed         ? QString("does not land by itself")
        : r.reached_reserve ? QString("turns back at the battery reserve")
                            : QString("rehearsed flight, lands by itself");
    std::vector<std::pair<QString, QString>> rows{
        {"Distance, flown", QString::fromStdString(distanceText(r.distance_m))},
        {r.landed ? "Lands with" : "Still in the air with", QString("%1 %").arg(r.energy_left_percent, 0, 'f', 0)},
        {"Energy", QString("%1 Wh of %2").arg(r.energy_wh, 0, 'f', 1).arg(d.plan->vehicle.battery_wh)},
        {"Gets home if called", homeText(r)},
        {"Photos, flown", QString::number(r.photos)},
        {"Lowest clearance, flown", clearance},
        {"Highest", QString("%1 m home").arg(r.max_height_home_m, 0, 'f', 0)}};
    for (const FenceBreach& b : r.breaches) {
        const Fence* fence = d.plan->findFence(b.fence);
        if (fence == nullptr) continue;
        rows.push_back({QString(fence->kind == FenceKind::keepIn ? "Leaves fence %1" : "Enters fence %1")
                            .arg(QString::fromStdString(fence->name)),
                        "at " + QString::fromStdString(durationText(b.t_s))});
    }
    // Of a flight in which something goes wrong it would say what was before.
    if (failure) std::erase_if(rows, [](const auto& each) { return each.first == "Gets home if called"; });
    constexpr double kAtHome_m = 20;
    if (r.landed_from_home_m > kAtHome_m)
        rows.insert(rows.begin() + 1,
                    {"Distance of landing from home", QString::fromStdString(distanceText(r.landed_from_home_m))});
    figures_->setFigures(QString::fromStdString(durationText(r.duration_s)), how, rows);
    setPlayHead(std::min(t_s_, r.duration_s));
}

}  // namespace anhinga

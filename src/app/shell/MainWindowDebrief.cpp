// Debrief's wiring: traces, health report, replay, figures between the cursors, and the pages that look deeper.
#include <QtWidgets>
#include <cmath>

#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"
#include "app/widgets/Quantity.h"
#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/exchange/Export.h"
#include "core/logio/LogReader.h"
#include "core/logio/LoggedMission.h"

namespace anhinga {

namespace {
QString time(double s) {
    return QString::fromStdString(durationText(s));
}
}  // namespace

void MainWindow::setUsualTraces() {
    Trace height, speed, battery;
    height.name = "position.height_home_m";
    speed.name = "velocity.ground_mps";
    battery.name = "battery.left_percent";
    battery.right = true;
    trace_model_.setTraces({height, speed, battery});
}

void MainWindow::connectDebrief() {
    connect(traces_, &TraceBand::cursorMoved, this, [this] { replay_->stop(); });
    connect(traces_, &TraceBand::relationWanted, this, &MainWindow::showRelation);
    connect(&trace_model_, &TraceModel::cursorChanged, this, [this] {
        if (workspace_ != Workspace::debrief) return;
        refreshOverlay();
        refreshDebriefFigures();
    });
    connect(&trace_model_, &TraceModel::besideChanged, this, [this] {
        beside_rehearsed_ = false;
        if (!trace_model_.beside()) {
            beside_track_of_.reset();
            beside_track_.clear();
        }
        refreshOverlay();
    });
    connect(&trace_model_, &TraceModel::tracesChanged, this, [this] {
        if (workspace_ == Workspace::debrief) refreshDebriefFigures();
    });
    connect(&trace_model_, &TraceModel::sessionChanged, this, [this] {
        review_.diagnoseLog(trace_model_.session(), judgingPlan());
        refreshOverlay();
        refreshDebriefFigures();
    });
    connect(channels_, &ChannelPanel::openWanted, this, &MainWindow::openDialog);
    connect(channels_, &ChannelPanel::exportWanted, this, &MainWindow::exportLog);
    connect(channels_, &ChannelPanel::compareWanted, this, &MainWindow::showFlights);
    connect(channels_, &ChannelPanel::relationWanted, this, &MainWindow::showRelation);
    connect(channels_, &ChannelPanel::parametersWanted, this, &MainWindow::showContents);
    connect(channels_, &ChannelPanel::presenceWanted, this, &MainWindow::showPresence);
    connect(channels_, &ChannelPanel::colourTrackWanted, replay_, &ReplayBar::setColourBy);
    connect(comparison_, &ComparisonPanel::goTo, this, &MainWindow::showMoment);
    connect(comparison_, &ComparisonPanel::openPlanWanted, this, [this] {
        holdAgainst(true);
        comparison_->refresh();
        review_.diagnoseLog(trace_model_.session(), judgingPlan());
        refreshDebriefFigures();
    });
    connect(comparison_, &ComparisonPanel::missedFound, this, [this](const std::vector<GeoPoint>& places) {
        if (places == missed_photos_) return;
        missed_photos_ = places;
        refreshOverlay();
    });
    connect(replay_, &ReplayBar::playingChanged, this, &MainWindow::refreshDebriefFigures);
    connect(replay_, &ReplayBar::colourChanged, this, &MainWindow::refreshOverlay);
    connect(health_, &HealthPanel::showWanted, this, &MainWindow::showEvidence);
    connect(values_, &ValuesPanel::traceWanted, this,
            [this](const QString& name) { trace_model_.toggle(name.toStdString(), false); });
    connect(health_, &HealthPanel::diagnosisWanted, this,
            [this] { review_.diagnoseLog(trace_model_.session(), judgingPlan(), true); });
    connect(&review_, &ReviewSession::healthChanged, this, &MainWindow::refreshTop);
}

/// The plan a flight is judged by: the open one, where the flight could be held against it.
std::shared_ptr<const Plan> MainWindow::judgingPlan() const {
    return review_.mission().is_plan ? plan_.plan() : nullptr;
}

/// The open log against the mission that it holds, else the open plan where that was flown, or is asked for.
void MainWindow::holdAgainst(bool asked) {
    const Derived& d = *plan_.derived();
    const PlanView& view = plan_.flownView();
    held_against_ = d.plan;
    held_asked_ = asked;
    review_.compareWith(
        {d.plan, view.sendable() ? std::make_shared<const FlightProgram>(view.program) : nullptr, d.terrain, asked});
}

/// Once more where the plan is another than it was then.
void MainWindow::holdAgainstPlanAsItIs() {
    if (workspace_ != Workspace::debrief || !review_.log() || held_against_ == plan_.derived()->plan) return;
    const bool was_plan = review_.mission().is_plan;
    holdAgainst(held_asked_ && !review_.rehearsed());  // a rehearsal is of the plan as it was
    if (was_plan || review_.mission().is_plan) review_.diagnoseLog(trace_model_.session(), judgingPlan());
}

/// The cursor there, and the traces too where they show something else.
void MainWindow::showMoment(double t_s) {
    trace_model_.setCursor(t_s);
    const Stretch v = trace_model_.view();
    if (!v.holds(t_s)) trace_model_.setView({t_s - v.length_s() / 2, t_s + v.length_s() / 2});
}

void MainWindow::showEvidence(const Answer& answer) {
    std::vector<Trace> traces;
    std::map<std::string, std::string> units;  // without reading a channel
    if (const LogPtr log = trace_model_.log())
        for (const ChannelInfo& c : log->list()) units.emplace(c.name, c.unit);
    for (std::size_t i = 0; i < answer.channels.size(); ++i) {
        Trace t;
        t.name = answer.channels[i];
        // Two of one unit share an axis.
        const auto first = units.find(answer.channels[0]), own = units.find(t.name);
        t.right = i > 0 && first != units.end() && own != units.end() && first->second != own->second;
        traces.push_back(std::move(t));
    }
    if (!traces.empty()) trace_model_.setTraces(std::move(traces));
    const double length = answer.to_s - answer.from_s, room = std::max(5.0, length * 0.4);
    const Stretch whole = trace_model_.whole();
    trace_model_.setView({std::max(whole.from_s, answer.from_s - room), std::min(whole.to_s, answer.to_s + room)});
    trace_model_.setCursor(answer.from_s);
    trace_model_.setSecondCursor(length < 0.95 * whole.length_s() ? std::optional(answer.to_s) : std::nullopt);
}

QString MainWindow::debriefLine() const {
    if (!review_.log()) return "no log open";
    QString line = QFileInfo(review_.path()).completeBaseName().left(22);
    const int bad = count(review_.health(), Verdict::bad), attention = count(review_.health(), Verdict::attention);
    if (bad > 0)
        line += QString(" · %1 bad").arg(bad);
    else if (attention > 0)
        line += QString(" · %1 attention").arg(attention);
    return line;
}

/// While it is replayed, the attitude as an instrument in place of the figures.
void MainWindow::showReplayed() {
    const bool replaying = replay_->playing() && review_.log();
    if (replaying) {
        const FlightLog& log = *review_.log();
        VehicleSnapshot v;
        v.heard = true;
        const double t = trace_model_.cursor();
        const auto take = [&](std::optional<double>& to, const char* name) {
            if (const Channel* c = log.find(name)) to = c->at(t);
        };
        take(v.roll_deg, "attitude.roll_deg");
        take(v.pitch_deg, "attitude.pitch_deg");
        take(v.heading_deg, "attitude.yaw_deg");
        take(v.desired_roll_deg, "desired.roll_deg");
        take(v.desired_pitch_deg, "desired.pitch_deg");
        take(v.height_home_m, "position.height_home_m");
        take(v.ground_mps, "velocity.ground_mps");
        take(v.air_mps, "velocity.air_mps");
        take(v.climb_mps, "velocity.climb_mps");
        std::optional<double> over_ground_m;
        take(over_ground_m, "position.height_ground_m");
        instrument_->show(v, {}, !hovers(plan_.plan()->vehicle.kind), true, over_ground_m);
    }
    if (workspace_ == Workspace::debrief && figures_stack_->currentIndex() != (replaying ? 1 : 0))
        figures_stack_->setCurrentIndex(replaying ? 1 : 0);
}

void MainWindow::refreshDebriefFigures() {
    const LogPtr log = review_.log();
    showReplayed();
    if (replay_->playing()) return;
    if (!log) return figures_->setFigures("–", "No log open", {});
    const auto two = [](double v) { return QString::number(v, 'f', std::abs(v) < 100 ? 2 : 0); };
    std::vector<std::pair<QString, QString>> rows;
    if (const auto second = trace_model_.secondCursor()) {
        const double from = std::min(trace_model_.cursor(), *second), to = std::max(trace_model_.cursor(), *second);
        constexpr std::size_t kMost = 3;
        for (const Trace& t : trace_model_.traces()) {
            const Channel* c = trace_model_.channelOf(t);
            if (c == nullptr) continue;
            const Stats s = statsOf(*c, from, to);
            const QString name = QString::fromStdString(t.name.substr(t.name.rfind('.') + 1));
            if (rows.size() >= 3 * kMost) break;
            if (s.count == 0) {
                rows.emplace_back(name, "no value");
                continue;
            }
            const auto a = c->at(from), b = c->at(to);
            rows.emplace_back(name, "mean " + two(s.mean));
            rows.emplace_back("   least, most", two(s.lowest) + ", " + two(s.highest));
            rows.emplace_back("   difference", a && b ? two(*b - *a) : QString("–"));
        }
        return figures_->setFigures(
            time(to - from), QString("Between the cursors, from %1").arg(time(from - trace_model_.whole().from_s)),
            rows);
    }
    double distance = 0, top = 0;
    for (std::size_t i = 0; i < log->sessions.size(); ++i) {
        if (trace_model_.session() >= 0 && static_cast<int>(i) != trace_model_.session()) continue;
        distance += log->sessions[i].distance_m;
        top = std::max(top, log->sessions[i].max_height_home_m);
    }
    const double t = trace_model_.cursor();
    const auto now = [&](const char* name, const char* unit, int digits) {
        const Channel* c = log->find(name);
        const auto v = c != nullptr ? c->at(t) : std::nullopt;
        const double shown = v && std::abs(*v) < 0.5 * std::pow(10, -digits) ? 0.0 : v.value_or(0);  // no "-0"
        return v && std::isfinite(*v) ? inUnits(QString("%1 %2").arg(shown, 0, 'f', digits).arg(unit), UnitKind::height)
                                      : QString("–");
    };
    rows = {
        {"Distance, top", QString::fromStdString(distanceText(distance)) + QString(", %1 m home").arg(top, 0, 'f', 0)},
        {"Height at the cursor", now("position.height_home_m", "m home", 1)},
        {"Speed, climb", now("velocity.ground_mps", "m/s", 1) + ", " + now("velocity.climb_mps", "m/s", 1)},
        {"Roll, pitch, heading", now("attitude.roll_deg", "°", 0) + ", " + now("attitude.pitch_deg", "°", 0) + ", " +
                                     now("attitude.yaw_deg", "°", 0)},
        {"Battery", now("battery.left_percent", "%", 0) + ", " + now("battery.voltage_v", "V", 1)}};
    figures_->setFigures(time(trace_model_.whole().length_s()), "Length of the flight", rows);
}

void MainWindow::stepPlayHead(int direction) {
    if (workspace_ == Workspace::debrief)
        replay_->step(direction);
    else
        rehearse_->step(direction);
}

void MainWindow::showRelation() {
    if (!review_.log()) return showMessage("Open a log first: its channels are what is held against each other");
    if (relation_ == nullptr) {
        relation_ = new RelationDialog(&trace_model_, this);
        connect(relation_, &RelationDialog::goTo, this, &MainWindow::showMoment);
    }
    relation_->setTheme(theme_);
    relation_->present();
}

void MainWindow::showFlights() {
    if (!review_.log()) return showMessage("Open a log first: it is the one to compare with another");
    if (flights_ == nullptr) {
        flights_ = new FlightsDialog(&review_, &logbook_, &trace_model_, this);
        connect(flights_, &FlightsDialog::message, this, &MainWindow::showMessage);
    }
    flights_->setTheme(theme_);
    flights_->present();
}

void MainWindow::hopFlights() {
    if (!trace_model_.beside() || !review_.log())
        return showMessage("No flight is drawn beside this one: choose it in Compare (Ctrl+Shift+B)");
    const BesideLog there = *trace_model_.beside(), here{review_.log(), review_.path(), -there.shift_s};
    const bool was_rehearsed = review_.rehearsed();
    const Stretch view = trace_model_.view();
    const double cursor = trace_model_.cursor();
    hopping_ = true;
    const bool rehearsed = beside_rehearsed_;
    review_.showAgain(there.log, there.path, rehearsed);
    hopping_ = false;
    trace_model_.setBeside(here);
    beside_rehearsed_ = was_rehearsed;
    trace_model_.setView({view.from_s + there.shift_s, view.to_s + there.shift_s}, false);
    trace_model_.setCursor(cursor + there.shift_s);
}

void MainWindow::showValues() {
    if (workspace_ == Workspace::debrief) {
        debrief_tabs_->setCurrentWidget(values_);
        return values_->setFocus();
    }
    if (live_values_ == nullptr) live_values_ = new ValuesDialog(&link_, this);
    live_values_->setTheme(theme_);
    live_values_->present();
}

bool MainWindow::showFlight() {
    const LogPtr log = review_.log();
    if (!log) return false;
    const Channel* lat = log->find("position.lat_deg");
    const Channel* lon = log->find("position.lon_deg");
    const Channel* amsl = log->find("position.height_amsl_m");
    if (lat == nullptr || lon == nullptr) return false;
    const auto span = trace_model_.whole();
    constexpr std::size_t kMost = 500;  // places that say where it went
    std::vector<GeoPoint> places;
    std::vector<std::pair<GeoPoint, double>> heights;
    for (std::size_t i = 0; i < lat->t_s.size(); i += 1 + lat->t_s.size() / kMost) {
        const double t = lat->t_s[i];
        const auto east = lon->at(t);
        if (t < span.from_s || t > span.to_s || !east || !isValid(GeoPoint{lat->value[i], *east})) continue;
        places.push_back({lat->value[i], *east});
        const auto height = amsl != nullptr ? amsl->at(t) : std::nullopt;
        heights.emplace_back(places.back(), height.value_or(plan_.terrain()->sample(places.back()).value_or(0)));
    }
    map_->showPlaces(places);
    if (scene_ != nullptr) scene_->showPlaces(heights);
    return !places.empty();
}

void MainWindow::showContents() {
    if (!review_.log()) return showMessage("Open a log first");
    if (contents_ == nullptr) {
        contents_ = new ContentsDialog(&review_, this);
        connect(contents_, &ContentsDialog::message, this, &MainWindow::showMessage);
        connect(contents_, &ContentsDialog::missionWanted, this, &MainWindow::openLoggedMission);
    }
    contents_->present();
}

void MainWindow::openLoggedMission(int number) {
    const LogPtr log = review_.log();
    if (!log || number < 0 || number >= static_cast<int>(log->mission_lists.size())) return;
    const LoggedMission& list = log->mission_lists[static_cast<std::size_t>(number)];
    if (link_.connected() && link_.vehicle().armed)
        return showMessage("The aircraft is armed: its plan stays open. Open the log's mission once it has landed");
    auto back = planOfLog(list, *plan_.plan());
    if (!back) return showMessage(QString::fromStdString(back.error().message));
    back->plan.title = QFileInfo(review_.path()).completeBaseName().toStdString() + ", mission of the log";
    back->plan.seals.clear();
    back->plan.frozen = false;
    const auto before = plan_.plan();
    plan_.replaceAsNew("Mission of a log", back->plan);
    if (plan_.plan() == before) return;  // it was refused, and said so
    if (contents_ != nullptr) contents_->hide();
    setWorkspace(Workspace::draft);
    QString text = QString(
                       "%1 mission items of the log are a new plan; fences are not in the log. Undo brings the "
                       "earlier plan back")
                       .arg(list.items.size());
    if (list.items.size() < list.count)
        text =
            QString("Only %1 of %2 mission items are in the log; they are a new plan. Undo brings the earlier one back")
                .arg(list.items.size())
                .arg(list.count);
    if (!back->notes.empty()) text += ". " + QString::fromStdString(back->notes.front());
    showMessage(text);
}

void MainWindow::showPresence() {
    if (presence_ == nullptr) {
        presence_ = new PresenceDialog(&plan_, &review_, &logbook_, this);
        connect(presence_, &PresenceDialog::message, this, &MainWindow::showMessage);
    }
    const QPointF middle(map_->width() / 2.0, map_->height() / 2.0);
    presence_->present(map_->transform().toGeo(middle));
}

void MainWindow::themeDebriefDialogs() {
    if (relation_ != nullptr) relation_->setTheme(theme_);
    if (flights_ != nullptr) flights_->setTheme(theme_);
    reviewed_ = {};
}

void MainWindow::exportLog() {
    const LogPtr log = review_.log();
    if (!log) return showMessage("No log is open");
    const QString name = QFileInfo(review_.path()).completeBaseName();
    const QString photos = "Photo positions (*.csv)", drawn = "Channels that are drawn (*.csv)";
    QString filter;
    const QString path = QFileDialog::getSaveFileName(
        this, "Export log", name.isEmpty() ? "flight" : name,
        "KML (*.kml);;KMZ (*.kmz);;GPX (*.gpx);;GeoJSON (*.geojson);;CSV, all channels (*.csv);;" + drawn + ";;" +
            photos + ";;ULog (*.ulg)",
        &filter);
    if (path.isEmpty()) return;
    const std::string title = QFileInfo(review_.path()).fileName().toStdString();
    Result<std::string> content = fail("nothing to write");
    if (filter == photos) {
        content = photoTable(*log);
    } else if (filter == drawn) {
        LogTable table;
        for (const Trace& t : trace_model_.traces()) table.channels.push_back(t.name);
        content = logChannels(*log, table);
    } else {
        content = logExport(*log, title, path.toStdString());
    }
    if (!content) return showMessage(QString::fromStdString(content.error().message));
    const auto ok = writeFileAtomic(path.toStdString(), *content);
    showMessage(ok ? "Exported to " + path : QString::fromStdString(ok.error().message));
}

}  // namespace anhinga

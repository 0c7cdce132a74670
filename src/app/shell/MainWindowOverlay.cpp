// What map and Scene show of a flight: rehearsed, under way, or flown.
#include <QtWidgets>

#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"
#include "core/base/Numbers.h"
#include "core/pattern/Coverage.h"

namespace anhinga {

namespace {

/// Place, heading and height at a time of a log.
std::optional<MapOverlay::Aircraft> aircraftAt(const FlightLog& log, double t) {
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    const Channel* yaw = log.find("attitude.yaw_deg");
    if (lat == nullptr || lon == nullptr) return std::nullopt;
    const auto a = lat->at(t), b = lon->at(t);
    if (!a || !b) return std::nullopt;
    return MapOverlay::Aircraft{{*a, *b}, yaw != nullptr ? yaw->at(t).value_or(0) : 0, std::nullopt};
}

double valueAt(const FlightLog& log, const char* name, double t, double otherwise) {
    const Channel* c = log.find(name);
    return c != nullptr ? c->at(t).value_or(otherwise) : otherwise;
}

/// Heights AMSL of a log: its own, or those above home.
class LogHeights {
  public:
    LogHeights(const FlightLog& log, double home_amsl_m)
        : amsl_(log.find("position.height_amsl_m")), home_(log.find("position.height_home_m")), base_(home_amsl_m) {}
    double at(double t) const {
        if (amsl_ != nullptr)
            if (const auto v = amsl_->at(t)) return *v;
        return base_ + (home_ != nullptr ? home_->at(t).value_or(0) : 0);
    }

  private:
    const Channel *amsl_, *home_;
    double base_;
};

std::optional<SceneAircraft> sceneAircraftAt(const FlightLog& log, double t, double home_amsl_m, bool wing) {
    const auto a = aircraftAt(log, t);
    if (!a) return std::nullopt;
    return SceneAircraft{a->place,
                         LogHeights(log, home_amsl_m).at(t),
                         a->heading_deg,
                         valueAt(log, "attitude.pitch_deg", t, 0),
                         valueAt(log, "attitude.roll_deg", t, 0),
                         valueAt(log, "camera.pitch_deg", t, 0),
                         wing};
}

using TrackPtr = std::shared_ptr<const std::vector<TrackPoint>>;

/// The mode of each point of trackOf().
TrackColours trackColoursOf(const FlightLog& log, double until, const Theme& theme) {
    std::vector<QString> modes;
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr || log.modes.empty()) return {};
    std::size_t next = 0;
    QString mode = "before the first mode";
    for (std::size_t i = 0; i < std::min(lat->value.size(), lon->value.size()) && lat->t_s[i] <= until; ++i) {
        for (; next < log.modes.size() && log.modes[next].t_s <= lat->t_s[i]; ++next)
            mode = QString::fromStdString(log.modes[next].name);
        modes.push_back(mode);
    }
    return coloursByMode(modes, theme);
}

TrackPtr sceneTrackOf(const FlightLog& log, double home_amsl_m, const Theme& theme) {
    std::vector<TrackPoint> track;
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return nullptr;
    const LogHeights height(log, home_amsl_m);
    const TrackColours colours = trackColoursOf(log, INFINITY, theme);
    for (std::size_t i = 0; i < std::min(lat->value.size(), lon->value.size()); ++i)
        track.push_back({{lat->value[i], lon->value[i]}, height.at(lat->t_s[i]), colours.at(i, QColor())});
    return std::make_shared<const std::vector<TrackPoint>>(std::move(track));
}

/// The photo taken just before `t`, as long as it flashes.
std::optional<PlannedPhoto> flashAt(const FlightLog& log, double t, double home_amsl_m) {
    constexpr double kFlash_s = 0.8;
    std::optional<double> when;
    for (const LogEvent& e : log.events)
        if (e.kind == "photo" && e.t_s <= t && t - e.t_s < kFlash_s) when = e.t_s;
    const auto a = when ? aircraftAt(log, *when) : std::nullopt;
    if (!a) return std::nullopt;
    return PlannedPhoto{a->place, LogHeights(log, home_amsl_m).at(*when), a->heading_deg,
                        valueAt(log, "camera.pitch_deg", *when, -90)};
}

std::vector<GeoPoint> trackOf(const FlightLog& log, double until) {
    std::vector<GeoPoint> track;
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return track;
    for (std::size_t i = 0; i < std::min(lat->value.size(), lon->value.size()) && lat->t_s[i] <= until; ++i)
        track.push_back({lat->value[i], lon->value[i]});
    return track;
}

std::vector<GeoPoint> photosOf(const FlightLog& log, double until) {
    std::vector<GeoPoint> photos;
    for (const LogEvent& e : log.events)
        if (e.kind == "photo" && e.t_s <= until)
            if (const auto a = aircraftAt(log, e.t_s)) photos.push_back(a->place);
    return photos;
}

/// Time of the log's sample nearest to a place, within `reach_m`.
std::optional<double> timeNear(const FlightLog& log, GeoPoint place, double reach_m) {
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return std::nullopt;
    const LocalFrame frame(place);
    std::optional<double> best;
    for (std::size_t i = 0; i < std::min(lat->value.size(), lon->value.size()); ++i) {
        const double d = length(frame.toLocal({lat->value[i], lon->value[i]}));
        if (d < reach_m) {
            reach_m = d;
            best = lat->t_s[i];
        }
    }
    return best;
}

}  // namespace

std::shared_ptr<const std::vector<TrackPoint>> MainWindow::trackInScene(const LogPtr& log, double home_amsl_m) {
    if (log != scene_track_of_) {
        scene_track_of_ = log;
        scene_track_ = sceneTrackOf(*log, home_amsl_m, theme_);
    }
    return scene_track_;
}

const MainWindow::ReviewedTrack& MainWindow::reviewedTrack() {
    const LogPtr log = review_.log();
    const QString by = replay_->colourBy();
    if (reviewed_.log == log && reviewed_.by == by && reviewed_.night == theme_.night &&
        reviewed_.session == trace_model_.session())
        return reviewed_;
    reviewed_ = {log, by, theme_.night, trace_model_.session(), {}, {}, {}, {}};
    const Stretch part = trace_model_.whole();
    const Channel* lat = log->find("position.lat_deg");
    const Channel* lon = log->find("position.lon_deg");
    const Channel* value = by.isEmpty() ? nullptr : trace_model_.channel(by.toStdString());
    std::vector<QString> modes;
    std::vector<double> values;
    std::size_t next = 0;
    QString mode = "before the first mode";
    for (std::size_t i = 0; lat != nullptr && lon != nullptr && i < std::min(lat->value.size(), lon->value.size());
         ++i) {
        const double t = lat->t_s[i];
        for (; next < log->modes.size() && log->modes[next].t_s <= t; ++next)
            mode = QString::fromStdString(log->modes[next].name);
        if (t < part.from_s || t > part.to_s) continue;
        reviewed_.places.push_back({lat->value[i], lon->value[i]});
        reviewed_.t_s.push_back(t);
        if (value != nullptr)
            values.push_back(value->at(t).value_or(NAN));
        else
            modes.push_back(mode);
    }
    if (value != nullptr)
        reviewed_.colours = coloursByValue(
            values, by + (value->unit.empty() ? "" : "  " + QString::fromStdString(value->unit)), theme_);
    else if (!log->modes.empty())
        reviewed_.colours = coloursByMode(modes, theme_);
    reviewed_.photos = photosOf(*log, part.to_s);
    scene_track_of_.reset();
    return reviewed_;
}

void MainWindow::headTo(GeoPoint place, double reach_m) {
    const auto rehearsal = plan_.flownRehearsal();
    if (workspace_ == Workspace::rehearse && rehearsal) {
        if (const auto t = timeNear(*rehearsal->log, place, reach_m)) rehearse_->setPlayHead(*t);
    } else if (workspace_ == Workspace::debrief && review_.log()) {
        if (const auto t = timeNear(*review_.log(), place, reach_m)) {
            trace_model_.setCursor(*t);
            refreshOverlay();
        }
    }
}

void MainWindow::refreshOverlay() {
    MapOverlay o;
    SceneOverlay s;
    const Plan& plan = *plan_.plan();
    const bool wing = !hovers(plan.vehicle.kind);
    const double home_amsl = homeAmsl(plan, plan_.terrain().get()).value_or(0);
    const bool deep = sceneShown();  // what only the Scene shows is made for it alone
    ItemId active = 0;
    const FlightProgram& program = plan_.flownView().program;
    const auto itemOf = [&](double number) { return program.sourceAt(toInt(number, -1)); };
    const auto rehearsal = plan_.flownRehearsal();
    if (workspace_ == Workspace::rehearse && rehearsal) {
        const FlightLog& log = *rehearsal->log;
        const double t = rehearse_->playHead();
        o.aircraft = aircraftAt(log, t);
        // With something going wrong, where that leads is to be seen at once.
        o.track = trackOf(log, plan_.failure() ? INFINITY : t);
        o.photos = photosOf(log, t);
        const auto flash = flashAt(log, t, home_amsl);
        if (flash) o.flash = photoOnGround(*flash, plan.camera, plan_.terrain().get(), home_amsl);
        if (rehearse_->following() && o.aircraft && !deep) map_->keepInView(o.aircraft->place);
        if (deep) {
            s.aircraft = sceneAircraftAt(log, t, home_amsl, wing);
            s.track = trackInScene(rehearsal->log, home_amsl);
            s.flash = flash;
            s.can_scrub = true;
        }
        if (const Channel* c = log.find("mission.item")) active = itemOf(c->at(t).value_or(-1));
    } else if (workspace_ == Workspace::field && link_.connected()) {
        const VehicleSnapshot& v = link_.vehicle();
        if (v.position) o.aircraft = MapOverlay::Aircraft{*v.position, v.heading_deg.value_or(0), {}};
        std::vector<QString> modes;
        std::map<std::uint32_t, QString> words;
        VehicleSnapshot then = v;
        for (const FlownPoint& f : *v.track) {
            o.track.push_back(f.place);
            QString& word = words[f.custom_mode];
            if (word.isEmpty()) {
                then.custom_mode = f.custom_mode;
                word = QString::fromStdString(modeName(then));
            }
            modes.push_back(word);
        }
        o.colours = coloursByMode(modes, theme_);
        o.photos = *v.photo_places;
        if (deep && v.position && v.height_home_m) {
            const double base = v.home_amsl_m.value_or(home_amsl);
            s.aircraft = SceneAircraft{*v.position,
                                       v.amsl_m.value_or(base + *v.height_home_m),
                                       v.heading_deg.value_or(0),
                                       v.pitch_deg.value_or(0),
                                       v.roll_deg.value_or(0),
                                       0,
                                       wing};
            std::vector<TrackPoint> track;
            for (std::size_t i = 0; i < v.track->size(); ++i) {
                const FlownPoint& f = (*v.track)[i];
                track.push_back({f.place, base + f.height_home_m, o.colours.at(i, QColor())});
            }
            s.track = std::make_shared<const std::vector<TrackPoint>>(std::move(track));
        }
        if (v.armed && v.mission_item) active = itemOf(*v.mission_item);
    } else if (workspace_ == Workspace::debrief && review_.log()) {
        o.plan_quiet = true;
        const ReviewedTrack& track = reviewedTrack();
        o.track = track.places;
        o.colours = track.colours;
        o.photos = track.photos;
        o.missed = missed_photos_;
        o.aircraft = aircraftAt(*review_.log(), traces_->cursor());
        if (const auto& beside = trace_model_.beside()) {
            if (beside_track_of_ != beside->log) {
                beside_track_of_ = beside->log;
                beside_track_ = trackOf(*beside->log, INFINITY);
            }
            o.beside_track = beside_track_;
            o.beside = aircraftAt(*beside->log, traces_->cursor() + beside->shift_s);
        }
        if (replay_->following() && o.aircraft && !deep) map_->keepInView(o.aircraft->place);
        if (deep) {
            s.aircraft = sceneAircraftAt(*review_.log(), traces_->cursor(), home_amsl, wing);
            if (scene_track_of_ != review_.log()) {
                scene_track_of_ = review_.log();
                const LogHeights height(*review_.log(), home_amsl);
                std::vector<TrackPoint> points;
                for (std::size_t i = 0; i < track.places.size(); ++i)
                    points.push_back({track.places[i], height.at(track.t_s[i]), track.colours.at(i, QColor())});
                scene_track_ = std::make_shared<const std::vector<TrackPoint>>(std::move(points));
            }
            s.track = scene_track_;
            s.can_scrub = true;
        }
    }
    itinerary_->setActive(active);
    map_->setOverlay(std::move(o));
    if (scene_ != nullptr) scene_->setOverlay(std::move(s));
}

}  // namespace anhinga

// Calls about survey patterns: a plan with one pattern made from a shape, and where the photos of a plan are taken.
#include <cmath>
#include <filesystem>

#include "cli/Common.h"
#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/exchange/Import.h"
#include "core/geo/Coordinates.h"
#include "core/plan/Edit.h"
#include "core/plan/ProfileLibrary.h"

namespace anhinga {

namespace {

/// What the camera makes and when; what cannot be is said.
std::optional<std::string> camera(const PatternOptions& o, Pattern& p) {
    if (!o.policy.empty()) (void)setCameraByOldWord(p, o.policy);
    if (o.makes == "photos") p.makes = CameraMakes::photos;
    if (o.makes == "film") p.makes = CameraMakes::film;
    if (o.makes == "nothing") p.makes = CameraMakes::nothing;
    if (o.every.empty()) return std::nullopt;
    if (o.makes == "film" || o.makes == "nothing")
        return "--every says when photos are taken; the camera makes " + o.makes;
    p.makes = CameraMakes::photos;
    if (o.every == "point") {
        p.when = PhotoWhen::standing;
        return std::nullopt;
    }
    const char unit = o.every.back();
    const auto value = parseNumber(o.every.substr(0, o.every.size() - 1));
    constexpr double kMost_m = 5000, kMost_s = 3600;
    const double most = unit == 'm' ? kMost_m : kMost_s;
    if ((unit != 'm' && unit != 's') || !value || !(*value > 0 && *value <= most))
        return "--every \"" + o.every + "\" is neither metres (12m, up to 5000m), seconds (2s, up to 3600s) nor point";
    p.when = unit == 'm' ? PhotoWhen::distance : PhotoWhen::time;
    (unit == 'm' ? p.spacing_m : p.every_s) = *value;
    return std::nullopt;
}

/// What is asked for, put into the pattern; what cannot be is said.
std::optional<std::string> settings(const CliArguments& a, Plan& plan, Item& item) {
    Pattern& p = item.pattern.edit();
    const PatternOptions& o = a.pattern;
    if (!o.camera.empty()) {
        const ProfileLibrary library = genericProfiles();
        const auto at = std::find_if(library.cameras.begin(), library.cameras.end(),
                                     [&](const CameraProfile& c) { return c.name == o.camera; });
        if (at == library.cameras.end()) {
            std::string known;
            for (const CameraProfile& c : library.cameras) known += "\n  " + c.name;
            return "no camera \"" + o.camera + "\"; there are:" + known;
        }
        plan.camera = *at;
    }
    const HeightRef ref = o.ref == "home" ? HeightRef::home : o.ref == "amsl" ? HeightRef::amsl : HeightRef::ground;
    if (o.height_m)
        item.height = Height{*o.height_m, o.ref.empty() ? item.height->ref : ref};
    else if (!o.ref.empty())
        item.height = Height{item.height->value_m, ref};
    p.gsd_cm = o.gsd_cm;
    if (o.overlap_percent) p.overlap_percent = *o.overlap_percent;
    if (o.sidelap_percent) p.sidelap_percent = *o.sidelap_percent;
    if (o.heading == "best") {
        p.best_heading = true;
    } else if (!o.heading.empty()) {
        const auto heading = parseNumber(o.heading);
        if (!heading || std::abs(*heading) > 360)
            return "--heading \"" + o.heading + "\" is neither degrees (from -360 to 360) nor best";
        p.heading_deg = *heading;
    }
    p.crossing = o.crossing;
    p.follow = o.follow;
    if (o.tolerance_m) p.tolerance_m = *o.tolerance_m;
    if (o.margin == "photo") {
        p.whole_photos = true;
    } else if (!o.margin.empty()) {
        const auto margin = parseNumber(o.margin);
        const NumberRange range = allowedRange(&Pattern::margin_m);
        if (!margin || *margin < range.low || *margin > range.high)
            return fmt::format("--margin \"{}\" is neither metres (from {:g} to {:g}) nor photo", o.margin, range.low,
                               range.high);
        p.margin_m = *margin;
        p.whole_photos = false;
    } else {
        p.whole_photos = false;
    }
    if (const auto wrong = camera(o, p)) return wrong;
    if (o.speed_mps) item.speed_mps = o.speed_mps;
    if (o.width_m) p.width_m = *o.width_m;
    if (o.strips) p.strips = *o.strips;
    if (o.radius_m) p.radius_m = *o.radius_m;
    if (o.low_m) p.low_m = *o.low_m;
    if (o.high_m) p.high_m = *o.high_m;
    if (o.low_m && !o.high_m) p.high_m = std::max(p.high_m, p.low_m);
    if (o.step_up_m) p.step_up_m = *o.step_up_m;
    if (o.spacing_m) p.spacing_m = *o.spacing_m;
    if (!o.tilts.empty()) p.tilts_deg = o.tilts;
    if (!o.turns.empty()) p.turns_deg = o.turns;
    if (o.per_ring) p.per_ring = *o.per_ring;
    if (o.target_m) p.target = Height{*o.target_m, o.ref.empty() ? p.target.ref : ref};
    if (o.stand_off_m) p.stand_off_m = *o.stand_off_m;
    p.left_side = o.left_side;
    return std::nullopt;
}

CliResult makePattern(const CliArguments& a, ItemKind kind) {
    const auto home = parseCoordinate(a.place);
    if (!home) return unusable({"--home " + a.place + ": " + home.error().message});
    const auto file = readShapes(a.log);
    if (!file) return unusable(file.error());
    const ImportedShape& shape = file->shapes.front();
    if (hasArea(kind) && shape.kind != ShapeKind::area)
        return unusable({fmt::format("{}: its first shape is a {}; a {} needs an area", a.log,
                                     shapeKindText(shape.kind), kindText(kind))});
    if ((kind == ItemKind::corridor || kind == ItemKind::face) && shape.points.size() < 2)
        return unusable({fmt::format("{}: its first shape is a {}; a {} needs a line", a.log, shapeKindText(shape.kind),
                                     kindText(kind))});
    Plan plan;
    plan.title = std::filesystem::path(a.log).stem().string();
    plan.home = Home{*home, {}};
    for (const std::string& t : a.terrain)
        plan.terrain_files.push_back(std::filesystem::absolute(t).lexically_normal().string());
    const auto terrain = Terrain::open(plan.terrain_files);
    if (!terrain) return unusable(terrain.error());
    Item up;
    up.id = plan.newId();
    up.kind = ItemKind::takeOff;
    up.height = Height::aboveHome(30);
    Item item = patternItem(kind, kind == ItemKind::rings ? std::vector{middleOf(shape.points)} : shape.points);
    item.id = plan.newId();
    item.name = shape.name;
    if (kind == ItemKind::block) item.pattern.edit().holes = shape.holes;
    if (const auto wrong = settings(a, plan, item)) return unusable({*wrong});
    Item back;
    back.id = plan.newId();
    back.kind = ItemKind::returnHome;
    plan.items = {up, item, back};
    if (const auto ok = canBeSaved(plan); !ok) return unusable(ok.error());
    const PlanAnalysis begun = beginAnalysis(std::make_shared<const Plan>(plan), *terrain);
    const PlanView& view = begun.view;
    const PatternFlight& flight = *view.route.patterns.front().flight;
    if (!flight.problem.empty()) return unusable({fmt::format("{}: {}", kindText(kind), flight.problem)});
    if (const auto ok = savePlan(plan, a.out); !ok) return unusable(ok.error());
    double duration_s = flight.distance_m / effectiveSpeed(plan, item);
    if (const auto r = withFlights(begun)->rehearsal) duration_s = r->duration_s;
    CliResult out;
    out.json = {{"items", view.sendable() ? view.program.entries() : 0},
                {"photos", flight.photos.size()},
                {"lines", flight.lines},
                {"distance_m", flight.distance_m},
                {"area_m2", flight.area_m2},
                {"gsd_cm", flight.gsd_mean_m * 100},
                {"duration_s", duration_s},
                {"line_m", flight.line_m},
                {"heading_deg", flight.heading_deg},
                {"points", flight.points.size()},
                {"notes", flight.notes}};
    out.text = fmt::format("{}: {:.2f} ha, {} lines, {} photos, {} in the pattern, {} in all, {:.2f} cm, into {}",
                           kindText(kind), flight.area_m2 / 1e4, flight.lines, flight.photos.size(),
                           distanceText(flight.distance_m), durationText(duration_s), flight.gsd_mean_m * 100, a.out);
    for (const std::string& note : flight.notes) out.text += "\n" + note;
    return out;
}

}  // namespace

CliResult cliBlock(const CliArguments& a) {
    return makePattern(a, ItemKind::block);
}
CliResult cliCorridor(const CliArguments& a) {
    return makePattern(a, ItemKind::corridor);
}
CliResult cliRings(const CliArguments& a) {
    return makePattern(a, ItemKind::rings);
}
CliResult cliFace(const CliArguments& a) {
    return makePattern(a, ItemKind::face);
}
CliResult cliLap(const CliArguments& a) {
    return makePattern(a, ItemKind::lap);
}

CliResult cliPhotos(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    const CameraProfile& c = loaded->plan().camera;
    const auto angle = [&](double sensor_mm) { return 2 * std::atan(sensor_mm / (2 * c.focal_mm)) * 180 / M_PI; };
    CliResult out;
    // Across is across the flight line: the short side when the camera stands upright.
    out.json["camera"] = {{"fov_across_deg", angle(c.portrait ? c.sensor_h_mm : c.sensor_w_mm)},
                          {"fov_along_deg", angle(c.portrait ? c.sensor_w_mm : c.sensor_h_mm)},
                          {"px_across", c.portrait ? c.px_along : c.px_across},
                          {"px_along", c.portrait ? c.px_across : c.px_along}};
    out.json["photos"] = Json::array();
    for (const OpenedPattern& opened : loaded->view().route.patterns)
        for (const PlannedPhoto& photo : opened.flight->photos) {
            out.json["photos"].push_back({{"pattern", opened.item.id},
                                          {"lat", photo.place.lat_deg},
                                          {"lon", photo.place.lon_deg},
                                          {"amsl_m", photo.amsl_m ? Json(*photo.amsl_m) : Json()},
                                          {"yaw_deg", photo.yaw_deg},
                                          {"pitch_deg", photo.pitch_deg},
                                          {"roll_deg", 0.0}});
            out.text += fmt::format("{:4} {:12.7f} {:12.7f} {:>9} yaw {:6.1f} pitch {:6.1f}\n", opened.item.id,
                                    photo.place.lat_deg, photo.place.lon_deg,
                                    photo.amsl_m ? fmt::format("{:.1f} m", *photo.amsl_m) : "unknown", photo.yaw_deg,
                                    photo.pitch_deg);
        }
    out.text += fmt::format("{} photos", loaded->view().route.photos);
    return out;
}

}  // namespace anhinga

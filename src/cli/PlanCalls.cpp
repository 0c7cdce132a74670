// Calls about a plan alone: check, rehearse, compile, export.
#include "cli/Common.h"
#include "core/base/Digest.h"
#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/exchange/Export.h"
#include "core/exchange/FlownLine.h"
#include "core/exchange/Import.h"
#include "core/flight/Passes.h"
#include "core/logio/LogReader.h"
#include "core/review/FlightReport.h"
#include "core/sortie/Sorties.h"

namespace anhinga {

Result<LoadedPlan> loadForCli(const CliArguments& a) {
    auto plan = loadPlan(a.plan);
    if (!plan) return tl::unexpected(plan.error());
    std::vector<Terrain::Named> files;
    for (const std::string& f : a.terrain) files.push_back({f, f});
    for (const std::string& f : plan->terrain_files) files.push_back({f, resolveBeside(a.plan, f)});
    const auto terrain = Terrain::openPresent(files);
    // What the plan names may be missing, which is a finding; what was asked for here may not.
    for (const Terrain::Missing& m : terrain->missing())
        if (std::find(a.terrain.begin(), a.terrain.end(), m.name) != a.terrain.end()) return fail("{}", m.why);
    LoadedPlan loaded;
    loaded.analysis = beginAnalysis(std::make_shared<const Plan>(std::move(*plan)), terrain);
    loaded.sortie = a.sortie;
    if (a.sortie > 0) {
        auto sorties = sortiesOf(loaded.plan(), loaded.view().route, terrain.get());
        if (static_cast<std::size_t>(a.sortie) > sorties.size())
            return fail("{}: no sortie {}; it is flown in {}", a.plan, a.sortie, sorties.size());
        loaded.part =
            viewOf(loaded.plan(), std::move(sorties[static_cast<std::size_t>(a.sortie) - 1].route), terrain.get());
    }
    return loaded;
}

CliResult unusable(const Error& e) {
    return {2, Json::object(), "", e.message};
}

CliResult cliCheck(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    const PlanView& view = loaded->view();
    const PlanAnalysis analysis = completed(loaded->analysis);
    const auto& findings = a.sortie > 0 ? analysis.findingsOf(a.sortie) : analysis.findings;
    const std::size_t sorties = a.sortie > 0 ? 1 : std::max<std::size_t>(1, analysis.sorties.size());
    CliResult out;
    out.json["findings"] = Json::array();
    std::size_t counts[3] = {};
    for (const Finding& f : findings) {
        ++counts[static_cast<int>(f.severity)];
        Json j{{"severity", severityText(f.severity)}, {"rule", f.rule}, {"item", f.item}, {"message", f.message}};
        j["lat"] = f.place ? Json(f.place->lat_deg) : Json();
        j["lon"] = f.place ? Json(f.place->lon_deg) : Json();
        out.json["findings"].push_back(j);
        out.text += fmt::format("{:5} {}\n", severityText(f.severity), f.message);
    }
    if (!view.sendable()) out.text += "cannot be sent: " + view.not_sendable + "\n";
    out.json["items"] = view.sendable() ? view.program.entries() : 0;
    out.json["distance_m"] = view.path.length_m;
    out.json["photos"] = view.route.photos;
    out.json["area_m2"] = view.route.area_m2;
    out.json["sorties"] = sorties;
    out.json["patterns"] = Json::array();
    for (const OpenedPattern& o : view.route.patterns) {
        const PatternFlight& f = *o.flight;
        out.json["patterns"].push_back({{"item", o.item.id},
                                        {"kind", kindText(o.item.kind)},
                                        {"name", o.item.name},
                                        {"area_m2", f.area_m2},
                                        {"photos", f.photos.size()},
                                        {"lines", f.lines},
                                        {"distance_m", f.distance_m},
                                        {"gsd_cm", f.gsd_mean_m * 100},
                                        {"problem", f.problem}});
        out.text += fmt::format("      {}{}: {:.2f} ha, {} photos, {}\n", itemText(loaded->plan(), o.item.id),
                                o.item.name.empty() ? "" : " (" + o.item.name + ")", f.area_m2 / 1e4, f.photos.size(),
                                distanceText(f.distance_m));
    }
    out.json["lowest_clearance_m"] = view.clearance.lowest_m ? Json(*view.clearance.lowest_m) : Json();
    out.text +=
        fmt::format("{} stop, {} warn, {} note; {} mission items, {}, lowest clearance {}", counts[0], counts[1],
                    counts[2], view.sendable() ? view.program.entries() : 0, distanceText(view.path.length_m),
                    view.clearance.lowest_m ? distanceText(*view.clearance.lowest_m) : "unknown");
    out.code = counts[0] > 0 || !view.sendable() ? 1 : 0;
    return out;
}

CliResult cliRehearse(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    if (!loaded->view().sendable()) return unusable({a.plan + ": " + loaded->view().not_sendable});
    RehearseOptions options;
    options.wind = {a.wind_from_deg, a.wind_speed_mps, a.wind_shear, a.gusts_mps, a.seed};
    for (const std::string& text : a.failures) {
        const auto failure = parseFailure(text);
        if (!failure) return unusable({"--fail " + failure.error().message});
        options.failures.push_back(*failure);
    }
    options.start_item = static_cast<ItemId>(a.start_item);
    const auto r = rehearse(loaded->plan(), loaded->view().program, loaded->terrain(), options);
    if (!r) return unusable({a.plan + ": " + r.error().message});
    CliResult out;
    Json visits = Json::object();
    for (const auto& [id, n] : r->visits) visits[std::to_string(id)] = n;
    out.json = {{"duration_s", r->duration_s},
                {"distance_m", r->distance_m},
                {"energy_wh", r->energy_wh},
                {"energy_left_percent", r->energy_left_percent},
                {"photos", r->photos},
                {"max_height_home_m", r->max_height_home_m},
                {"min_clearance_m", r->min_clearance_m ? Json(*r->min_clearance_m) : Json()},
                {"visits", visits},
                {"sim_seconds_per_second", r->wall_s > 0 ? r->duration_s / r->wall_s : 0.0},
                {"landed", r->landed},
                {"stays", r->stays},
                {"endless_passes", r->endless ? Json(r->endless->passes) : Json()},
                {"least_home_percent", r->least_home_percent},
                {"reserve_home_s", r->reserve_home_s ? Json(*r->reserve_home_s) : Json()},
                {"no_return_s", r->no_return_s ? Json(*r->no_return_s) : Json()},
                {"failed_s", r->failed_s ? Json(*r->failed_s) : Json()},
                {"landed_from_home_m", r->landed_from_home_m}};
    out.json["breaches"] = Json::array();
    for (const FenceBreach& b : r->breaches)
        out.json["breaches"].push_back(
            {{"fence", b.fence}, {"item", b.item}, {"t_s", b.t_s}, {"lat", b.at.lat_deg}, {"lon", b.at.lon_deg}});
    out.json["items"] = Json::array();
    const auto passes = passesOf(*r, loaded->view().program);
    for (const ItemPass& p : passes)
        out.json["items"].push_back({{"item", p.item},
                                     {"pass", p.pass},
                                     {"of", p.of},
                                     {"from_s", p.from_s},
                                     {"arrives_s", p.arrives_s ? Json(*p.arrives_s) : Json()},
                                     {"to_s", p.to_s},
                                     {"photos", p.photos},
                                     {"energy_left_percent", p.left_percent},
                                     {"lowest_m", p.lowest_m ? Json(*p.lowest_m) : Json()}});
    out.text = fmt::format("{}, {}, {} ({:.1f} Wh used), {} photos, lowest clearance {}, {:.0f} s per second",
                           durationText(r->duration_s), distanceText(r->distance_m), endText(*r), r->energy_wh,
                           r->photos, r->min_clearance_m ? distanceText(*r->min_clearance_m) : "unknown",
                           r->duration_s / std::max(1e-9, r->wall_s));
    out.text += r->no_return_s ? "\ncould not get home from " + durationText(*r->no_return_s) + " on"
                : r->reserve_home_s
                    ? "\ncould get home above the reserve until " + durationText(*r->reserve_home_s)
                    : fmt::format("\ncould get home at any time, at worst with {:.0f} %", r->least_home_percent);
    if (r->endless)
        out.text += fmt::format("\nrepeats without an end: {} passes until the battery reserve", r->endless->passes);
    for (const FenceBreach& b : r->breaches)
        out.text += fmt::format("\nbreaks fence {} at {}, on the way to {}", loaded->plan().findFence(b.fence)->name,
                                durationText(b.t_s), itemText(loaded->plan(), b.item));
    if (r->failed_s) out.text += fmt::format("\nlands {} from home", distanceText(r->landed_from_home_m));
    if (a.list_items)
        for (const ItemPass& p : passes)
            out.text += fmt::format("\n{:<24} pass {} of {}  arrives {:>12}  {:3} photos  {:3.0f} % left  lowest {}",
                                    itemText(loaded->plan(), p.item), p.pass, p.of,
                                    p.arrives_s ? durationText(*p.arrives_s) : "never", p.photos, p.left_percent,
                                    p.lowest_m ? fmt::format("{:.0f} m", *p.lowest_m) : "unknown");
    if (a.try_wind_mps > 0) {
        out.json["winds"] = Json::array();
        out.text += fmt::format("\n{}: {}", a.wind_speed_mps > 0 ? "in the wind that was asked for" : "in calm air",
                                endText(*r));
        for (const WindTry& w :
             tryWinds(loaded->plan(), loaded->view().program, loaded->terrain(), a.try_wind_mps, options)) {
            out.json["winds"].push_back({{"from_deg", w.wind.from_deg},
                                         {"speed_mps", w.wind.speed_mps},
                                         {"energy_left_percent", w.left_percent},
                                         {"duration_s", w.duration_s},
                                         {"landed", w.landed},
                                         {"reached_reserve", w.reached_reserve}});
            out.text += fmt::format("\n{:.0f} m/s from {:3}: ", w.wind.speed_mps, w.wind.from_deg);
            out.text += w.landed ? fmt::format("lands with {:.0f} %{}", w.left_percent,
                                               w.reached_reserve ? ", turns back at the reserve" : "")
                                 : "does not land";
        }
    }
    if (!a.out.empty()) {
        if (extensionOf(a.out) != ".ulg") return unusable({a.out + ": a rehearsal is written as .ulg"});
        if (const auto ok = writeFileAtomic(a.out, writeUlog(*r->log)); !ok) return unusable(ok.error());
    }
    // What was chosen is fine: to stay in the air, or to repeat until the battery ends it.
    const bool as_chosen = (r->stays && loaded->plan().at_end != AtEnd::unsaid) ||
                           (r->landed && r->endless && endlessIsAccepted(loaded->plan()));
    out.code = (r->landed && !r->reached_reserve) || as_chosen ? 0 : 1;
    return out;
}

namespace {
Result<std::string> logForExport(const CliArguments& a, const FlightLog& log) {
    const std::string to = extensionOf(a.out);
    if (a.photos) return photoTable(log);
    if (!a.channels.empty() || a.rate_hz > 0) {
        if (to != ".csv") return fail("{}: chosen channels are written as .csv", a.out);
        return logChannels(log, {a.channels, a.rate_hz});
    }
    const std::string name = a.log.substr(a.log.rfind('/') + 1);
    if (to != ".html") return logExport(log, name, a.out);
    ReportInput in;
    in.log = &log;
    in.file = name;
    if (const auto digest = sha256OfFile(a.log)) in.sha256 = *digest;
    in.health = diagnose(log);
    return flightReport(in);
}
}  // namespace

CliResult cliExport(const CliArguments& a) {
    const std::string to = extensionOf(a.out);
    std::string content, note;
    if (a.log.ends_with(".geojson")) {
        CliArguments b = a;
        b.plan = a.log;
        const auto loaded = loadForCli(b);
        if (!loaded) return unusable(loaded.error());
        Result<Rehearsal> flown = fail("not rehearsed");
        if ((to == ".kml" || to == ".kmz") && loaded->view().sendable())
            flown = rehearse(loaded->plan(), loaded->view().program, loaded->terrain());
        const PlanExtras extras{&loaded->view().route, loaded->terrain().get(), flown ? flown->log.get() : nullptr};
        auto text = a.out.ends_with(kPlanExtension) ? Result<std::string>(writePlanText(loaded->plan()))
                                                    : planExport(loaded->plan(), loaded->view().path, a.out, extras);
        if (!text) return unusable(text.error());
        content = std::move(*text);
    } else {
        const auto log = openLog(a.log);
        if (!log) return unusable(log.error());
        auto text = logForExport(a, **log);
        if (!text) return unusable(text.error());
        content = std::move(*text);
        if (to == ".kml" || to == ".kmz" || to == ".gpx" || to == ".geojson") note = heightsNote(**log);
    }
    if (const auto ok = writeFileAtomic(a.out, content); !ok) return unusable(ok.error());
    return {0,
            {{"file", a.out}, {"bytes", content.size()}, {"note", note}},
            fmt::format("{}: {} bytes{}", a.out, content.size(), note.empty() ? "" : "\n" + note),
            ""};
}

CliResult cliImport(const CliArguments& a) {
    Plan plan;
    std::vector<std::string> notes;
    Json shapes = Json::array();
    if (auto own = loadPlan(a.log); own) {
        plan = movedTo(std::move(*own), a.log, a.out);
    } else {
        const auto file = readShapes(a.log);
        if (!file) return unusable(file.error());
        const ImportedFile thin = withFlownThinned(*file, a.thin_m);
        notes = thin.notes;
        plan.title = std::filesystem::path(a.log).stem().string();
        const auto roles = suggestedRoles(*file);
        if (takeHomeOfFlight(plan, *file, roles)) notes.emplace_back("home is where the flight began");
        for (std::size_t i = 0; i < file->shapes.size(); ++i) {
            addShape(plan, thin.shapes[i], roles[i]);
            shapes.push_back({{"kind", shapeKindText(file->shapes[i].kind)},
                              {"name", file->shapes[i].name},
                              {"points", thin.shapes[i].points.size()},
                              {"becomes", roleText(roles[i])}});
        }
    }
    if (const auto ok = savePlan(plan, a.out); !ok) return unusable(ok.error());
    CliResult out;
    out.json = {{"items", plan.items.size()}, {"fences", plan.fences.size()},
                {"rally", plan.rally.size()}, {"obstacles", plan.obstacles.size()},
                {"shapes", shapes},           {"notes", notes}};
    out.text = fmt::format("{} items, {} fences, {} rally points, {} obstacles into {}", plan.items.size(),
                           plan.fences.size(), plan.rally.size(), plan.obstacles.size(), a.out);
    for (const std::string& note : notes) out.text += "\n" + note;
    return out;
}

}  // namespace anhinga

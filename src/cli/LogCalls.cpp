// Calls about a log: inspect, channel, review, presence, diagnose, compare.
#include "cli/Common.h"
#include "core/base/Modes.h"
#include "core/base/Text.h"
#include "core/exchange/Import.h"
#include "core/logio/LogReader.h"
#include "core/plan/PlanFile.h"
#include "core/review/Compare.h"
#include "core/review/FlownMission.h"
#include "core/review/Health.h"
#include "core/review/Presence.h"

namespace anhinga {

namespace {

Json placeJson(const LoggedPlace& p) {
    return {{"lat", p.lat_deg}, {"lon", p.lon_deg}, {"amsl_m", p.amsl_m ? Json(*p.amsl_m) : Json()}};
}

/// A flight of a file by its number; of -1 the file's own log, all of its sessions.
Result<FlightOfFile> chosenFlight(const FlightLog& log, const CliArguments& a) {
    if (a.session < 0) return FlightOfFile{&log, -1};
    if (const auto flight = flightOfFile(log, a.session)) return *flight;
    return fail("{}: session {} of {}, counted from 0", a.log, a.session, flightsInFile(log));
}

}  // namespace

CliResult cliInspect(const CliArguments& a) {
    const auto opened = openLog(a.log);
    if (!opened) return unusable(opened.error());
    const FlightLog& log = **opened;
    const double zero = log.zero();
    CliResult out;
    Json sessions = Json::array(), modes = Json::array(), events = Json::array(), messages = Json::object(),
         params = Json::object(), changes = Json::array(), photos = Json::array(), components = Json::array();
    for (int i = 0; i < flightsInFile(log); ++i) {
        const FlightOfFile flight = *flightOfFile(log, i);
        const LogSession& s = flight.log->sessions[static_cast<std::size_t>(flight.session)];
        sessions.push_back({{"start_utc", s.start_unix_s > 0 ? Json(isoUtcMillis(s.start_unix_s)) : Json()},
                            {"duration_s", s.to_s - s.from_s},
                            {"distance_m", s.distance_m},
                            {"max_height_home_m", s.max_height_home_m},
                            {"armed_s", s.armed_s},
                            {"landed_from_takeoff_m", s.landed_from_takeoff_m},
                            {"vehicle", flight.log->vehicle}});
        out.text += fmt::format("flight of {}, {}, top {:.0f} m home, armed {}{}\n", durationText(s.to_s - s.from_s),
                                distanceText(s.distance_m), s.max_height_home_m, durationText(s.armed_s),
                                log.others.empty() ? "" : ", " + flight.log->vehicle);
    }
    for (const auto& [name, n] : log.message_counts) messages[name] = n;
    for (const auto& [name, v] : log.params) params[name] = v;
    for (const LoggedChange& c : log.param_changes)
        changes.push_back({{"t_s", c.t_s - zero}, {"name", c.name}, {"from", c.from}, {"to", c.to}});
    for (const ModeChange& m : log.modes) modes.push_back({{"t_s", m.t_s - zero}, {"name", modeInterfaceName(m.name)}});
    for (const LogEvent& e : log.events) {
        events.push_back({{"t_s", e.t_s - zero}, {"kind", e.kind}, {"text", e.text}});
        if (e.kind != "photo") continue;
        Json photo = {{"t_s", e.t_s - zero}};
        const auto place = log.placeOf(e);
        photo.update(place ? placeJson(*place) : Json{{"lat", nullptr}, {"lon", nullptr}, {"amsl_m", nullptr}});
        photo["place_from"] = e.place ? Json("record") : place ? Json("track") : Json();
        photos.push_back(std::move(photo));
    }
    for (const LogSpeaker& s : log.speakers)
        components.push_back(
            {{"system", s.system}, {"component", s.component}, {"kind", s.kind}, {"packets", s.packets}});
    const double start = log.start_unix_s > 0 ? log.start_unix_s + zero : 0;
    const auto home = log.homeAt(zero);
    out.json = {{"format", log.format},
                {"vehicle", log.vehicle},
                {"sessions", sessions},
                {"messages", messages},
                {"params", params},
                {"param_changes", changes},
                {"missions", log.missions},
                {"modes", modes},
                {"start_known", start > 0},
                {"start_utc", start > 0 ? Json(isoUtcMillis(start)) : Json()},
                {"home", home ? placeJson(*home) : Json()},
                {"photos", photos},
                {"components", components},
                {"events", events},
                {"damaged", {{"bytes", log.damaged_bytes}, {"records", log.damaged_records}}}};
    out.text += start > 0 ? fmt::format("began at {} UTC\n", isoUtcMillis(start))
                          : std::string("when it began is not in the log\n");
    if (log.speakers.size() > 1)
        for (const LogSpeaker& s : log.speakers)
            out.text += fmt::format("{} {}/{}: {} packets\n", s.kind, s.system, s.component, s.packets);
    out.text += fmt::format("{}: {} kinds of messages, {} channels, {} events, {} damaged bytes", log.format,
                            log.message_counts.size(), log.list().size(), log.events.size(), log.damaged_bytes);
    if (log.not_believed > 0)
        out.text += fmt::format("\n{} packets that were not believed are in nothing of this; they are in {}",
                                log.not_believed, log.not_believed_file);
    return out;
}

CliResult cliChannel(const CliArguments& a) {
    const auto opened = openLog(a.log);
    if (!opened) return unusable(opened.error());
    const auto flight = chosenFlight(**opened, a);
    if (!flight) return unusable(flight.error());
    const FlightLog& log = *flight->log;
    CliResult out;
    if (a.list) {
        out.json["channels"] = Json::array();
        for (const ChannelInfo& c : log.list()) {
            out.json["channels"].push_back({{"name", c.name}, {"unit", c.unit}, {"count", c.count}});
            out.text += fmt::format("{} [{}] {}\n", c.name, c.unit, c.count);
        }
        return out;
    }
    const Channel* c = log.find(a.channel);
    if (c == nullptr) return unusable({fmt::format("{}: no channel \"{}\"; list them with --list", a.log, a.channel)});
    double from = -INFINITY, to = INFINITY, zero = log.zero();
    if (flight->session >= 0) {
        const LogSession& s = log.sessions[static_cast<std::size_t>(flight->session)];
        from = zero = s.from_s;
        to = s.to_s;
    }
    Json times = Json::array(), values = Json::array();
    std::string csv = "t_s," + c->name + "\n";
    for (std::size_t i = 0; i < c->t_s.size(); ++i) {
        if (c->t_s[i] < from || c->t_s[i] > to) continue;
        times.push_back(c->t_s[i] - zero);
        values.push_back(std::isfinite(c->value[i]) ? Json(c->value[i]) : Json());
        csv += fmt::format("{:.4f},{:.9g}\n", c->t_s[i] - zero, c->value[i]);
    }
    out.json = {{"name", c->name}, {"unit", c->unit}, {"t_s", times}, {"value", values}};
    out.text = a.csv ? csv : fmt::format("{} [{}]: {} values", c->name, c->unit, times.size());
    return out;
}

CliResult cliReview(const CliArguments& a) {
    const auto opened = openLog(a.log);
    if (!opened) return unusable(opened.error());
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    if (!loaded->view().sendable()) return unusable({a.plan + ": " + loaded->view().not_sendable});
    const auto planned = rehearse(loaded->plan(), loaded->view().program, loaded->terrain());
    if (!planned) return unusable(planned.error());
    const FlownMission mission = flownMission(
        **opened, {std::make_shared<const Plan>(loaded->plan()),
                   std::make_shared<const FlightProgram>(loaded->view().program), loaded->terrain(), true});
    if (!mission.figures) return unusable({a.log + ": " + mission.not_compared});
    const PlannedFlown& flown = *mission.figures;
    CliResult out;
    const double off = 100 * (flown.flown_s / planned->duration_s - 1);
    const auto known = [](std::optional<double> v) { return v ? Json(*v) : Json(); };
    out.json = {{"cross_mean_m", known(flown.cross_mean_m)},
                {"cross_max_m", known(flown.cross_max_m)},
                {"height_mean_m", known(flown.height_mean_m)},
                {"height_max_m", known(flown.height_max_m)},
                {"planned_s", planned->duration_s},
                {"flown_s", flown.flown_s},
                {"duration_off_percent", known(mission.is_plan ? std::optional(off) : std::nullopt)},
                {"photos_planned", planned->photos},
                {"photos_flown", flown.photos_flown},
                {"legs", flown.legs.size()},
                {"held_against", mission.from == FlownMission::From::log ? "log" : "plan"},
                {"is_plan", mission.is_plan}};
    const auto metres = [](std::optional<double> v) { return v ? fmt::format("{:.1f} m", *v) : "not known"; };
    out.text = fmt::format(
        "flown {} against {} rehearsed ({:+.1f} %), largest cross-track error {} (mean {}), height error {}, {} "
        "photos, "
        "{} planned\nheld against {}",
        durationText(flown.flown_s), durationText(planned->duration_s), off, metres(flown.cross_max_m),
        metres(flown.cross_mean_m), metres(flown.height_max_m), flown.photos_flown, planned->photos, mission.text());
    if (!mission.is_plan) out.text += "\ntime and photos planned are of the plan, which is not what was flown";
    out.code = std::abs(off) <= 3 && mission.is_plan ? 0 : 1;
    return out;
}

CliResult cliPresence(const CliArguments& a) {
    PresencePlace place;
    if (!a.area.empty()) {
        const auto file = readShapes(a.area);
        if (!file) return unusable(file.error());
        if (file->shapes.empty() || file->shapes.front().kind != ShapeKind::area)
            return unusable({fmt::format("{}: its first shape is no area", a.area)});
        place.outline = file->shapes.front().points;
        place.holes = file->shapes.front().holes;
    } else {
        const auto point = parsePlace(a.place);
        if (!point) return unusable({"presence: --area FILE or --point LAT,LON is needed"});
        place.centre = {point->lat_deg, point->lon_deg};
        place.radius_m = a.within_m;
    }
    if (a.in_logbook) return presenceInLogbook(a, place);
    if (a.log.empty()) return unusable({"presence: a log, or --logbook for all flights in it, is needed"});
    const auto opened = openLog(a.log);
    if (!opened) return unusable(opened.error());
    const auto p = presence(**opened, place);
    if (!p) return unusable({fmt::format("{}: {}", a.log, p.error().message)});
    CliResult out;
    Json visits = Json::array(), unknown = Json::array();
    const double zero = (*opened)->zero();
    for (const PresenceVisit& v : p->visits)
        visits.push_back({{"enter_s", v.enter_s - zero},
                          {"leave_s", v.leave_s - zero},
                          {"from_begin", v.from_begin},
                          {"to_end", v.to_end},
                          {"lowest_m", v.lowest_m},
                          {"highest_m", v.highest_m}});
    for (const PresenceGap& g : p->unknown) unknown.push_back({{"from_s", g.from_s - zero}, {"to_s", g.to_s - zero}});
    out.json = {{"entered", p->entered},
                {"visits", visits},
                {"inside_s", p->inside_s},
                {"nearest_m", p->nearest_m},
                {"nearest_t_s", p->nearest_t_s - zero},
                {"height_home_m", p->height_home_m ? Json(*p->height_home_m) : Json()},
                {"unknown", unknown},
                {"position_every_s", p->position_every_s}};
    for (const PresenceVisit& v : p->visits)
        out.text += fmt::format("inside from {} to {}, {}\n", durationText(v.enter_s - zero),
                                durationText(v.leave_s - zero), durationText(v.leave_s - v.enter_s));
    if (!p->entered)
        out.text = fmt::format("not entered; nearest {} after {}\n", distanceText(p->nearest_m),
                               durationText(p->nearest_t_s - zero));
    for (const PresenceGap& g : p->unknown)
        out.text += fmt::format("not known from {} to {}: nothing was recorded\n", durationText(g.from_s - zero),
                                durationText(g.to_s - zero));
    out.code = p->entered ? 0 : 1;
    return out;
}

CliResult cliDiagnose(const CliArguments& a) {
    const auto opened = openLog(a.log);
    if (!opened) return unusable(opened.error());
    HealthOptions options;
    std::optional<Plan> plan;
    if (!a.plan.empty()) {
        auto loaded = loadPlan(a.plan);
        if (!loaded) return unusable(loaded.error());
        plan = std::move(*loaded);
        options.plan = &*plan;
    }
    const auto flight = chosenFlight(**opened, a);
    if (!flight) return unusable(flight.error());
    options.session = flight->session;
    const auto answers = diagnose(*flight->log, options);
    const double zero = flight->session < 0 ? flight->log->zero()
                                            : flight->log->sessions[static_cast<std::size_t>(flight->session)].from_s;
    CliResult out;
    Json verdicts = Json::array();
    for (const Answer& x : answers) {
        const bool known = x.verdict != Verdict::unknown;
        verdicts.push_back({{"question", x.question},
                            {"id", x.id},
                            {"verdict", verdictText(x.verdict)},
                            {"evidence", x.evidence},
                            {"from_s", known ? Json(x.from_s - zero) : Json()},
                            {"to_s", known ? Json(x.to_s - zero) : Json()},
                            {"value", known && std::isfinite(x.value) ? Json(x.value) : Json()},
                            {"unit", x.unit},
                            {"confidence", confidenceText(x.confidence)},
                            {"channels", x.channels},
                            {"try", x.advice},
                            {"ruled_out", x.ruled_out},
                            {"held_back", x.held_back},
                            {"next_flight", x.next_flight}});
        out.text += fmt::format("{:<9} {} {}\n", verdictText(x.verdict), x.question, x.evidence);
        for (const std::string& r : x.ruled_out) out.text += fmt::format("          ruled out: {}\n", r);
        if (!x.advice.empty()) out.text += fmt::format("          try: {}\n", x.advice);
        if (!x.next_flight.empty()) out.text += fmt::format("          next flight: {}\n", x.next_flight);
    }
    out.json = {{"verdicts", verdicts}};
    out.code = count(answers, Verdict::bad) > 0 ? 1 : 0;
    return out;
}

CliResult cliCompare(const CliArguments& a) {
    const auto before = openLog(a.log), after = openLog(a.other);
    if (!before) return unusable(before.error());
    if (!after) return unusable(after.error());
    const FlightComparison c = compareFlights(**before, **after);
    CliResult out;
    Json measures = Json::array(), params = Json::array();
    int changed = 0;
    for (const MeasureChange& m : c.measures) {
        measures.push_back({{"name", m.name},
                            {"unit", m.unit},
                            {"before", m.before ? Json(m.before->value) : Json()},
                            {"after", m.after ? Json(m.after->value) : Json()},
                            {"noise", m.noise},
                            {"changed", m.changed}});
        changed += m.changed;
        const auto text = [&](const std::optional<Measure>& v) { return v ? fmt::format("{:.2f}", v->value) : "-"; };
        out.text += fmt::format("{} {:<36} {:>8} {:>8} {:<6} noise {:.2f}\n", m.changed ? "changed" : "       ", m.name,
                                text(m.before), text(m.after), m.unit, m.noise);
    }
    for (const ParamChange& p : c.params) {
        params.push_back({{"name", p.name},
                          {"before", p.before ? Json(*p.before) : Json()},
                          {"after", p.after ? Json(*p.after) : Json()}});
        out.text += fmt::format("parameter {}: {} -> {}\n", p.name, p.before ? paramText(*p.before) : "none",
                                p.after ? paramText(*p.after) : "none");
    }
    out.json = {{"measures", measures}, {"params", params}, {"caution", c.caution}};
    if (!c.caution.empty()) out.text += c.caution + "\n";
    out.code = changed > 0 ? 1 : 0;
    return out;
}

}  // namespace anhinga

#include "cli/Cli.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <iostream>
#include <limits>

#include "cli/Program.h"
#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {

/// A number between both, with a point in every locale; neither NaN nor infinite.
CLI::Validator within(double low, double high) {
    return {[low, high](std::string& text) {
                const auto value = parseNumber(text);
                if (value && *value >= low && *value <= high) return std::string();
                return fmt::format("{} is not a number from {:g} to {:g}", shownText(text), low, high);
            },
            fmt::format("{:g} to {:g}", low, high)};
}
/// What a plan may hold for it.
CLI::Validator within(double Pattern::*number) {
    const NumberRange range = allowedRange(number);
    return within(range.low, range.high);
}

}  // namespace

int runCli(int argc, char** argv) {
    writeErrorsNotSignals();
    CLI::App app{"Anhinga on the command line: plan, rehearse, hand over, fly, review"};
    app.require_subcommand(1);
    const CLI::Range item_ids(1, std::numeric_limits<int>::max());
    bool json = false;
    CliArguments a;
    CliResult (*call)(const CliArguments&) = nullptr;
    const auto command = [&](const char* name, const char* help, CliResult (*function)(const CliArguments&)) {
        CLI::App* sub = app.add_subcommand(name, help);
        sub->add_flag("--json", json, "one JSON object on stdout, nothing else");
        sub->callback([&call, function] { call = function; });
        return sub;
    };
    const auto plan = [&](CLI::App* sub) {
        sub->add_option("PLAN", a.plan, "plan file")->required();
        sub->add_option("--terrain", a.terrain, "elevation raster (may be repeated)")->allow_extra_args(false);
        sub->add_option("--sortie", a.sortie, "only this one of the plan's sorties, from 1")
            ->check(CLI::Range(1, 1000));
        return sub;
    };
    const auto link = [&](CLI::App* sub) {
        sub->add_option("--link", a.link, "udp-listen:PORT, udp:HOST:PORT, tcp:HOST:PORT or serial:DEVICE:BAUD")
            ->required();
        sub->add_option("--sign-file", a.sign_file,
                        "file with the passphrase of the key that everything is signed with; - asks for it");
    };

    const auto several = [&](CLI::App* sub) {
        sub->add_option("-j,--jobs", a.jobs, "logs at a time; as many as there are processors when absent")
            ->check(CLI::Range(1, 64));
    };

    plan(command("check", "findings of a plan", cliCheck));
    CLI::App* rehearse = plan(command("rehearse", "fly a plan on the ground", cliRehearse));
    rehearse->add_option("--wind-from", a.wind_from_deg, "degrees")->check(within(-360, 360));
    rehearse->add_option("--wind-speed", a.wind_speed_mps, "m/s")->check(within(0, 60));
    rehearse->add_option("--shear", a.wind_shear, "exponent of the wind's growth with height; 0.14 over open land")
        ->check(within(0, 1));
    rehearse->add_option("--gusts", a.gusts_mps, "m/s, standard deviation")->check(within(0, 20));
    rehearse->add_option("--seed", a.seed, "of the gusts")
        ->check(CLI::Range(0U, std::numeric_limits<std::uint32_t>::max()));
    rehearse
        ->add_option("--fail", a.failures,
                     "return, lost-link, low-battery or gps-loss @SECONDS, wind@SECONDS:FROM:SPEED")
        ->allow_extra_args(false);
    rehearse->add_option("--try-wind", a.try_wind_mps, "m/s: how it would land with this wind from eight directions")
        ->check(within(0, 60));
    rehearse->add_flag("--items", a.list_items, "list arrival, photos and battery of every item");
    rehearse->add_option("--start", a.start_item, "item (its id) to begin at")->check(item_ids);
    rehearse->add_option("--out", a.out, "write the rehearsal as a log (.ulg)");
    CLI::App* sorties = plan(command("sorties", "the parts a plan is flown in; cut where it is not yet", cliSorties));
    sorties->add_flag("--anew", a.anew, "cut it again");
    CLI::Option* resume =
        sorties->add_option("--resume", a.resume_item, "item (its id) at which the last flight ended")->check(item_ids);
    sorties->add_option("--photo", a.resume_photo, "of that item, from 1")
        ->check(CLI::Range(1, 1000000))
        ->needs(resume);
    sorties->add_option("--wind-from", a.wind_from_deg, "degrees")->check(within(-360, 360));
    sorties->add_option("--wind-speed", a.wind_speed_mps, "m/s")->check(within(0, 60));
    sorties->add_option("--out", a.out, "plan file to write, with its cuts");
    struct PatternCall {
        const char *name, *help;
        CliResult (*call)(const CliArguments&);
    };
    const PatternCall patterns[] = {{"block", "a plan with a Block over the file's first area", cliBlock},
                                    {"corridor", "a plan with a Corridor along its first line", cliCorridor},
                                    {"rings", "a plan with Rings around its first shape", cliRings},
                                    {"face", "a plan with a Face along its first line", cliFace},
                                    {"lap", "a plan with a Lap around its first area", cliLap}};
    for (const PatternCall& p : patterns) {
        CLI::App* sub = command(p.name, p.help, p.call);
        PatternOptions& o = a.pattern;
        sub->add_option("SHAPE", a.log, "GeoJSON, KML, GPX or CSV")->required();
        sub->add_option("--home", a.place, "LAT,LON")->required();
        sub->add_option("--out", a.out, "plan file to write")->required();
        sub->add_option("--terrain", a.terrain, "elevation raster (may be repeated)")->allow_extra_args(false);
        sub->add_option("--camera", o.camera, "name of a camera profile");
        sub->add_option("--height", o.height_m, "metres")->check(within(-20000, 20000));
        sub->add_option("--ref", o.ref, "home, amsl or ground")->check(CLI::IsMember({"home", "amsl", "ground"}));
        sub->add_option("--gsd", o.gsd_cm, "ground sample distance, cm")->check(within(0.01, 1000));
        sub->add_option("--overlap", o.overlap_percent, "percent, along")->check(within(&Pattern::overlap_percent));
        sub->add_option("--sidelap", o.sidelap_percent, "percent, across")->check(within(&Pattern::sidelap_percent));
        sub->add_option("--heading", o.heading, "degrees or best");
        sub->add_flag("--crossing", o.crossing, "a second pass across the first");
        sub->add_flag("--follow", o.follow, "follow the terrain");
        sub->add_option("--tolerance", o.tolerance_m, "of following, metres")->check(within(&Pattern::tolerance_m));
        sub->add_option("--margin", o.margin, "metres beyond the edge, or photo: every photo that shows the area");
        sub->add_option("--camera-makes", o.makes, "photos, film or nothing")
            ->check(CLI::IsMember({"photos", "film", "nothing"}));
        sub->add_option("--every", o.every, "photos every 12m, every 2s, or standing still at each point");
        sub->add_option("--policy", o.policy)
            ->check(CLI::IsMember({"distance", "time", "stop", "video", "none"}))
            ->group("");  // the older word, not shown
        sub->add_option("--speed", o.speed_mps, "m/s")->check(within(0.1, 150));
        sub->add_option("--width", o.width_m, "of a corridor, metres")->check(within(&Pattern::width_m));
        sub->add_option("--strips", o.strips, "of a corridor")->check(CLI::Range(1, 1000));
        sub->add_option("--radius", o.radius_m, "of rings, metres")->check(within(&Pattern::radius_m));
        sub->add_option("--low", o.low_m, "lowest ring or row, metres")->check(within(&Pattern::low_m));
        sub->add_option("--high", o.high_m, "highest ring or row, metres")->check(within(&Pattern::high_m));
        sub->add_option("--step", o.step_up_m, "between rings or rows, metres")->check(within(&Pattern::step_up_m));
        sub->add_option("--spacing", o.spacing_m, "between photos, metres")->check(within(&Pattern::spacing_m));
        sub->add_option("--per-ring", o.per_ring, "photos a ring")->check(CLI::Range(3, 2000));
        sub->add_option("--target", o.target_m, "height of what is looked at, metres")->check(within(-20000, 20000));
        sub->add_option("--stand-off", o.stand_off_m, "from the face, metres")->check(within(&Pattern::stand_off_m));
        sub->add_flag("--left", o.left_side, "the face left of the line");
        sub->add_option("--tilts", o.tilts, "of the camera at each point of a face, degrees: -30,0,30")
            ->delimiter(',')
            ->check(within(-90, 90));
        sub->add_option("--turns", o.turns, "of the nose against the face, degrees: -20,0,20")
            ->delimiter(',')
            ->check(within(-180, 180));
    }
    plan(command("photos", "where the photos of a plan are taken", cliPhotos));
    plan(command("compile", "the mission items of a plan", cliCompile));
    const auto stops = [&](CLI::App* sub) {
        sub->add_flag("--accept-stops", a.accept_stops, "send it in spite of findings that say stop");
    };
    CLI::App* send = plan(command("send", "hand a plan over and read it back", cliSend));
    link(send);
    stops(send);
    send->add_flag("--store", a.store_aboard, "ask the aircraft to keep it over a power cut");
    CLI::App* fetch = command("fetch", "read what the aircraft holds into a plan", cliFetch);
    link(fetch);
    fetch->add_option("--out", a.out, "plan file to write")->required();
    CLI::App* fly = plan(command("fly", "hand over, arm, start, wait for the landing", cliFly));
    link(fly);
    stops(fly);
    fly->add_option("--record", a.record, "recording to write (.tlog)");
    CLI::Option* pause =
        fly->add_option("--pause-at", a.pause_at_s, "hold so many seconds after the start")->check(within(0, 1e6));
    fly->add_option("--resume-after", a.resume_after_s, "go on after so many seconds of holding")
        ->check(within(0, 1e6))
        ->needs(pause);
    fly->add_option("--return-at", a.return_at_s, "return home so many seconds after the start")->check(within(0, 1e6));
    fly->add_option("--timeout", a.timeout_s, "seconds to wait for the landing")->check(within(1, 1e6));
    CLI::App* orders = command("orders", "tell the aircraft something, one after the other", cliOrders);
    link(orders);
    orders
        ->add_option("--do", a.orders,
                     "hold, resume, return, land, height=M, speed=MPS or goto=LAT,LON,M; heights above home "
                     "(may be repeated)")
        ->required()
        ->allow_extra_args(false);
    CLI::App* params = command("params", "parameters of the aircraft", cliParams);
    link(params);
    params->add_option("--set", a.sets, "NAME=VALUE (may be repeated), read back")->allow_extra_args(false);
    params->add_option("--out", a.out, "file to write them to (.csv)");
    CLI::App* logs = command("logs", "logs aboard", cliLogs);
    link(logs);
    CLI::Option* get = logs->add_option("--get", a.get_log, "number of the log to fetch")->check(CLI::Range(0, 65535));
    logs->add_option("--out", a.out, "file to write it to")->needs(get);
    logs->add_flag("--ftp", a.over_ftp, "as a file over MAVLink FTP");
    command("inspect", "what is in a log", cliInspect)->add_option("LOG", a.log)->required();
    CLI::App* channel = command("channel", "one channel of a log", cliChannel);
    channel->add_option("LOG", a.log)->required();
    channel->add_option("NAME", a.channel);
    channel->add_flag("--list", a.list, "names with unit and count");
    channel->add_option("--session", a.session, "from 0")->check(CLI::Range(0, 100000));
    channel->add_flag("--csv", a.csv);
    CLI::App* exported = command("export", "write a log or plan in an open format", cliExportEach);
    exported->add_option("LOG_OR_PLAN", a.files, "of logs several, and folders")->required();
    exported->add_option("--terrain", a.terrain, "elevation raster (may be repeated)")->allow_extra_args(false);
    exported->add_option("--out", a.out, "the extension chooses the format; with --as a folder")->required();
    exported->add_option("--as", a.formats, "formats of several logs: kml,gpx")
        ->delimiter(',')
        ->check(CLI::IsMember({"kml", "kmz", "gpx", "geojson", "csv", "ulg", "html"}))
        ->allow_extra_args(false);
    several(exported);
    exported->add_flag("--photos", a.photos, "of a log: the positions of its photos (.csv)");
    exported->add_option("--channel", a.channels, "of a log: this channel (may be repeated; .csv)")
        ->allow_extra_args(false);
    exported->add_option("--rate", a.rate_hz, "rows a second of chosen channels")->check(within(0.001, 10000));
    CLI::App* imported = command("import", "places of a KML, KMZ, GPX, GeoJSON or CSV file into a plan", cliImport);
    imported->add_option("FILE", a.log)->required();
    imported->add_option("--out", a.out, "plan file to write")->required();
    imported->add_option("--thin", a.thin_m, "metres by which a flown line may be bent; 0 leaves every point")
        ->check(within(0, 1000));
    CLI::App* place = command("place", "ground, magnetic field and other coordinates of a place", cliPlace);
    place->add_option("PLACE", a.place, "LAT,LON[,AMSL]")->required();
    place->add_option("--date", a.date, "YYYY-MM-DD or decimal year; today when absent");
    place->add_option("--terrain", a.terrain, "elevation raster (may be repeated)")->allow_extra_args(false);
    CLI::App* present =
        command("presence", "whether a flight was in an area or near a place; 1 when it was not", cliPresence);
    CLI::Option* log = present->add_option("LOG", a.log);
    present->add_flag("--logbook", a.in_logbook, "every flight in the logbook")->excludes(log);
    present->add_option("--book", a.book, "another logbook than the application's own");
    auto* area = present->add_option("--area", a.area, "file with the outline (GeoJSON, KML, ...)");
    auto* point = present->add_option("--point", a.place, "LAT,LON");
    present->add_option("--within", a.within_m, "metres around it")->check(within(0.1, 1e6))->needs(point);
    area->excludes(point);
    CLI::App* health = command("diagnose", "health report: what a log says about the aircraft; 1 when something is bad",
                               cliDiagnoseEach);
    health->add_option("LOG", a.files, "several, and folders")->required();
    several(health);
    health->add_option("--plan", a.plan, "its reserve and battery are the ones to judge by");
    health->add_option("--session", a.session, "from 0")->check(CLI::Range(0, 100000));
    CLI::App* logbook = app.add_subcommand("logbook", "the flights that are known here");
    logbook->require_subcommand(1);
    const auto of_logbook = [&](const char* name, const char* help, CliResult (*function)(const CliArguments&)) {
        CLI::App* sub = logbook->add_subcommand(name, help);
        sub->add_flag("--json", json, "one JSON object on stdout, nothing else");
        sub->add_option("--book", a.book, "another logbook than the application's own");
        sub->callback([&call, function] { call = function; });
        return sub;
    };
    of_logbook("add", "note every flight of these folders and files", cliLogbookAdd)
        ->add_option("FOLDER", a.files)
        ->required();
    of_logbook("list", "flights, the newest first", cliLogbookList)
        ->add_option("--search", a.search, "words of file, vehicle, place, notes, tags, format or date");
    CLI::App* trend = command("trend", "the same measures over many flights: steps, and what creeps", cliTrend);
    trend->add_option("FOLDER", a.log)->required();
    trend->add_option("--vehicle", a.vehicle, "only flights of this aircraft");
    trend->add_option("--book", a.book, "another logbook than the application's own, for what was done in between");
    CLI::App* compared =
        command("compare", "the same measures of two flights, and which changed; 1 when one did", cliCompare);
    compared->add_option("LOG", a.log, "before")->required();
    compared->add_option("OTHER", a.other, "after")->required();
    CLI::App* review =
        command("review", "planned against flown; 1 when the duration is off by more than 3 %", cliReview);
    review->add_option("LOG", a.log)->required();
    review->add_option("--plan", a.plan)->required();
    review->add_option("--terrain", a.terrain, "elevation raster (may be repeated)")->allow_extra_args(false);

    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        return app.exit(e, std::cout, std::cerr) == 0 ? 0 : 2;
    }
    CliResult result;
    try {
        result = call(a);
    } catch (const std::exception& e) {
        // What nobody expected: nothing was written by half, every file is replaced whole.
        result = {2, {}, "", fmt::format("this cannot be done: {}", e.what())};
    }
    if (!result.error.empty()) std::cerr << "anhinga-cli: " << shownText(result.error) << "\n";
    if (json && (result.code < 2 || !result.json.empty()))
        std::cout << result.json.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace) << "\n";
    else if (!json && !result.text.empty())
        std::cout << shownText(result.text) << (result.text.ends_with('\n') ? "" : "\n");
    return result.code;
}

}  // namespace anhinga

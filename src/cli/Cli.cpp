#include "cli/Cli.h"

#include <CLI/CLI.hpp>
#include <iostream>

namespace anhinga {

int runCli(int argc, char** argv) {
    CLI::App app{"Anhinga on the command line: plan, rehearse, hand over, fly, review"};
    app.require_subcommand(1);
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
        return sub;
    };
    const auto link = [&](CLI::App* sub) {
        sub->add_option("--link", a.link, "udp-listen:PORT, udp:HOST:PORT, tcp:HOST:PORT")->required();
    };

    plan(command("check", "findings of a plan", cliCheck));
    CLI::App* rehearse = plan(command("rehearse", "fly a plan on the ground", cliRehearse));
    rehearse->add_option("--wind-from", a.wind_from_deg, "degrees")->check(CLI::Range(-360.0, 360.0));
    rehearse->add_option("--wind-speed", a.wind_speed_mps, "m/s")->check(CLI::Range(0.0, 60.0));
    rehearse->add_option("--out", a.out, "write the rehearsal as a log (.ulg)");
    plan(command("compile", "the mission items of a plan", cliCompile));
    link(plan(command("send", "hand a plan over and read it back", cliSend)));
    CLI::App* fetch = command("fetch", "read what the aircraft holds into a plan", cliFetch);
    link(fetch);
    fetch->add_option("--out", a.out, "plan file to write")->required();
    CLI::App* fly = plan(command("fly", "hand over, arm, start, wait for the landing", cliFly));
    link(fly);
    fly->add_option("--record", a.record, "recording to write (.tlog)");
    fly->add_option("--timeout", a.timeout_s, "seconds to wait for the landing")->check(CLI::Range(1.0, 1e6));
    command("inspect", "what is in a log", cliInspect)->add_option("LOG", a.log)->required();
    CLI::App* channel = command("channel", "one channel of a log", cliChannel);
    channel->add_option("LOG", a.log)->required();
    channel->add_option("NAME", a.channel);
    channel->add_flag("--list", a.list, "names with unit and count");
    channel->add_option("--session", a.session, "from 0")->check(CLI::Range(0, 100000));
    channel->add_flag("--csv", a.csv);
    CLI::App* exported = command("export", "write a log or plan in an open format", cliExport);
    exported->add_option("LOG_OR_PLAN", a.log)->required();
    exported->add_option("--terrain", a.terrain, "elevation raster (may be repeated)")->allow_extra_args(false);
    exported->add_option("--out", a.out, "the extension chooses the format")->required();
    CLI::App* imported = command("import", "places of a KML, KMZ, GPX, GeoJSON or CSV file into a plan", cliImport);
    imported->add_option("FILE", a.log)->required();
    imported->add_option("--out", a.out, "plan file to write")->required();
    CLI::App* place = command("place", "ground, magnetic field and other coordinates of a place", cliPlace);
    place->add_option("PLACE", a.place, "LAT,LON[,AMSL]")->required();
    place->add_option("--date", a.date, "YYYY-MM-DD or decimal year; today when absent");
    place->add_option("--terrain", a.terrain, "elevation raster (may be repeated)")->allow_extra_args(false);
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
    const CliResult result = call(a);
    if (!result.error.empty()) std::cerr << "anhinga-cli: " << result.error << "\n";
    if (json && result.code < 2)
        std::cout << result.json.dump() << "\n";
    else if (!json && !result.text.empty())
        std::cout << result.text << (result.text.ends_with('\n') ? "" : "\n");
    return result.code;
}

}  // namespace anhinga

// anhinga-standin: the simulated autopilot as a program.
#include <CLI/CLI.hpp>
#include <atomic>
#include <csignal>
#include <iostream>
#include <thread>

#include "core/base/Text.h"
#include "core/link/Transport.h"
#include "core/mavlink/Frame.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "standin/StandIn.h"

using namespace anhinga;

namespace {
std::atomic<bool> stop_asked{false};

int complain(const std::string& what) {
    std::cerr << "anhinga-standin: " << what << "\n";
    return 2;
}
}  // namespace

int main(int argc, char** argv) {
    CLI::App app{"Simulated MAVLink 2 autopilot: flies what it is sent"};
    StandInOptions options;
    LinkConditions conditions;
    std::string home, terrain, like, link = "udp:127.0.0.1:14550", vehicle = "multirotor";
    std::vector<std::string> faults;
    double run_for_s = 0;
    app.add_option("--vehicle", vehicle, "multirotor, fixed-wing or helicopter")
        ->check(CLI::IsMember({"multirotor", "fixed-wing", "helicopter"}));
    app.add_option("--like", like, "plan file: its vehicle profile, return height and safety actions")
        ->check(CLI::ExistingFile);
    app.add_option("--home", home, "LAT,LON,AMSL");
    app.add_option("--terrain", terrain, "elevation raster");
    app.add_option("--link", link, "udp:HOST:PORT, tcp-listen:PORT or udp-listen:PORT");
    app.add_option("--speedup", options.speedup, "times real time")->check(CLI::Range(0.1, 1000.0));
    app.add_option("--wind-from", options.wind.from_deg, "degrees")->check(CLI::Range(-360.0, 360.0));
    app.add_option("--wind-speed", options.wind.speed_mps, "m/s")->check(CLI::Range(0.0, 60.0));
    app.add_option("--gusts", options.wind.gust_mps, "m/s, standard deviation")->check(CLI::Range(0.0, 20.0));
    app.add_option("--loss", conditions.loss, "share of packets lost, 0..1")->check(CLI::Range(0.0, 1.0));
    app.add_option("--duplicate", conditions.duplicate, "share of packets sent twice, 0..1")
        ->check(CLI::Range(0.0, 1.0));
    app.add_option("--latency", conditions.latency_ms, "milliseconds each way")->check(CLI::Range(0, 60000));
    app.add_option("--seed", conditions.seed, "of the played link");
    app.add_option("--max-items", options.max_items, "mission items it can hold")->check(CLI::Range(0, 65535));
    std::string fault_help = "NAME[@SECONDS]:";
    for (const FaultInfo& f : kFaults) fault_help += fmt::format("\n  {}: {}", f.name, f.text);
    app.add_option("--fault", faults, fault_help);
    app.add_option("--logs", options.logs_dir, "folder for onboard logs")->check(CLI::ExistingDirectory);
    app.add_option("--run-for", run_for_s, "end by itself after so many seconds; 0: never")
        ->check(CLI::Range(0.0, 1e6));
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        return app.exit(e) == 0 ? 0 : 2;
    }
    if (vehicle == "fixed-wing") options.vehicle = skimmer();
    if (vehicle == "helicopter") options.vehicle = helicopter();
    if (!like.empty()) {
        const auto plan = loadPlan(like);
        if (!plan) return complain(plan.error().message);
        options.vehicle = plan->vehicle;
        options.return_height_m = plan->return_height_m;
        options.at_end = plan->at_end;
        options.low_battery = plan->low_battery;
    }
    if (!terrain.empty()) {
        const auto opened = Terrain::open({terrain});
        if (!opened) return complain(opened.error().message);
        options.terrain = *opened;
    }
    if (!home.empty()) {
        const auto place = parsePlace(home);
        if (!place) return complain("--home " + home + ": expected LAT,LON or LAT,LON,AMSL in degrees and metres");
        options.home = {place->lat_deg, place->lon_deg};
        options.home_amsl_m = place->amsl_m.value_or(0);
        if (!place->amsl_m && options.terrain) options.home_amsl_m = options.terrain->sample(options.home).value_or(0);
    } else if (options.terrain) {
        options.home_amsl_m = options.terrain->sample(options.home).value_or(0);
    }
    for (const std::string& text : faults) {
        const auto at = text.find('@');
        const std::string name = text.substr(0, at);
        const auto after = at == std::string::npos ? std::optional(0.0) : parseNumber(text.substr(at + 1));
        bool known = false;
        for (const FaultInfo& f : kFaults) known |= name == f.name;
        if (!known || !after) return complain("--fault " + text + ": not known; see --help");
        options.faults[name] = *after;
    }
    const auto address = parseLinkAddress(link);
    if (!address) return complain(address.error().message);

    std::mutex mutex;
    std::unique_ptr<Transport> transport;
    StandIn standin(options, [&](const mavlink::Message& m) {
        if (transport) transport->send(mavlink::encode(m));
    });
    mavlink::Parser parser;
    auto opened = Transport::open(
        *address,
        [&](std::span<const std::uint8_t> bytes) {
            parser.feed(bytes, [&](const mavlink::Message& m, std::span<const std::uint8_t>) { standin.receive(m); });
        },
        conditions);
    if (!opened) {
        std::cerr << "anhinga-standin: " << opened.error().message << "\n";
        return 3;
    }
    transport = std::move(*opened);
    std::signal(SIGTERM, [](int) { stop_asked = true; });
    std::signal(SIGINT, [](int) { stop_asked = true; });
    std::cout << fmt::format("stand-in at {:.5f} {:.5f}, {:.1f} m AMSL, {}x, {}\n", options.home.lat_deg,
                             options.home.lon_deg, options.home_amsl_m, options.speedup, link)
              << std::flush;
    const double start = monotonicMs();
    double last = start;
    while (!stop_asked && (run_for_s <= 0 || monotonicMs() - start < run_for_s * 1000)) {
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
        const double now = monotonicMs();
        standin.advance((now - last) / 1000);
        last = now;
    }
    transport.reset();  // its thread calls into the stand-in
    return 0;
}

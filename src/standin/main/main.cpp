// anhinga-standin: the simulated autopilot as a program.
#include <CLI/CLI.hpp>
#include <atomic>
#include <csignal>
#include <iostream>
#include <thread>

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/logio/LogReader.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "standin/LinkedStandIn.h"

using namespace anhinga;

namespace {
std::atomic<bool> stop_asked{false};

int complain(const std::string& what) {
    std::cerr << "anhinga-standin: " << what << "\n";
    return 2;
}

int flyPlan(const std::string& plan_file, const std::string& out, const std::string& date,
            const std::vector<std::string>& params, const StandInOptions& options, unsigned seed) {
    if (out.empty()) return complain("--fly needs --out LOG.ulg");
    const auto plan = loadPlan(plan_file);
    if (!plan) return complain(plan.error().message);
    OfflineFlight how;
    how.wind = options.wind;
    how.faults = options.faults;
    how.rates = options.log_rates;
    how.seed = seed;
    how.start_unix_s = parseNumber(date).value_or(0);
    for (const std::string& text : params) {
        const auto at = text.find('=');
        const auto value = at == std::string::npos ? std::nullopt : parseNumber(text.substr(at + 1));
        if (!value) return complain("--param " + text + ": expected NAME=VALUE");
        how.params[text.substr(0, at)] = *value;
    }
    const auto log = flyOffline(*plan, options.terrain, how);
    if (!log) return complain(plan_file + ": " + log.error().message);
    if (const auto ok = writeFileAtomic(out, writeUlog(*log)); !ok) return complain(ok.error().message);
    std::cout << fmt::format("{}: {} in the log\n", out, durationText(log->duration_s()));
    return 0;
}

families::AircraftOptions likeFamily(const std::string& family, const StandInOptions& o) {
    const auto body = o.vehicle.kind == VehicleKind::fixedWing    ? families::Body::wing
                      : o.vehicle.kind == VehicleKind::helicopter ? families::Body::helicopter
                                                                  : families::Body::rotors;
    families::AircraftOptions out;
    out.family = family == "3"    ? families::familyThree(body)
                 : family == "12" ? families::familyTwelve(body)
                                  : families::familyPlain(body);
    out.home = o.home;
    out.home_amsl_m = o.home_amsl_m;
    out.terrain = o.terrain;
    out.pace = o.pace;
    out.system = o.system;
    out.max_items = o.max_items;
    return out;
}
}  // namespace

int main(int argc, char** argv) try {
    CLI::App app{"Simulated MAVLink 2 autopilot: flies what it is sent"};
    StandInOptions options;
    options.log_rates = SensorRates{};
    LinkConditions conditions;
    std::string home, terrain, like, link = "udp:127.0.0.1:14550", vehicle = "multirotor";
    std::vector<std::string> faults;
    std::string passphrase, family = "own";
    double run_for_s = 0;
    app.add_option("--family", family,
                   "own: the demo's; plain, 3 or 12: stores, refuses, flies and names its modes as that family does")
        ->check(CLI::IsMember({"own", "plain", "3", "12"}));
    app.add_option("--vehicle", vehicle, "multirotor, fixed-wing or helicopter")
        ->check(CLI::IsMember({"multirotor", "fixed-wing", "helicopter"}));
    app.add_option("--like", like, "plan file: its vehicle profile, return height and safety actions")
        ->check(CLI::ExistingFile);
    app.add_option("--home", home, "LAT,LON,AMSL");
    app.add_option("--terrain", terrain, "elevation raster");
    app.add_option("--link", link, "udp:HOST:PORT, tcp-listen:PORT, udp-listen:PORT or serial:DEVICE:BAUD");
    app.add_option("--pace", options.pace, "times real time")->check(CLI::Range(0.1, 1000.0));
    app.add_option("--speedup", options.pace)->check(CLI::Range(0.1, 1000.0))->group("");  // the older word
    app.add_option("--wind-from", options.wind.from_deg, "degrees")->check(CLI::Range(-360.0, 360.0));
    app.add_option("--wind-speed", options.wind.speed_mps, "m/s")->check(CLI::Range(0.0, 60.0));
    app.add_option("--gusts", options.wind.gust_mps, "m/s, standard deviation")->check(CLI::Range(0.0, 20.0));
    app.add_option("--loss", conditions.loss, "share of packets lost, 0..1")->check(CLI::Range(0.0, 1.0));
    app.add_option("--duplicate", conditions.duplicate, "share of packets sent twice, 0..1")
        ->check(CLI::Range(0.0, 1.0));
    app.add_option("--latency", conditions.latency_ms, "milliseconds each way")->check(CLI::Range(0, 60000));
    app.add_option("--seed", conditions.seed, "of the played link");
    app.add_option("--max-items", options.max_items, "mission items it can hold")->check(CLI::Range(0, 65535));
    app.add_option("--reorder", conditions.reorder, "share of packets held back, 0..1")->check(CLI::Range(0.0, 1.0));
    app.add_option("--corrupt", conditions.corrupt, "share of packets with a wrong byte, 0..1")
        ->check(CLI::Range(0.0, 1.0));
    app.add_option("--radio", conditions.bytes_per_s, "bytes a second the link carries each way; 0: no limit")
        ->check(CLI::Range(0.0, 1e9));
    app.add_option("--system", options.system, "its number on the link")->check(CLI::Range(1, 250));
    app.add_option("--heading", options.heading_deg, "degrees, as it stands")->check(CLI::Range(-360.0, 360.0));
    app.add_option("--sign", passphrase, "obeys only what is signed with the key of this passphrase");
    app.add_option("--store", options.store_file, "file of the missions that outlive a power cut");
    std::string fault_help = "NAME[@SECONDS]:";
    for (const FaultInfo& f : knownFaults()) fault_help += fmt::format("\n  {}: {}", f.name, f.text);
    app.add_option("--fault", faults, fault_help);
    app.add_option("--logs", options.logs_dir, "folder for onboard logs")->check(CLI::ExistingDirectory);
    app.add_option("--log-rate", options.log_rates.inertial_hz,
                   "samples a second of gyros and accelerometers in onboard logs")
        ->check(CLI::Range(10.0, 4000.0));
    std::string plan_file, log_out, date;
    std::vector<std::string> params;
    auto* fly =
        app.add_option("--fly", plan_file, "flies this plan at once, without a link, and writes its onboard log")
            ->check(CLI::ExistingFile);
    app.add_option("--out", log_out, "the log to write (.ulg)")->needs(fly);
    app.add_option("--start", date, "seconds since 1970 at which that flight begins")->needs(fly);
    app.add_option("--param", params, "NAME=VALUE of that log (may be repeated)")->allow_extra_args(false)->needs(fly);
    std::vector<std::string> with;
    app.add_option("--with", with,
                   "what flies with it on the same link: camera, gimbal, battery, ground (may be repeated)")
        ->check(CLI::IsMember({"camera", "gimbal", "battery", "ground"}));
    app.add_option("--run-for", run_for_s, "end by itself after so many seconds; 0: never")
        ->check(CLI::Range(0.0, 1e6));
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        return app.exit(e) == 0 ? 0 : 2;
    }
    for (const std::string& companion : with)
        (companion == "camera"    ? options.companions.camera
         : companion == "gimbal"  ? options.companions.gimbal
         : companion == "battery" ? options.companions.battery
                                  : options.companions.ground) = true;
    if (vehicle == "fixed-wing") options.vehicle = skimmer();
    if (vehicle == "helicopter") options.vehicle = helicopter();
    if (!like.empty()) {
        const auto plan = loadPlan(like);
        if (!plan) return complain(plan.error().message);
        options.vehicle = plan->vehicle;
        options.return_height_m = plan->return_height_m;
        options.lost_link = plan->lost_link;
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
    for (const std::string& text : faults)
        if (const auto ok = options.faults.add(text); !ok) return complain(ok.error().message + "; see --help");
    if (!passphrase.empty()) options.key = mavlink::signingKey(passphrase);
    if (conditions.bytes_per_s > 0) options.log_bytes_per_s = 0.7 * conditions.bytes_per_s;
    if (!plan_file.empty()) return flyPlan(plan_file, log_out, date, params, options, conditions.seed);
    const auto address = parseLinkAddress(link);
    if (!address) return complain(address.error().message);

    const auto opened = family == "own" ? LinkedStandIn::open(*address, options, conditions)
                                        : LinkedStandIn::open(*address, likeFamily(family, options), conditions, {},
                                                              options.companions);
    if (!opened) {
        std::cerr << "anhinga-standin: " << opened.error().message << "\n";
        return 3;
    }
    std::signal(SIGTERM, [](int) { stop_asked = true; });
    std::signal(SIGINT, [](int) { stop_asked = true; });
    std::cout << fmt::format("stand-in at {:.5f} {:.5f}, {:.1f} m AMSL, {}x, {}\n", options.home.lat_deg,
                             options.home.lon_deg, options.home_amsl_m, options.pace, link)
              << std::flush;
    const double start = monotonicMs();
    while (!stop_asked && (run_for_s <= 0 || monotonicMs() - start < run_for_s * 1000))
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    return 0;
} catch (const std::exception& e) {
    std::cerr << "anhinga-standin: this cannot go on: " << e.what() << "\n";
    return 1;
}

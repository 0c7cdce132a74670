// Damaged logs of every kind through the calls that read them: whatever the bytes, there is an answer or a sentence,
// soon, as valid JSON.
#include <catch2/catch.hpp>

#include <nlohmann/json.hpp>

#include "LogWriters.h"
#include "SyntheticFlight.h"
#include "cli/Cli.h"
#include "core/exchange/Export.h"
#include "core/logio/LogReader.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// Bits turned, pieces cut out, put in twice or moved, lengths changed, bytes that are no UTF-8.
std::string mutated(const std::string& good, std::mt19937& random) {
    std::string bad = good;
    const auto at = [&] { return static_cast<std::size_t>(random()) % std::max<std::size_t>(1, bad.size()); };
    for (auto n = 1 + random() % 6; n > 0 && !bad.empty(); --n) switch (random() % 6) {
            case 0:
                bad[at()] = static_cast<char>(bad[at()] ^ (1 << random() % 8));
                break;
            case 1:
                bad.erase(at(), 1 + random() % 40);
                break;
            case 2:
                bad.insert(at(), bad.substr(at(), 1 + random() % 60));
                break;
            case 3:
                bad[at()] = static_cast<char>(0x80 + random() % 0x80);
                break;
            case 4:
                for (std::size_t i = at(), k = 0; k < 4 && i + k < bad.size(); ++k) bad[i + k] = '\xFF';
                break;
            default:
                bad.resize(at());
        }
    return bad;
}

}  // namespace

TEST_CASE("damaged logs of every kind are answered or refused by every call, soon and as JSON",
          "[cli][hostile][deep]") {
    const FlightLog flight = syntheticFlight(3);
    FlightLog small;
    small.start_unix_s = 1.79e9;
    for (const char* name : {"position.lat_deg", "position.lon_deg", "position.height_amsl_m", "position.height_home_m",
                             "attitude.roll_deg", "battery.voltage_v", "battery.current_a", "throttle.percent"}) {
        const Channel* c = flight.find(name);
        REQUIRE(c != nullptr);
        Channel& to = small.channel(name, c->unit);
        for (std::size_t i = 0; i < c->t_s.size(); i += 10) to.add(c->t_s[i], c->value[i]);
    }
    small.modes = flight.modes;
    small.events = {{1, "armed", ""}, {20, "photo", "1"}, {30, "mark", "näher"}};
    small.findSessions({});
    const SelfWriter onboard = flightWriter(20, 2);
    const std::pair<const char*, std::string> kinds[] = {
        {"ulog", writeUlog(small)},
        {"self-describing", onboard.binary},
        {"self-describing text", onboard.text},
        {"predictor", predictorLog(200).bytes},
        {"recording", slurp(demo("patrol-flight.tlog")).substr(0, 60000)},
        {"table", logCsv(small)},
        {"gpx", logGpx(small, "flight")},
        {"kml", logKml(small, "flight")}};
    TempDir dir;
    const std::string file = dir / "bad", out = dir / "out";
    const int rounds = 8 * testDepth() * (testDepth() > 1 ? 5 : 1);
    for (const auto& [name, good] : kinds) {
        INFO(name);
        std::mt19937 random(71);
        int answered = 0;
        double longest_ms = 0;
        for (int i = 0; i < rounds; ++i) {
            INFO("mutation " << i);
            spit(file, mutated(good, random));
            CliArguments a;
            a.log = file;
            a.channel = "position.height_home_m";
            constexpr const char* kEndings[] = {".kml", ".gpx", ".geojson", ".csv", ".ulg", ".kmz"};
            a.out = out + kEndings[i % 6];
            for (CliResult (*const call)(const CliArguments&) : {cliInspect, cliChannel, cliDiagnose, cliExport}) {
                const double before = cpuMs();
                CliResult result;
                REQUIRE_NOTHROW(result = call(a));
                longest_ms = std::max(longest_ms, cpuMs() - before);
                CHECK(result.code <= 2);
                if (result.code == 2) CHECK_FALSE(result.error.empty());
                CHECK(result.error.find("std::") == std::string::npos);
                answered += result.code < 2 ? 1 : 0;
                const std::string text =
                    result.json.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
                CHECK(nlohmann::json::accept(text));
            }
        }
        std::printf("%s: %d mutations, %d of %d calls answered, longest %.0f ms\n", name, rounds, answered, 4 * rounds,
                    longest_ms);
        CHECK(longest_ms < 2000);
        CHECK(answered > rounds / 4);
    }
}

// anhinga-cli: one function a call. Keys of the JSON and exit codes are fixed: 0 fine, 1 the answer is no, 2 unusable
// input or arguments, 3 link or vehicle failure.
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

namespace anhinga {

struct CliResult {
    int code = 0;
    nlohmann::ordered_json json = nlohmann::ordered_json::object();
    std::string text;   // for people; printed when --json is not given
    std::string error;  // goes to stderr
};

/// Of the calls that make a pattern; what is absent keeps the pattern's usual value.
struct PatternOptions {
    std::vector<double> tilts, turns;
    std::string camera, ref, heading, margin, makes, every, policy;  // policy: the older word for makes and every
    std::optional<double> height_m, gsd_cm, overlap_percent, sidelap_percent, tolerance_m, speed_mps, width_m, radius_m,
        low_m, high_m, step_up_m, spacing_m, target_m, stand_off_m;
    std::optional<int> strips, per_ring;
    bool crossing = false, follow = false, left_side = false;
};

struct CliArguments {
    std::vector<std::string> terrain;
    std::string plan, link, out, log, other, channel, record, place, date;
    double wind_from_deg = 0, wind_speed_mps = 0, wind_shear = 0, gusts_mps = 0;
    unsigned seed = 1;
    int session = -1;
    bool list = false, csv = false;
    std::vector<std::string> failures;
    double try_wind_mps = 0;
    bool list_items = false;
    unsigned start_item = 0;
    int sortie = 0;  // 0: the whole plan
    bool anew = false;
    int resume_item = 0, resume_photo = 0;
    double timeout_s = 3600;  // of a flight
    bool accept_stops = false, store_aboard = false;
    double pause_at_s = -1, resume_after_s = 10, return_at_s = -1;  // of a flight, from its start
    std::vector<std::string> orders;
    PatternOptions pattern;
    std::vector<std::string> sets;  // NAME=VALUE
    int get_log = -1;
    bool over_ftp = false, store = false;
    std::string sign_file;  // with the passphrase; "-": asked for
    bool photos = false;    // of export: the photos' positions
    std::vector<std::string> channels;
    double rate_hz = 0;
    std::string area;      // of presence: a file with its outline
    double within_m = 50;  // or so near a place
    bool in_logbook = false;
    std::vector<std::string> files;  // folders and files
    std::string book;                // another logbook than the application's own
    std::string search, vehicle;
    std::vector<std::string> formats;  // of export of several: kml, gpx, ...
    double thin_m = 2;                 // of import: flown lines, metres
    int jobs = 0;                      // at a time; 0: as many as there are processors
};

CliResult cliCheck(const CliArguments& a);
CliResult cliBlock(const CliArguments& a);
CliResult cliCorridor(const CliArguments& a);
CliResult cliRings(const CliArguments& a);
CliResult cliFace(const CliArguments& a);
CliResult cliLap(const CliArguments& a);
CliResult cliPhotos(const CliArguments& a);
CliResult cliRehearse(const CliArguments& a);
CliResult cliSorties(const CliArguments& a);
CliResult cliCompile(const CliArguments& a);
CliResult cliSend(const CliArguments& a);
CliResult cliFetch(const CliArguments& a);
CliResult cliFly(const CliArguments& a);
CliResult cliOrders(const CliArguments& a);
CliResult cliParams(const CliArguments& a);
CliResult cliLogs(const CliArguments& a);
CliResult cliInspect(const CliArguments& a);
CliResult cliChannel(const CliArguments& a);
CliResult cliExport(const CliArguments& a);
/// Of one log or plan as cliExport, of several each into a folder.
CliResult cliExportEach(const CliArguments& a);
CliResult cliImport(const CliArguments& a);
CliResult cliPlace(const CliArguments& a);
CliResult cliReview(const CliArguments& a);
CliResult cliPresence(const CliArguments& a);
CliResult cliDiagnose(const CliArguments& a);
/// Of one log as cliDiagnose, of several each.
CliResult cliDiagnoseEach(const CliArguments& a);
CliResult cliCompare(const CliArguments& a);
CliResult cliLogbookAdd(const CliArguments& a);
CliResult cliLogbookList(const CliArguments& a);
CliResult cliTrend(const CliArguments& a);

}  // namespace anhinga

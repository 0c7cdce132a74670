// The same flight in five formats is the same flight; what is written is read back by others; missions stand in logs.
#include <catch2/catch.hpp>

#include <cpl_conv.h>
#include <gdal_priv.h>
#include <ogrsf_frmts.h>

#include <iostream>
#include <nlohmann/json.hpp>

#include "LogWriters.h"
#include "SyntheticFlight.h"
#include "cli/Cli.h"
#include "core/analysis/Series.h"
#include "core/base/Text.h"
#include "core/exchange/Export.h"
#include "core/logio/LogReader.h"
#include "core/logio/TableLog.h"
#include "core/mavlink/Frame.h"
#include "core/review/PresencePage.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

FlightLog dated(unsigned seed) {
    FlightLog log = syntheticFlight(seed);
    log.start_unix_s = 1784793600.25;
    return log;
}

/// Layers of a file as OGR reads them: points of all lines, and their heights.
struct Read {
    int lines = 0, points = 0;
    std::size_t vertices = 0;
    double top = -1e9;
};
Read byOgr(const std::string& path, const char* layer = nullptr) {
    GDALAllRegister();
    CPLSetConfigOption("GPX_ELE_AS_25D", "YES");
    Read out;
    auto* set = static_cast<GDALDataset*>(GDALOpenEx(path.c_str(), GDAL_OF_VECTOR, nullptr, nullptr, nullptr));
    REQUIRE(set != nullptr);
    for (int i = 0; i < set->GetLayerCount(); ++i) {
        OGRLayer* l = set->GetLayer(i);
        if (layer != nullptr && std::string(l->GetName()) != layer) continue;
        l->ResetReading();
        while (OGRFeature* f = l->GetNextFeature()) {
            const auto take = [&](const OGRLineString* line) {
                ++out.lines;
                out.vertices += static_cast<std::size_t>(line->getNumPoints());
                for (int k = 0; k < line->getNumPoints(); ++k) out.top = std::max(out.top, line->getZ(k));
            };
            const OGRGeometry* g = f->GetGeometryRef();
            if (g != nullptr && wkbFlatten(g->getGeometryType()) == wkbLineString) take(g->toLineString());
            if (g != nullptr && wkbFlatten(g->getGeometryType()) == wkbMultiLineString)
                for (const OGRLineString* line : *g->toMultiLineString()) take(line);
            if (g != nullptr && wkbFlatten(g->getGeometryType()) == wkbPoint) ++out.points;
            OGRFeature::DestroyFeature(f);
        }
    }
    GDALClose(set);
    return out;
}

double topOf(const FlightLog& log) {
    return statsOf(*log.find("position.height_amsl_m"), 0, 1e12).highest;
}

}  // namespace

TEST_CASE("the same flight written in five formats is the same track", "[exchange][formats]") {
    const FlightLog log = dated(6);
    const TempDir dir;
    const Channel &lat = *log.find("position.lat_deg"), &lon = *log.find("position.lon_deg");
    const double distance = log.sessions.at(0).distance_m, top = topOf(log);
    for (const char* ending : {".ulg", ".gpx", ".kml", ".csv"}) {
        const std::string path = dir / ("flight" + std::string(ending));
        const auto text = logExport(log, "flight", path);
        REQUIRE(text);
        spit(path, *text);
        const auto back = openLog(path);
        INFO(ending << ": " << (back ? "" : back.error().message));
        REQUIRE(back);
        const Channel *lat2 = (*back)->find("position.lat_deg"), *lon2 = (*back)->find("position.lon_deg");
        REQUIRE(lat2 != nullptr);
        CHECK(lat2->t_s.size() == lat.t_s.size());
        CHECK((*back)->duration_s() == Approx(log.duration_s()).margin(0.6));
        REQUIRE((*back)->sessions.size() == 1);
        CHECK((*back)->sessions[0].distance_m == Approx(distance).epsilon(0.002));
        REQUIRE((*back)->find("position.height_amsl_m") != nullptr);
        CHECK(topOf(**back) == Approx(top).margin(0.02));
        double worst = 0;
        for (std::size_t i = 0; i < std::min(lat.t_s.size(), lat2->t_s.size()); ++i)
            worst = std::max(worst, distance_m({lat.value[i], lon.value[i]}, {lat2->value[i], lon2->value[i]}));
        CHECK(worst < 0.02);
        // Times relative to the first sample, to the millisecond (whole table rows may be spread).
        double late = 0;
        for (std::size_t i = 0; i < std::min(lat.t_s.size(), lat2->t_s.size()); ++i)
            late = std::max(late, std::abs((lat2->t_s[i] - lat2->t_s[0]) - (lat.t_s[i] - lat.t_s[0])));
        CHECK(late < 0.01);
        std::cout << fmt::format("{:<5} {} positions, at most {:.1f} mm and {:.1f} ms off\n", ending, lat2->t_s.size(),
                                 worst * 1000, late * 1000);
    }
    // The aircraft's own: an onboard log and a recording, positions in 1e-7 degrees, heights in millimetres.
    SelfWriter onboard;
    onboard.format(12, "POS", "QLLff", "TimeUS,Lat,Lng,Alt,RelHomeAlt");
    std::string recording;
    const Channel &amsl = *log.find("position.height_amsl_m"), &home = *log.find("position.height_home_m");
    const auto say = [&](mavlink::Message m, double t) {
        m.system = m.component = 1;
        const auto us = static_cast<std::uint64_t>((log.start_unix_s + t) * 1e6);
        for (int i = 7; i >= 0; --i) recording += static_cast<char>(us >> (8 * i));
        recording += mavlink::encode(m);
    };
    say(mavlink::Message("HEARTBEAT").set("type", 2).set("autopilot", 3), lat.t_s[0]);
    for (std::size_t i = 0; i < lat.t_s.size(); ++i) {
        const double t = lat.t_s[i];
        onboard.record(12, {std::round(t * 1e6), lat.value[i], lon.value[i], *amsl.at(t), *home.at(t)});
        say(mavlink::Message("GLOBAL_POSITION_INT")
                .set("time_boot_ms", std::round(t * 1000))
                .set("lat", std::round(lat.value[i] * 1e7))
                .set("lon", std::round(lon.value[i] * 1e7))
                .set("alt", std::round(*amsl.at(t) * 1000))
                .set("relative_alt", std::round(*home.at(t) * 1000)),
            t);
    }
    for (const auto& [name, bytes] : {std::pair("onboard", onboard.binary), std::pair("recording", recording)}) {
        const auto back = readLog(bytes, name);
        INFO(name << ": " << (back ? "" : back.error().message));
        REQUIRE(back);
        const Channel &lat2 = *(*back)->find("position.lat_deg"), &lon2 = *(*back)->find("position.lon_deg");
        REQUIRE(lat2.t_s.size() == lat.t_s.size());
        CHECK((*back)->duration_s() == Approx(log.duration_s()).margin(0.01));
        CHECK((*back)->sessions.at(0).distance_m == Approx(distance).epsilon(0.002));
        CHECK(topOf(**back) == Approx(top).margin(0.02));
        double worst = 0;
        for (std::size_t i = 0; i < lat.t_s.size(); ++i)
            worst = std::max(worst, distance_m({lat.value[i], lon.value[i]}, {lat2.value[i], lon2.value[i]}));
        CHECK(worst < 0.02);
        std::cout << fmt::format("{} {} positions, at most {:.1f} mm off\n", name, lat2.t_s.size(), worst * 1000);
    }
    // GeoJSON is read by others: its vertices are the track's, one more where two modes meet.
    spit(dir / "flight.geojson", logGeoJson(log, "flight"));
    const Read json = byOgr(dir / "flight.geojson");
    CHECK(json.vertices == lat.t_s.size() + static_cast<std::size_t>(json.lines) - 1);
    CHECK(json.top == Approx(top).margin(0.02));
}

TEST_CASE("GPX and KML of a flight are read back by OGR with all points and heights", "[exchange][formats]") {
    const FlightLog log = dated(7);
    const TempDir dir;
    const std::size_t n = log.find("position.lat_deg")->t_s.size();
    spit(dir / "flight.gpx", logGpx(log, "flight"));
    const Read points = byOgr(dir / "flight.gpx", "track_points");
    CHECK(points.points == static_cast<int>(n));
    {
        // Their times too, to the second OGR keeps. It reads the fraction of a second by the locale.
        const anhinga::testing::PlainNumbers plain;
        auto* set = static_cast<GDALDataset*>(
            GDALOpenEx((dir / "flight.gpx").c_str(), GDAL_OF_VECTOR, nullptr, nullptr, nullptr));
        REQUIRE(set != nullptr);
        OGRLayer* layer = set->GetLayerByName("track_points");
        std::size_t k = 0;
        while (OGRFeature* f = layer->GetNextFeature()) {
            int year = 0, month = 0, day = 0, hour = 0, minute = 0, zone = 0;
            float second = 0;
            REQUIRE(f->GetFieldAsDateTime(f->GetFieldIndex("time"), &year, &month, &day, &hour, &minute, &second,
                                          &zone) != 0);
            const double seconds =
                *parseUtc(fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:00Z", year, month, day, hour, minute)) + second;
            CHECK(seconds == Approx(log.start_unix_s + log.find("position.lat_deg")->t_s[k]).margin(1e-2).epsilon(0));
            ++k;
            OGRFeature::DestroyFeature(f);
        }
        CHECK(k == n);
        GDALClose(set);
    }
    const Read track = byOgr(dir / "flight.gpx", "tracks");
    CHECK(track.vertices == n);
    CHECK(track.top == Approx(topOf(log)).margin(0.02));
    spit(dir / "flight.kml", logKml(log, "flight"));
    const Read kml = byOgr(dir / "flight.kml");
    CHECK(kml.vertices >= n);
    CHECK(kml.top == Approx(topOf(log)).margin(0.02));
    CHECK(slurp(dir / "flight.kml").find("clampToGround") == std::string::npos);
    // Times with their fractions.
    CHECK(slurp(dir / "flight.gpx").find(isoUtcMillis(log.start_unix_s + log.find("position.lat_deg")->t_s[1])) !=
          std::string::npos);
    CHECK(isoUtcMillis(1784793600.9996) == isoUtc(1784793601));
    CHECK(isoUtcMillis(1784793600) == "2026-07-23T08:00:00Z");
}

TEST_CASE("two flights of a log are two tracks, and heights that are not known are said", "[exchange][formats]") {
    const TempDir dir;
    FlightLog log;
    log.start_unix_s = 1.79e9;
    for (int flight = 0; flight < 2; ++flight)
        for (int i = 0; i <= 20; ++i) {
            const double t = flight * 100 + i;
            log.channel("position.lat_deg", "deg").add(t, 47.3 + flight * 0.01 + i * 1e-5);
            log.channel("position.lon_deg", "deg").add(t, -20.1);
            log.channel("position.height_home_m", "m").add(t, 5 + i);
        }
    log.modes = {{0, "hold"}, {10, "mission"}};
    log.events = {{5, "photo", "1"}, {6, "mark", "here it shook"}, {7, "photo", "2", LoggedPlace{47.5, -20.5, 99}}};
    log.findSessions({});
    REQUIRE(log.sessions.size() == 2);
    CHECK(heightsNote(log).find("above home") != std::string::npos);
    spit(dir / "two.kml", logKml(log, "two.ulg"));
    const std::string kml = slurp(dir / "two.kml");
    CHECK(kml.find("clampToGround") == std::string::npos);
    CHECK(kml.find("relativeToGround") != std::string::npos);
    CHECK(kml.find("heights are those above home") != std::string::npos);
    for (const char* name : {"photo 1", "photo 2", "here it shook", "mode: mission"}) {
        INFO(name);
        CHECK(kml.find(std::string("<name>") + name + "</name>") != std::string::npos);
    }
    // hold, mission, and mission of the second flight: no line leads from one to the other.
    const Read lines = byOgr(dir / "two.kml");
    CHECK(lines.lines == 3);
    CHECK(lines.vertices == 42 + 1);
    spit(dir / "two.gpx", logGpx(log, "two.ulg"));
    CHECK(byOgr(dir / "two.gpx", "tracks").lines == 2);
    CHECK(byOgr(dir / "two.gpx", "waypoints").points == 5);
    CHECK(slurp(dir / "two.gpx").find("two.ulg, flight 2") != std::string::npos);
    spit(dir / "two.geojson", logGeoJson(log, "two.ulg"));
    const Read json = byOgr(dir / "two.geojson");
    CHECK(json.lines == 3);
    CHECK(json.points == 5);
    CHECK(slurp(dir / "two.geojson").find("above home") != std::string::npos);
    // The place of a photo is the one its record holds.
    CHECK(photoTable(log).find("2,2026-09-21T14:13:27Z,7.000,47.50000000,-20.50000000,99.00") != std::string::npos);
    // Nothing to be said where sea level is known.
    for (int i = 0; i < 42; ++i)
        log.channel("position.height_amsl_m", "m")
            .add(log.find("position.lat_deg")->t_s[static_cast<std::size_t>(i)], 30 + i);
    CHECK(heightsNote(log).empty());
    CHECK(logKml(log, "t").find("relativeToGround") == std::string::npos);
}

TEST_CASE("chosen channels, photos and the page of a log by the command line", "[exchange][cli][demo]") {
    const TempDir dir;
    CliArguments a;
    a.log = demo("shakedown-clean.ulg");
    a.channels = {"imu.gyro_x_dps", "throttle.percent"};
    a.rate_hz = 20;
    a.out = dir / "channels.csv";
    REQUIRE(cliExport(a).code == 0);
    const std::string csv = slurp(a.out);
    CHECK(csv.starts_with("time_s,imu.gyro_x_dps [deg/s],throttle.percent [%]\n"));
    const auto rows = std::count(csv.begin(), csv.end(), '\n');
    CHECK(rows > 1900);
    CHECK(rows < 2100);
    a.channels = {"no.such"};
    CHECK(cliExport(a).code == 2);
    a.channels.clear();
    a.rate_hz = 0;
    a.out = dir / "page.html";
    REQUIRE(cliExport(a).code == 0);
    const std::string page = slurp(a.out);
    CHECK(page.find("Health report") != std::string::npos);
    CHECK(page.find("SHA-256") != std::string::npos);
    for (const char* ending : {"x.kmz", "x.geojson", "x.gpx"}) {
        a.out = dir / ending;
        CHECK(cliExport(a).code == 0);
        CHECK(std::filesystem::file_size(a.out) > 1000);
    }
    a.out = dir / "x.docx";
    CHECK(cliExport(a).code == 2);
    a.log = demo("patrol-flight.tlog");
    a.photos = true;
    a.out = dir / "photos.csv";
    REQUIRE(cliExport(a).code == 0);
    const std::string photos = slurp(a.out);
    CHECK(std::count(photos.begin(), photos.end(), '\n') > 20);
    CHECK(photos.find("\n1,20") != std::string::npos);  // dated
    FlightLog none;
    CHECK_FALSE(logChannels(none, {}));
    CHECK(photoTable(none).find('\n') == photoTable(none).size() - 1);
}

TEST_CASE("missions in a recording are kept item by item, repeats of a packet once", "[logio][missions]") {
    std::string recording;
    std::uint64_t now = 1784793600000000ULL;
    std::uint8_t sequence = 0;
    const auto say = [&](mavlink::Message m, int system) {
        m.system = static_cast<std::uint8_t>(system);
        m.component = 1;
        now += 100000;
        for (int i = 7; i >= 0; --i) recording += static_cast<char>(now >> (8 * i));
        m.sequence = sequence++;
        recording += mavlink::encode(m);
    };
    using mavlink::Message;
    const auto item = [&](int seq, double lat) {
        say(Message("MISSION_ITEM_INT")
                .set("seq", seq)
                .set("frame", 6)
                .set("command", 16)
                .set("param1", 2.5)
                .set("x", lat * 1e7)
                .set("y", -20.12 * 1e7)
                .set("z", 30 + seq),
            255);
    };
    say(Message("HEARTBEAT").set("type", 2).set("autopilot", 3), 1);
    say(Message("MISSION_COUNT").set("count", 3), 255);
    say(Message("MISSION_COUNT").set("count", 3), 255);  // said again
    for (const int seq : {0, 1, 1, 2}) item(seq, 47.31 + seq * 0.001);
    item(9, 1);  // beyond what was said
    say(Message("HEARTBEAT").set("type", 2).set("autopilot", 3), 1);
    say(Message("MISSION_COUNT").set("count", 2), 255);
    item(0, 47.4);
    say(Message("GLOBAL_POSITION_INT").set("time_boot_ms", 5000).set("lat", 47.31 * 1e7).set("lon", -20.12 * 1e7), 1);
    const auto log = readLog(recording, "r.tlog");
    INFO((log ? "" : log.error().message));
    REQUIRE(log);
    CHECK((*log)->missions == std::vector<int>{3, 2});
    REQUIRE((*log)->mission_lists.size() == 2);
    const auto& first = (*log)->mission_lists[0];
    REQUIRE(first.items.size() == 3);
    CHECK(first.items[2].seq == 2);
    CHECK(first.items[2].x == Approx(47.312));
    CHECK(first.items[2].y == Approx(-20.12));
    CHECK(first.items[2].z == 32);
    CHECK(first.items[2].param[0] == 2.5);
    CHECK((*log)->mission_lists[1].items.size() == 1);
    CHECK((*log)->mission_lists[1].count == 2);
}

TEST_CASE("parameters of a ULog written here are read back", "[logio][ulog]") {
    FlightLog log = syntheticFlight(2);
    log.params = {{"MOTOR_MIN_SHARE", 0.12}, {"SYSID", 7}};
    const auto back = readLog(writeUlog(log), "p.ulg");
    REQUIRE(back);
    REQUIRE((*back)->params.size() == 2);
    CHECK((*back)->params.at("SYSID") == 7);
    CHECK((*back)->params.at("MOTOR_MIN_SHARE") == Approx(0.12));
    CHECK((*back)->find("battery.timestamp") == nullptr);
    CHECK((*back)->find("imu.gyro_x_dps")->t_s.size() == log.find("imu.gyro_x_dps")->t_s.size());
}

TEST_CASE("the presence page says what was found, from what, and what is not known", "[presence]") {
    const FlightLog log = dated(8);
    PresencePlace near;
    near.centre = {log.find("position.lat_deg")->value[0], log.find("position.lon_deg")->value[0]};
    near.radius_m = 30;
    PresencePlace far = near;
    far.centre = destination(near.centre, 10, 5000);
    const auto flight = [&](const PresencePlace& place) {
        PresenceFlight f;
        f.file = "flight <1>.ulg";
        f.sha256 = std::string(64, 'a');
        f.format = "ULog";
        f.start_unix_s = log.start_unix_s;
        f.first_s = log.firstTime();
        f.presence = *presence(log, place);
        return f;
    };
    PresencePageInput in;
    in.place = "within 30 m of home";
    in.where = near;
    in.flights = {flight(near)};
    in.made_unix_s = 1784800000;
    CHECK(presenceSummary(in) == "Entered in 1 of 1 flight.");
    const std::string page = presencePage(in);
    CHECK(page.find("flight &lt;1&gt;.ulg") != std::string::npos);
    CHECK(page.find(std::string(64, 'a')) != std::string::npos);
    CHECK(page.find("2026-07-23T08:") != std::string::npos);
    CHECK(page.find("before ") != std::string::npos);  // it began inside
    in.flights = {flight(far)};
    CHECK(presenceSummary(in).starts_with("Not entered by the positions of 1 flight; nearest 4"));
    CHECK(presencePage(in).find("Nearest") != std::string::npos);
    PresenceFlight broken;
    broken.failed = "no positions";
    in.flights.push_back(broken);
    CHECK(presenceSummary(in).find("1 could not be judged") != std::string::npos);
    in.flights = {broken};
    CHECK(presenceSummary(in).find("Not known") != std::string::npos);
    in.flights.clear();
    CHECK(presenceSummary(in).find("No flight") != std::string::npos);
    // A log that stops recording for long leaves room.
    FlightLog holed;
    for (const double t : {0.0, 1.0, 2.0, 200.0, 201.0})
        for (const auto& [name, v] : {std::pair("position.lat_deg", near.centre.lat_deg + 0.004),
                                      std::pair("position.lon_deg", near.centre.lon_deg)})
            holed.channel(name, "deg").add(t, v);
    PresenceFlight f = flight(near);
    f.presence = *presence(holed, near);
    in.flights = {f};
    CHECK(presenceSummary(in).find("leave room for it") != std::string::npos);
    CHECK(presencePage(in).find("Not known") != std::string::npos);
}

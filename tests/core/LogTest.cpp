#include <sys/stat.h>
#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <pugixml.hpp>
#include <set>
#include <sstream>
#include <utility>
#include <vector>

#include "Planned.h"
#include "core/exchange/Archive.h"
#include "core/exchange/Export.h"
#include "core/exchange/Import.h"
#include "core/exchange/KmlFlight.h"
#include "core/flight/Rehearse.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "core/plan/PlanFile.h"
#include "core/review/PlannedFlown.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;
using mavlink::Message;

namespace {

std::string stamped(Message m, double unix_s) {
    m.system = 1;
    m.component = 1;
    const auto us = static_cast<std::uint64_t>(unix_s * 1e6);
    std::string out;
    for (int i = 7; i >= 0; --i) out += static_cast<char>(us >> (8 * i));
    return out + mavlink::encode(m);
}
/// Ten seconds of a vehicle flying east at 10 m/s, 50 m above home, from boot time `boot_s`.
std::string recording(double boot_s = 100, double unix_s = 1.8e9) {
    std::string out =
        stamped(Message("HEARTBEAT").set("type", 2).set("autopilot", 3).set("base_mode", 128 + 1).set("custom_mode", 3),
                unix_s);
    for (int i = 0; i <= 50; ++i) {
        const double t = 0.2 * i;
        const GeoPoint p = destination({47.31, -20.12}, 90, 10 * t);
        out += stamped(Message("GLOBAL_POSITION_INT")
                           .set("time_boot_ms", (boot_s + t) * 1000)
                           .set("lat", p.lat_deg * 1e7)
                           .set("lon", p.lon_deg * 1e7)
                           .set("alt", 60000)
                           .set("relative_alt", 50000)
                           .set("vy", 1000)
                           .set("hdg", 9000),
                       unix_s + t * 0.1);  // a fast link clock
        out += stamped(
            Message("ATTITUDE").set("time_boot_ms", (boot_s + t) * 1000).set("roll", 0.1).set("yaw", -1.5707963),
            unix_s + t * 0.1);
        if (i % 5 == 0)
            out += stamped(Message("SYS_STATUS")
                               .set("voltage_battery", 15800)
                               .set("current_battery", 1200)
                               .set("battery_remaining", 80),
                           unix_s + t * 0.1);
    }
    return out;
}

std::shared_ptr<const FlightLog> rehearsed(const Plan& plan, Wind wind = {}) {
    const auto r = rehearse(plan, programIn(plan), nullptr, {wind, 6 * 3600, {}});
    REQUIRE(r);
    return r->log;
}

}  // namespace

TEST_CASE("a recording gives canonical channels on the vehicle's own clock", "[logio][recording]") {
    const auto log = readLog(recording(), "r");
    REQUIRE(log);
    const Channel* h = (*log)->find("position.height_home_m");
    REQUIRE(h != nullptr);
    CHECK(h->unit == "m");
    CHECK(h->value.size() == 51);
    CHECK(h->value[7] == Approx(50));
    CHECK(h->t_s.back() - h->t_s.front() == Approx(10));
    CHECK(*(*log)->find("attitude.yaw_deg")->at(5) == Approx(270));
    CHECK(*(*log)->find("battery.voltage_v")->at(9) == Approx(15.8));
    CHECK((*log)->find("GLOBAL_POSITION_INT.vy") != nullptr);
    CHECK((*log)->message_counts.at("ATTITUDE") == 51);
    REQUIRE((*log)->sessions.size() == 1);
    CHECK((*log)->sessions[0].distance_m == Approx(100).margin(1));
    CHECK((*log)->modes.front().name == "mission");
    CHECK((*log)->events.front().kind == "armed");
}

TEST_CASE("a vehicle that starts again begins a new session", "[logio][recording]") {
    const auto log = readLog(recording(100) + recording(5, 1.8e9 + 60), "r");
    REQUIRE(log);
    REQUIRE((*log)->sessions.size() == 2);
    CHECK((*log)->sessions[1].to_s - (*log)->sessions[1].from_s == Approx(10).margin(0.1));
    const Channel* lat = (*log)->find("position.lat_deg");
    CHECK(std::is_sorted(lat->t_s.begin(), lat->t_s.end()));
}

TEST_CASE("damaged stretches of a recording are passed over and counted", "[logio][recording][hostile]") {
    const std::string good = recording();
    std::string bad = good;
    bad.replace(good.size() / 2, 200, rubbish(200, 4));
    const auto log = readLog(bad, "r");
    REQUIRE(log);
    CHECK((*log)->damaged_bytes >= 200);
    CHECK((*log)->damaged_bytes < 320);
    CHECK((*log)->damaged_records >= 1);
    CHECK((*log)->find("position.lat_deg")->value.size() > 45);
}

TEST_CASE("no damaged recording crashes or hangs the reader", "[logio][recording][hostile]") {
    int index = 0;
    for (const std::string& bytes : damaged(recording(), 300, 21)) {
        INFO(index++);
        const auto log = readLog(bytes, "d");
        if (log)
            CHECK((*log)->damaged_bytes <= bytes.size());
        else
            CHECK(log.error().message.starts_with("d: "));
    }
}

TEST_CASE("files that are no logs say what is read", "[logio][hostile]") {
    TempDir dir;
    CHECK(readLog("", "e").error().message.find("empty") != std::string::npos);
    CHECK(readLog(rubbish(3000, 9), "r").error().message.find("not a log") != std::string::npos);
    CHECK(openLog(dir.path()).error().message.find("directory") != std::string::npos);
    CHECK(openLog(dir / "none").error().message.find("No such file") != std::string::npos);
    spit(dir / "locked", recording());
    chmod((dir / "locked").c_str(), 0);
    chmod(dir.path().c_str(), 0755);
    withoutRights([&](bool stopped) {
        if (stopped) CHECK_FALSE(openLog(dir / "locked"));
    });
}

TEST_CASE("a rehearsal written as ULog comes back with its channels, modes and events", "[logio][ulog]") {
    const auto log = rehearsed(rowPlan(3));
    const auto back = readLog(writeUlog(*log), "u");
    REQUIRE(back);
    CHECK((*back)->format == "ULog");
    for (const char* name : {"position.lat_deg", "battery.left_percent", "attitude.yaw_deg", "mission.item"}) {
        INFO(name);
        const Channel *a = log->find(name), *b = (*back)->find(name);
        REQUIRE(b != nullptr);
        CHECK(b->unit == a->unit);
        REQUIRE(b->value.size() == a->value.size());
        CHECK(b->value == a->value);
        CHECK(b->t_s[20] - b->t_s[0] == Approx(a->t_s[20] - a->t_s[0]));
    }
    CHECK((*back)->modes.size() == log->modes.size());
    CHECK((*back)->events.size() == log->events.size());
    CHECK((*back)->sessions.size() == 1);
}

TEST_CASE("no damaged ULog crashes or hangs the reader", "[logio][ulog][hostile]") {
    const std::string good = writeUlog(*rehearsed(rowPlan(1))).substr(0, 60000);
    for (const std::string& bytes : damaged(good, 200, 31)) {
        const auto log = readLog(bytes, "d");
        if (!log) CHECK(log.error().message.size() > 4);
    }
    CHECK(readLog(good.substr(0, 12), "short").error().message.find("not complete") != std::string::npos);
}

TEST_CASE("a flight on the line has small errors, a shifted one is measured", "[review]") {
    const Plan plan = rowPlan(5);
    const FlightProgram program = programIn(plan);
    const auto log = rehearsed(plan);
    const auto on_line = plannedAgainstFlown(program, 0.0, *log);
    REQUIRE(on_line);
    CHECK(on_line->legs.size() == 4);
    CHECK(on_line->cross_max_m.value() < 0.5);
    CHECK(on_line->height_max_m.value() < 1.5);
    CHECK(on_line->flown_s == Approx(log->duration_s()).margin(2));
    FlightProgram moved = program;
    for (ProgramStep& step : moved.steps)
        if (auto* leg = std::get_if<ProgramLeg>(&step.what); leg != nullptr && leg->kind == LegKind::pass) {
            leg->place = destination(leg->place, 0, 7);
            leg->height.value_m += 4;
        }
    const auto off = plannedAgainstFlown(moved, 0.0, *log);
    REQUIRE(off);
    CHECK(off->cross_mean_m.value() == Approx(7).margin(0.3));
    CHECK(off->height_mean_m.value() == Approx(4).margin(0.4));
    CHECK_FALSE(plannedAgainstFlown(program, 0.0, FlightLog{}));
}

TEST_CASE("exports hold true heights and every point", "[exchange]") {
    const Plan plan = rowPlan(3);
    const Route route = expand(plan, nullptr);
    const Path path = pathIn(plan);
    const std::string kml = planKml(plan, path);
    CHECK(kml.find("<altitudeMode>absolute</altitudeMode>") != std::string::npos);
    CHECK(kml.find(",60.00 ") != std::string::npos);
    CHECK(planGpx(plan, path).find("<ele>60.00</ele>") != std::string::npos);
    const std::string csv = planCsv(plan, path);
    CHECK(std::count(csv.begin(), csv.end(), '\n') == static_cast<long>(path.points.size()) + 1);

    const auto log = rehearsed(plan);
    const std::string track = logKml(*log, "a <b> & c");
    CHECK(track.find("a &lt;b&gt; &amp; c") != std::string::npos);
    CHECK(track.find("clampToGround") == std::string::npos);
    CHECK(logGpx(*log, "t").find("<trkpt") != std::string::npos);
    const std::string table = logCsv(*log);
    CHECK(table.find("battery.left_percent [%]") != std::string::npos);
    CHECK(std::count(table.begin(), table.end(), '\n') ==
          static_cast<long>(log->find("position.lat_deg")->value.size()) + 1);
    CHECK(extensionOf("a.b/C.KML") == ".kml");
    CHECK(extensionOf("a.b/c") == "");
}

TEST_CASE("a plan's KML holds what its photos show, and its flight as a timed track and a tour through the camera",
          "[exchange][kml]") {
    const auto plan = loadPlan(demo("quarry.anhinga.geojson"));
    REQUIRE(plan);
    const auto terrain = island();
    const Route route = expand(*plan, terrain.get());
    const Path path = pathIn(*plan, terrain.get());
    const auto r = rehearse(*plan, programIn(*plan, terrain.get()), terrain);
    REQUIRE(r);
    const std::string kml = planKml(*plan, path, {&route, terrain.get(), r->log.get()});
    pugi::xml_document doc;
    REQUIRE(doc.load_string(kml.c_str()));
    const auto document = doc.child("kml").child("Document");
    const auto footprints = document.find_child_by_attribute("Folder", "id", "photo-footprints");
    std::size_t prints = 0;
    for (const auto mark : footprints.children("Placemark")) {
        prints += 1;
        REQUIRE(mark.child("Polygon"));
    }
    CHECK(prints == route.photos);
    // A photo 55 m over the ground shows 82 m by 55 m of it.
    std::istringstream first(footprints.child("Placemark")
                                 .child("Polygon")
                                 .child("outerBoundaryIs")
                                 .child("LinearRing")
                                 .child("coordinates")
                                 .text()
                                 .get());
    double lon[2], lat[2];
    char comma;
    first >> lon[0] >> comma >> lat[0] >> lon[1] >> comma >> lat[1];
    const double side = distance_m({lat[0], lon[0]}, {lat[1], lon[1]});
    CHECK(side > 45);
    CHECK(side < 130);
    const auto flight = document.find_child_by_attribute("Folder", "id", "flight");
    const auto track = flight.child("Placemark").child("Track");
    const auto count = [&](const char* name) {
        const auto all = track.children(name);
        return std::distance(all.begin(), all.end());
    };
    CHECK(std::string(track.child("altitudeMode").text().get()) == "absolute");
    CHECK(count("when") > 1000);
    CHECK(count("when") == count("coord"));
    CHECK(count("when") == count("angles"));
    std::string before;
    for (const auto when : track.children("when")) {
        CHECK(std::string(when.text().get()) > before);  // as text, times of one form sort as times
        before = when.text().get();
    }
    double total = 0;
    int down = 0;
    for (const auto fly : flight.child("Tour").child("Playlist").children("FlyTo")) {
        total += fly.child("duration").text().as_double();
        const auto camera = fly.child("Camera");
        CHECK(std::string(camera.child("altitudeMode").text().get()) == "absolute");
        CHECK(camera.child("altitude").text().as_double() > 20);
        down += camera.child("tilt").text().as_double() < 5;
    }
    CHECK(total == Approx(r->duration_s).margin(3));
    CHECK(down > 200);  // over the quarry it looks straight down
    // What is added for looking at does not come back as plan.
    const auto back = readKml(kml, "quarry.kml"), plain = readKml(planKml(*plan, path), "plain.kml");
    REQUIRE(back);
    REQUIRE(plain);
    CHECK(back->shapes.size() == plain->shapes.size());
}

TEST_CASE("a home of unknown height is never written as height zero", "[exchange]") {
    Plan plan = rowPlan(2);
    plan.home->amsl_m.reset();
    const Path path = pathIn(plan);
    CHECK(planKml(plan, path).find("absolute") == std::string::npos);
    CHECK(planGpx(plan, path).find("<ele>") == std::string::npos);
}

TEST_CASE("in a KMZ an aircraft flies along the animated track; a KML alone names no file", "[exchange]") {
    const auto log = openLog(demo("shakedown-clean.ulg"));
    REQUIRE(log);
    const auto kmz = logExport(**log, "clean", "clean.kmz");
    REQUIRE(kmz);
    const auto inner = readKmz(*kmz, "clean.kmz");
    REQUIRE(inner);
    pugi::xml_document doc;
    REQUIRE(doc.load_string(inner->c_str()));
    const auto track = doc.first_element_by_path("kml/Document")
                           .find_child_by_attribute("Folder", "id", "flight")
                           .child("Placemark")
                           .child("Track");
    REQUIRE(track);
    const std::string named = track.child("Model").child("Link").child("href").text().get();
    CHECK(named == "aircraft.dae");
    CHECK(std::string(track.last_child().name()) == "Model");  // behind all angles, as the standard orders
    CHECK(kmz->find(named) != std::string::npos);              // a file of that name is in the archive
    CHECK(logKml(**log, "clean").find("<Model>") == std::string::npos);
    // The model is closed, its faces look outwards, and its nose is to the north (y).
    pugi::xml_document model;
    REQUIRE(model.load_string(aircraftModel().c_str()));
    const auto mesh = model.child("COLLADA").child("library_geometries").child("geometry").child("mesh");
    std::istringstream numbers(mesh.child("source").child("float_array").text().get()),
        faces(mesh.child("triangles").child("p").text().get());
    std::vector<std::array<double, 3>> corners;
    for (std::array<double, 3> c{}; numbers >> c[0] >> c[1] >> c[2];) corners.push_back(c);
    CHECK(3 * corners.size() == mesh.child("source").child("float_array").attribute("count").as_uint());
    std::multiset<std::pair<int, int>> edges;
    double volume = 0;
    unsigned count = 0;
    for (int a = 0, b = 0, c = 0; faces >> a >> b >> c; ++count) {
        for (const auto& e : {std::pair(a, b), std::pair(b, c), std::pair(c, a)}) edges.insert(e);
        const auto &p = corners.at(static_cast<std::size_t>(a)), &q = corners.at(static_cast<std::size_t>(b)),
                   &r = corners.at(static_cast<std::size_t>(c));
        volume += p[0] * (q[1] * r[2] - q[2] * r[1]) - p[1] * (q[0] * r[2] - q[2] * r[0]) +
                  p[2] * (q[0] * r[1] - q[1] * r[0]);
    }
    CHECK(count == mesh.child("triangles").attribute("count").as_uint());
    for (const auto& [from, to] : edges) CHECK(edges.count({to, from}) == 1);
    CHECK(volume / 6 > 1);
    const auto nose = std::max_element(corners.begin(), corners.end(),
                                       [](const auto& x, const auto& y) { return std::abs(x[1]) < std::abs(y[1]); });
    CHECK((*nose)[1] > 0);
}

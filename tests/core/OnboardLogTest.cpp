// Onboard logs and tracks: files made by writers of the tests' own, decoded value by value; prefixes and damage.
#include <catch2/catch.hpp>

#include <sys/resource.h>

#include <filesystem>
#include <limits>

#include "LogWriters.h"
#include "core/base/MappedFile.h"
#include "core/base/Text.h"
#include "core/geo/Geo.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

LogPtr must(const std::string& bytes) {
    const auto log = readLog(bytes, "sample");
    if (!log) FAIL(log.error().message);
    return *log;
}
double last(const LogPtr& log, const char* name) {
    const Channel* c = log->find(name);
    INFO(name);
    REQUIRE(c != nullptr);
    REQUIRE_FALSE(c->value.empty());
    return c->value.back();
}

/// Every prefix and `mutations` damaged ones are read to a clean result or error, in bounded time and memory.
void hostile(const char* what, const std::string& good) {
    const int mutations = 400 * testDepth();
    double longest = 0;
    int logs = 0, errors = 0;
    const auto tryOne = [&](const std::string& bytes) {
        const double start = cpuMs();
        const auto log = readLog(bytes, what);
        if (log) {
            for (const ChannelInfo& c : (*log)->list()) {
                const Channel* channel = (*log)->find(c.name);
                REQUIRE(channel->t_s.size() == channel->value.size());
                REQUIRE(std::is_sorted(channel->t_s.begin(), channel->t_s.end()));
            }
            REQUIRE(std::isfinite((*log)->duration_s()));
            ++logs;
        } else {
            REQUIRE_FALSE(log.error().message.empty());
            ++errors;
        }
        longest = std::max(longest, cpuMs() - start);
    };
    for (std::size_t n = 0; n < good.size(); ++n) tryOne(good.substr(0, n));
    for (const std::string& bad : damaged(good, mutations, 11)) tryOne(bad);
    CHECK(longest < 2000);
    rusage use{};
    getrusage(RUSAGE_SELF, &use);
    std::printf("%s: %zu prefixes and %d mutations: %d read, %d refused, longest %.0f ms\n", what, good.size(),
                mutations, logs, errors, longest);
}

}  // namespace

TEST_CASE("every type of a self-describing record is decoded exactly, in both forms", "[logio][selfdescribing]") {
    SelfWriter w;
    w.format(50, "ALL", "QbBhHcCiIeELfdqM", "TimeUS,b,B,h,H,c,C,i,I,e,E,L,f,d,q,M");
    w.format(51, "TXT", "QnNZf", "TimeUS,n,N,Z,f");
    const std::vector<std::vector<Cell>> rows{
        {1e6, -128.0, 255.0, -32768.0, 65535.0, -327.68, 655.35, -2147483648.0, 4294967295.0, -21474836.48, 42949672.95,
         -179.9999999, 1.5, -1e300, -9007199254740992.0, 255.0},
        {2e6, 127.0, 0.0, 32767.0, 1.0, 327.67, 0.01, 2147483647.0, 0.0, 21474836.47, 0.01, 89.1234567, -0.0625, 1e-300,
         9007199254740992.0, 0.0},
        {3e6, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0}};
    for (const auto& row : rows) w.record(50, row);
    w.record(51, {4e6, std::string("abcd"), std::string("sixteen letters!"), std::string(64, 'z'), 7.0});
    const char* names[] = {"b", "B", "h", "H", "c", "C", "i", "I", "e", "E", "L", "f", "d", "q", "M"};
    for (const std::string& bytes : {w.binary, w.text}) {
        const LogPtr log = must(bytes);
        CHECK(log->damaged_bytes == 0);
        CHECK(log->message_counts.at("ALL") == 3);
        CHECK(log->message_counts.at("FMT") == 2);
        for (std::size_t f = 0; f < std::size(names); ++f) {
            const Channel* c = log->find(std::string("ALL.") + names[f]);
            INFO(names[f]);
            REQUIRE(c != nullptr);
            REQUIRE(c->value.size() == rows.size());
            for (std::size_t r = 0; r < rows.size(); ++r) {
                const double v = std::get<double>(rows[r][f + 1]);
                CHECK(c->value[r] == Approx(v).epsilon(1e-15).margin(0));
                CHECK(c->t_s[r] == Approx(static_cast<double>(r)));
            }
        }
        CHECK(last(log, "TXT.f") == 7);
        CHECK_FALSE(log->has("TXT.Z"));
    }
    CHECK(must(w.binary)->format == "self-describing log");
    CHECK(must(w.text)->format == "self-describing log, text");
}

TEST_CASE("a self-describing flight has every canonical channel, its words and its sessions",
          "[logio][selfdescribing]") {
    const SelfWriter w = flightWriter();
    for (const std::string& bytes : {w.binary, w.text}) {
        const LogPtr log = must(bytes);
        CHECK(log->damaged_bytes == 0);
        CHECK(log->vehicle == "vehicle 4, multirotor");
        CHECK(log->params.at("WPNAV_SPEED") == 512.5);
        const std::pair<const char*, double> values[] = {{"position.lat_deg", 47.3004},
                                                         {"position.lon_deg", -20.0992},
                                                         {"position.height_amsl_m", 45},
                                                         {"position.height_home_m", 0},
                                                         {"velocity.ground_mps", 1.1f},
                                                         {"velocity.climb_mps", 0.5},
                                                         {"attitude.roll_deg", 1.25},
                                                         {"attitude.pitch_deg", -2.25},
                                                         {"attitude.yaw_deg", 91.5},
                                                         {"desired.roll_deg", 1.5},
                                                         {"desired.yaw_deg", 90},
                                                         {"gps.satellites", 14},
                                                         {"gps.hdop", 0.8},
                                                         {"gps.fix", 3},
                                                         {"imu.gyro_x_dps", 0.25 * 180 / M_PI},
                                                         {"imu.accel_z_mps2", -9.75},
                                                         {"mag.x_ut", 30},
                                                         {"mag.field_ut", std::hypot(30, 10, 40)},
                                                         {"battery.voltage_v", 16 - 40 / 64.0},
                                                         {"battery.used_mah", 140},
                                                         {"motor.1", 50},
                                                         {"motor.2", 25}};
        for (const auto& [name, value] : values) {
            INFO(name);
            CHECK(last(log, name) == Approx(value).margin(1e-6));
        }
        // The second of a sensor stands beside the first.
        CHECK(last(log, "GPS#1.NSats") == 9);
        CHECK(last(log, "IMU#1.GyrX") == 0.5);
        CHECK(log->find("IMU.GyrX")->value.size() == 205);
        for (const ChannelInfo& c : log->list())
            if (c.name == "POS.RelHomeAlt") CHECK(c.unit == "m");
        REQUIRE(log->modes.size() == 2);
        CHECK(log->modes[0].name == "mission");
        CHECK(log->modes[1].name == "return");
        CHECK(log->modes[1].t_s == Approx(20).margin(0.01));
        REQUIRE(log->missions == std::vector<int>{3});
        const auto count = [&](const std::string& kind) {
            return std::count_if(log->events.begin(), log->events.end(),
                                 [&](const LogEvent& e) { return e.kind == kind; });
        };
        CHECK(count("armed") == 1);
        CHECK(count("disarmed") == 1);
        CHECK(count("photo") == 4);
        REQUIRE(count("message") == 1);
        CHECK(std::any_of(log->events.begin(), log->events.end(),
                          [](const LogEvent& e) { return e.text == "hello, world: 3"; }));
        REQUIRE(log->sessions.size() == 1);
        CHECK(log->sessions[0].max_height_home_m == Approx(30).margin(0.1));
        CHECK(log->sessions[0].armed_s == Approx(40).margin(0.1));
        // GPS week 2400, 100 s: 2026-01-04 00:01:40, less 18 leap seconds.
        CHECK(isoUtc(log->start_unix_s + 0.5) == "2026-01-04T00:01:22Z");
    }
}

TEST_CASE("damage in a self-describing log is passed over, counted, and costs only its neighbours",
          "[logio][selfdescribing][hostile]") {
    const SelfWriter w = flightWriter();
    std::string bad = w.binary;
    for (std::size_t i = 5000; i < 5100; ++i) bad[i] = 'x';
    const LogPtr log = must(bad), good = must(w.binary);
    CHECK(log->damaged_records == 1);
    CHECK(log->damaged_bytes >= 100);
    CHECK(log->damaged_bytes < 300);
    std::size_t before = 0, after = 0;
    for (const auto& [name, n] : good->message_counts) before += n;
    for (const auto& [name, n] : log->message_counts) after += n;
    CHECK(before - after <= 8);
    // A half record at the end, as after a power cut.
    const LogPtr cut = must(w.binary.substr(0, w.binary.size() - 3));
    CHECK(cut->damaged_bytes > 0);
    CHECK(cut->find("IMU.GyrX")->value.size() == 205);
    std::string text = w.text;
    text.insert(text.find("\nATT") + 1, "GPS, 12\nrubbish\n");
    CHECK(must(text)->damaged_records == 2);
}

TEST_CASE("prefixes and mutations of self-describing logs do no harm", "[logio][selfdescribing][hostile][deep]") {
    const SelfWriter w = flightWriter(2, 2);
    hostile("self-describing", w.binary);
    hostile("self-describing, text", w.text);
}

TEST_CASE("a mapped file is read as it is, refused by name, and outlives being shortened", "[base][mapped]") {
    TempDir dir;
    const std::string bytes = rubbish(200000, 8);
    spit(dir / "a", bytes);
    const auto mapped = mapFile(dir / "a");
    REQUIRE(mapped);
    CHECK(mapped->bytes == bytes);
    CHECK_FALSE(mapFile(dir / "none"));
    CHECK_FALSE(mapFile(dir.path()));
    CHECK_FALSE(mapFile(dir / "a", 1000));
    spit(dir / "empty", "");
    CHECK(mapFile(dir / "empty").error().message.find("empty") != std::string::npos);
    std::filesystem::resize_file(dir / "a", 5000);
    std::size_t zeros = 0;
    for (const char c : mapped->bytes) zeros += c == '\0' ? 1 : 0;
    CHECK(zeros > 190000);
    CHECK(mapped->bytes.substr(0, 4000) == bytes.substr(0, 4000));
    const SharedBytes owned = ownedBytes("text");
    CHECK(owned.bytes == "text");
}

TEST_CASE("a channel that was promised is decoded once, when it is asked for", "[flightlog]") {
    FlightLog log;
    int decoded = 0;
    log.promise("a.b_m", "m", 3, [&](Channel& c) {
        ++decoded;
        for (int i = 0; i < 3; ++i) c.add(i, i * i);
    });
    log.channel("MESSAGE.x", "").add(0, 1);
    log.setSpan(0, 2);
    CHECK(log.duration_s() == 2);
    REQUIRE(log.list().size() == 2);
    CHECK(log.list()[0].name == "a.b_m");
    CHECK(log.list()[0].count == 3);
    CHECK(log.has("a.b_m"));
    CHECK(decoded == 0);
    std::vector<std::jthread> threads;
    for (int i = 0; i < 4; ++i) threads.emplace_back([&] { (void)log.find("a.b_m"); });
    threads.clear();
    CHECK(log.find("a.b_m")->value == std::vector<double>{0, 1, 4});
    CHECK(decoded == 1);
    CHECK(log.channels().size() == 2);
    FlightLog moved = std::move(log);
    CHECK(moved.find("a.b_m")->value.size() == 3);
}

TEST_CASE("every predictor and encoding gives the values back exactly", "[logio][predictor]") {
    for (const int version : {1, 2})
        for (unsigned seed = 1; seed <= 4; ++seed) {
            const PredictorLog made = predictorLog(800, version, seed);
            const LogPtr log = must(made.bytes);
            INFO("version " << version << ", seed " << seed);
            CHECK(log->format == "predictor-encoded log");
            CHECK(log->damaged_bytes == 0);
            CHECK(log->message_counts.at("MAIN") == 800);
            for (std::size_t f = 0; f < kMainFields.size(); ++f) {
                if (kMainFields[f] == "time") continue;
                const Channel* c = log->find("MAIN." + kMainFields[f]);
                REQUIRE(c != nullptr);
                REQUIRE(c->value.size() == made.frames.size());
                std::size_t wrong = 0;
                for (std::size_t i = 0; i < made.frames.size(); ++i) wrong += c->value[i] != made.frames[i][f] ? 1 : 0;
                INFO(kMainFields[f]);
                CHECK(wrong == 0);
            }
            const Channel* c = log->find("MAIN.debug[0]");
            for (std::size_t i = 0; i < made.frames.size(); ++i)
                REQUIRE(c->t_s[i] == Approx((made.frames[i][1] - made.frames[0][1]) * 1e-6).margin(1e-9));
        }
}

TEST_CASE("a predictor-encoded log has canonical channels in their units, place, modes and events",
          "[logio][predictor]") {
    const PredictorLog made = predictorLog(800);
    const LogPtr log = must(made.bytes);
    const auto& v = made.frames.back();
    CHECK(last(log, "imu.gyro_x_dps") == Approx(v[7]));
    CHECK(last(log, "imu.accel_x_mps2") == Approx(v[10] * 9.80665 / 2048));
    CHECK(last(log, "battery.voltage_v") == Approx(v[4] / 100.0));
    CHECK(last(log, "motor.1") == Approx((v[5] - 48) * 100.0 / 1999));
    CHECK(last(log, "throttle.percent") == Approx((v[3] - 1000) / 10.0));
    CHECK(last(log, "position.height_home_m") == Approx(v[17] / 100.0));
    CHECK(last(log, "position.lat_deg") == Approx(47.3 + 781 * 100 * 1e-7));
    CHECK(last(log, "position.lon_deg") == Approx(-20.1 - 781 * 50 * 1e-7));
    CHECK(last(log, "velocity.ground_mps") == Approx(8.4));
    CHECK(last(log, "SLOW.state") == 5);
    CHECK(log->params.at("rate") == 1.25);
    REQUIRE(log->modes.size() == 1);
    CHECK(log->sessions.size() == 1);
    CHECK(log->duration_s() == Approx(2).margin(0.01));
}

TEST_CASE("several logs in one file are sessions of their own", "[logio][predictor]") {
    for (const bool place : {true, false}) {
        const std::string one = predictorLog(800, 2, 1, place).bytes, two = predictorLog(400, 2, 9, place).bytes;
        const LogPtr log = must(one + std::string(64, '\xFF') + two);
        INFO("with places: " << place);
        REQUIRE(log->sessions.size() == 2);
        CHECK(log->message_counts.at("MAIN") == 1200);
        CHECK(log->sessions[1].from_s > log->sessions[0].to_s + 10);
        CHECK(log->sessions[0].max_height_home_m == Approx(30).margin(0.2));
    }
}

TEST_CASE("a predictor-encoded log finds its feet again behind damage", "[logio][predictor][hostile]") {
    const PredictorLog made = predictorLog(800);
    std::string bad = made.bytes;
    const std::size_t middle = bad.size() / 2;
    for (std::size_t i = 0; i < 30; ++i) bad[middle + i] = '\x7F';
    const LogPtr log = must(bad);
    CHECK(log->damaged_records >= 1);
    const std::size_t n = log->message_counts.at("MAIN");
    CHECK(n < 800);
    CHECK(n > 770);  // no more than the frames up to the next whole one
    // What is read is right: the last frame is the last frame.
    CHECK(last(log, "MAIN.gyroADC[1]") == made.frames.back()[8]);
}

TEST_CASE("prefixes and mutations of predictor-encoded logs do no harm", "[logio][predictor][hostile][deep]") {
    hostile("predictor-encoded", predictorLog(60).bytes);
}

TEST_CASE("tracks of GPX and KML are logs with the same places, heights and times", "[logio][track]") {
    std::string points, whens, coords, line;
    for (int i = 0; i <= 30; ++i) {
        const double lat = 47.3 + i * 1e-4, lon = -20.1, up = 45 + (i <= 15 ? i : 30 - i) * 2;
        const std::string time = isoUtc(1.78e9 + i * 2).substr(0, 19) + ".50Z";
        points += fmt::format("<trkpt lat=\"{:.6f}\" lon=\"{:.6f}\"><ele>{:.1f}</ele><time>{}</time></trkpt>\n", lat,
                              lon, up, time);
        whens += "<when>" + time + "</when>\n";
        coords += fmt::format("<gx:coord>{:.6f} {:.6f} {:.1f}</gx:coord>\n", lon, lat, up);
        line += fmt::format("{:.6f},{:.6f},{:.1f} ", lon, lat, up);
    }
    const std::string gpx =
        "<?xml version=\"1.0\"?><gpx version=\"1.1\" xmlns=\"http://www.topografix.com/GPX/1/1\"><trk><trkseg>" +
        points + "</trkseg></trk></gpx>";
    const std::string kml_head =
        "<?xml version=\"1.0\"?><kml xmlns=\"http://www.opengis.net/kml/2.2\" "
        "xmlns:gx=\"http://www.google.com/kml/ext/2.2\"><Document><Placemark>";
    const std::string kml = kml_head + "<gx:Track><altitudeMode>absolute</altitudeMode>" + whens + coords +
                            "</gx:Track></Placemark></Document></kml>";
    for (const std::string& text : {gpx, kml}) {
        const LogPtr log = must(text);
        CHECK(log->start_unix_s == Approx(1.78e9 + 0.5).margin(1e-3));
        REQUIRE(log->sessions.size() == 1);
        CHECK(log->sessions[0].to_s == Approx(60));
        CHECK(log->sessions[0].max_height_home_m == Approx(30));
        CHECK(log->sessions[0].distance_m == Approx(333.6).margin(1));
        CHECK(last(log, "position.lat_deg") == Approx(47.303));
        CHECK(last(log, "position.height_amsl_m") == 45);
        CHECK(log->find("position.lat_deg")->value.size() == 31);
    }
    // Without times: one point a second, and said so. Clamped heights are not taken for heights.
    const LogPtr bare = must(kml_head + "<LineString><coordinates>" + line +
                             "</coordinates></LineString></Placemark></Document></kml>");
    CHECK(bare->start_unix_s == 0);
    CHECK(bare->sessions[0].to_s == 30);
    CHECK_FALSE(bare->has("position.height_amsl_m"));
    CHECK(std::any_of(bare->events.begin(), bare->events.end(),
                      [](const LogEvent& e) { return e.text.find("one a second") != std::string::npos; }));
    CHECK(std::any_of(bare->events.begin(), bare->events.end(),
                      [](const LogEvent& e) { return e.text.find("clamped") != std::string::npos; }));
    const LogPtr above = must(kml_head + "<LineString><altitudeMode>relativeToGround</altitudeMode><coordinates>" +
                              line + "</coordinates></LineString></Placemark></Document></kml>");
    CHECK(last(above, "position.height_ground_m") == 45);
    // Points that cannot be are counted; offsets from UTC are respected.
    const LogPtr odd = must(
        "<gpx><trk><trkseg><trkpt lat=\"95\" lon=\"0\"/><trkpt lat=\"47\" "
        "lon=\"-20\"><time>2026-05-14T11:00:00+02:00</time></trkpt>"
        "<trkpt lat=\"47.1\" lon=\"-20\"><time>2026-05-14T08:59:00Z</time></trkpt></trkseg></trk></gpx>");
    CHECK(odd->damaged_records == 2);
    CHECK(isoUtc(odd->start_unix_s + 60) == "2026-05-14T09:00:00Z");
    CHECK_FALSE(readLog("<gpx></gpx>", "none"));
    CHECK_FALSE(readLog("<gpx><trk>", "cut"));
    // One that breaks off is read up to there.
    const LogPtr cut = must(gpx.substr(0, gpx.size() - 200));
    CHECK(cut->find("position.lat_deg")->value.size() >= 27);
    CHECK(cut->damaged_bytes > 0);
    const auto few = [](const std::string& text, int n) {
        std::size_t at = 0;
        for (int i = 0; i < n; ++i) at = text.find('\n', at) + 1;
        return text.substr(0, at);
    };
    hostile("GPX", "<gpx><trk><trkseg>" + few(points, 6) + "</trkseg></trk></gpx>");
    hostile("KML", kml_head + "<gx:Track><altitudeMode>absolute</altitudeMode>" + few(whens, 6) + few(coords, 6) +
                       "</gx:Track></Placemark></Document></kml>");
}

TEST_CASE("a raw capture without time stamps is read as a recording is, both versions of the protocol",
          "[logio][capture]") {
    using mavlink::Message;
    std::string raw, stamped;
    std::uint8_t sequence = 0;
    const auto add = [&](Message m, int t_ms) {
        m.system = m.component = 1;
        m.sequence = sequence++;
        const std::string frame = mavlink::encode(m);
        const std::uint64_t us = 1780000000000000ULL + static_cast<std::uint64_t>(t_ms) * 1000;
        for (int i = 7; i >= 0; --i) stamped += static_cast<char>(us >> (8 * i) & 255);
        stamped += frame;
        raw += frame;
    };
    for (int i = 0; i <= 60; ++i) {
        const int t = 5000 + i * 500;
        if (i % 2 == 0)
            add(Message("HEARTBEAT").set("type", 2).set("autopilot", 3).set("base_mode", 128).set("custom_mode", 3), t);
        if (i == 0) add(Message("SYSTEM_TIME").set("time_boot_ms", t).set("time_unix_usec", 1780000005000000.0), t);
        add(Message("GLOBAL_POSITION_INT")
                .set("time_boot_ms", t)
                .set("lat", 473000000 + i * 1000)
                .set("lon", -201000000)
                .set("relative_alt", 20000),
            t);
        add(Message("ATTITUDE").set("time_boot_ms", t).set("roll", 0.1), t);
    }
    const LogPtr a = must(stamped), b = must(raw);
    CHECK(a->format == "MAVLink recording");
    CHECK(b->format == "MAVLink capture");
    CHECK(b->message_counts == a->message_counts);
    CHECK(b->find("position.lat_deg")->value == a->find("position.lat_deg")->value);
    CHECK(b->sessions.size() == 1);
    CHECK(b->sessions[0].to_s == Approx(a->sessions[0].to_s));
    CHECK(b->start_unix_s == Approx(1780000005.0).margin(0.1));
    CHECK(b->damaged_bytes == 0);
    // Other bytes between, as of a serial console.
    CHECK(must("boot ok\n" + raw.substr(0, 2000) + "noise" + raw.substr(2000))->damaged_bytes >= 12);
    hostile("MAVLink capture", raw.substr(0, 1500));
}

TEST_CASE("predictor-encoded logs of both kinds: modes, failsafe, attitude, sticks, rotors, home and the date",
          "[logio][predictor][layout]") {
    for (const bool navigates : {true, false}) {
        INFO((navigates ? "with navState" : "without"));
        PredictorWriter w;
        w.out =
            "H Product:Flight data\nH Data version:2\nH I interval:1\nH P interval:1/1\nH motor_poles:14\n"
            "H Log start datetime:2026-05-14T09:12:30.250+02:00\n";
        w.out += std::string("H Field I name:loopIteration,time,attitude[0],attitude[1],attitude[2],rcCommand[0],") +
                 "rcCommand[1],rcCommand[2],rcCommand[3],eRPM[0]" + (navigates ? ",navState,navPos[2]" : "") + "\n";
        const std::string zeros = navigates ? "0,0,0,0,0,0,0,0,0,0,0,0" : "0,0,0,0,0,0,0,0,0,0";
        w.out += "H Field I signed:" + zeros + "\nH Field I predictor:" + zeros +
                 "\nH Field I encoding:1,1,0,0,0,0,0,0,1,1" + (navigates ? ",1,0" : "") +
                 "\nH Field P predictor:" + zeros + "\nH Field P encoding:" + zeros + "\n";
        w.out +=
            "H Field S name:flightModeFlags,stateFlags,failsafePhase,rxSignalReceived\nH Field S signed:0,0,0,0\n"
            "H Field S predictor:0,0,0,0\nH Field S encoding:1,1,1,1\n";
        w.out +=
            "H Field H name:GPS_home[0],GPS_home[1]\nH Field H signed:1,1\nH Field H predictor:0,0\nH Field H "
            "encoding:0,0\n";
        const auto slow = [&](std::uint32_t flags, int phase, bool heard) {
            w.byte('S');
            for (const std::uint32_t v : {flags, 0U, static_cast<std::uint32_t>(phase), heard ? 1U : 0U}) w.uvb(v);
        };
        for (int i = 0; i < 100; ++i) {  // ten a second
            w.byte('I');
            w.uvb(static_cast<std::uint32_t>(i));
            w.uvb(static_cast<std::uint32_t>(1000000 + i * 100000));
            for (const int v : {-123, 45, 2705, 250, -500, 100}) w.svb(v);
            w.uvb(1400);
            w.uvb(378);  // hundreds of electrical turns: 5400 of seven pairs of poles
            if (navigates) {
                w.uvb(i < 30 ? 1 : i < 60 ? 19 : 12);  // nothing, a mission, home
                w.svb(1234);
            }
            if (i == 5) {
                w.byte('H');
                w.svb(473000000);
                w.svb(-201000000);
            }
            // Levelled: the first flag of the one kind, the second of the other.
            if (i == 10) slow(navigates ? 1 : 1 | 1 << 1, 0, true);
            if (i == 40) slow(navigates ? 1 : 1, navigates ? 3 : 1, false);
            if (i == 80) slow(navigates ? 1 : 1, 0, true);
        }
        const auto log = readLog(w.out, "predicted");
        REQUIRE(log);
        CHECK((*log)->damaged_bytes == 0);
        CHECK(isoUtcMillis((*log)->start_unix_s) == "2026-05-14T07:12:30.250Z");
        const std::tuple<const char*, double> expected[] = {{"attitude.roll_deg", -12.3}, {"attitude.pitch_deg", -4.5},
                                                            {"attitude.yaw_deg", 270.5},  {"stick.roll", 0.5},
                                                            {"stick.pitch", -1},          {"stick.yaw", -0.2},
                                                            {"stick.throttle", 0.4},      {"rpm.1", 5400}};
        for (const auto& [name, v] : expected) {
            INFO(name);
            REQUIRE((*log)->find(name) != nullptr);
            CHECK((*log)->find(name)->value.at(50) == Approx(v));
        }
        CHECK((*log)->has("estimate.height_home_m") == navigates);
        REQUIRE((*log)->homes.size() == 1);
        CHECK((*log)->homes[0].place.lat_deg == Approx(47.3));
        CHECK_FALSE((*log)->homes[0].place.amsl_m);
        std::vector<std::pair<std::string, double>> modes;
        for (const ModeChange& m : (*log)->modes) modes.emplace_back(m.name, std::round(m.t_s * 10) / 10);
        if (navigates)
            CHECK(modes == std::vector<std::pair<std::string, double>>{
                               {"rate", 0}, {"levelled", 1}, {"mission", 3}, {"return", 6}});
        else
            CHECK(modes == std::vector<std::pair<std::string, double>>{{"levelled", 1}, {"rate", 4}});
        std::vector<std::string> said;
        for (const LogEvent& e : (*log)->events)
            if (e.kind == "message") said.push_back(e.text);
        CHECK(said == std::vector<std::string>{navigates ? "failsafe: returns home" : "failsafe: receiver lost",
                                               "failsafe: the receiver hears nothing", "failsafe: over",
                                               "the receiver is heard again"});
    }
    // Two logs of a file lie where they were; a clock that was never set says nothing.
    const auto two = [](const char* first, const char* second) {
        const auto dated = [](const char* when) {
            std::string bytes = predictorLog(200).bytes;
            bytes.insert(bytes.find("H Data version"), std::string("H Log start datetime:") + when + "\n");
            return bytes;
        };
        const auto log = readLog(dated(first) + dated(second), "two");
        REQUIRE(log);
        return *log;
    };
    const LogPtr apart = two("2026-05-14T09:12:30.000Z", "2026-05-14T09:22:30.000Z");
    REQUIRE(apart->sessions.size() == 2);
    CHECK(isoUtc(apart->sessions[1].start_unix_s) == "2026-05-14T09:22:30Z");
    CHECK(two("0000-01-01T00:00:00.000Z", "0000-01-01T00:00:00.000Z")->start_unix_s == 0);
}

// Tables of hand-held transmitters: columns told by name, unit and content, times of every kind, what was assumed said.
#include <catch2/catch.hpp>

#include "core/base/Text.h"
#include "core/logio/TableLog.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

LogPtr read(const std::string& text, const TableMapping& mapping = {}) {
    const auto log = readTable(ownedBytes(text), "sample.csv", mapping);
    if (!log) FAIL(log.error().message);
    return *log;
}
bool says(const LogPtr& log, const std::string& part) {
    return std::any_of(log->events.begin(), log->events.end(),
                       [&](const LogEvent& e) { return e.text.find(part) != std::string::npos; });
}
std::string channelOf(const std::string& header, const std::string& first, const std::string& second) {
    const auto t = recogniseTable("Time,x," + header + "\n1.0,5," + first + "\n2.0,6," + second + "\n");
    REQUIRE(t);
    return t->columns[2].channel;
}

/// As a transmitter writes it at 5 Hz with a clock of whole seconds: place in one cell, units in the header.
std::string radioTable() {
    std::string text =
        "Date,Time,1RSS(dB),RxBt(V),GPS,GSpd(kts),Hdg(@),Alt(ft),Sats,VFAS(V),Curr(A),Capa(mAh),Thr,SA\n";
    for (int i = 0; i <= 150; ++i)
        text += fmt::format(
            "2026-05-14,09:12:{:02}.000,-{},5.1,{:.6f} {:.6f},{:.2f},90.0,{:.1f},12,{:.2f},10.5,{},300,-1\n", i / 5,
            40 + i % 10, 47.3 + i * 1e-5, -20.1, 10.0, 100 * std::sin(M_PI * i / 150), 16 - i / 100.0, i * 2);
    return text;
}

}  // namespace

TEST_CASE("a transmitter's table is a flight with its place, units and times", "[logio][table]") {
    TableMapping zone;
    zone.utc_offset_s = 7200;
    const LogPtr log = read(radioTable(), zone);
    CHECK(log->format == "table");
    CHECK(isoUtc(log->start_unix_s) == "2026-05-14T07:12:00Z");
    CHECK(log->find("position.lat_deg")->value.size() == 151);
    CHECK(log->find("position.lat_deg")->value.back() == Approx(47.3015));
    CHECK(log->find("velocity.ground_mps")->value[3] == Approx(10 * 1852 / 3600.0));
    CHECK(log->find("battery.voltage_v")->value.back() == Approx(14.5));
    CHECK(log->find("battery.used_mah")->value.back() == 300);
    CHECK(log->find("gps.satellites")->value[0] == 12);
    CHECK(log->find("link.rssi")->value[0] == -40);
    CHECK(log->find("TABLE.SA")->value[0] == -1);
    CHECK(log->find("link.receiver_v")->value[0] == 5.1);  // the receiver's battery is not the aircraft's
    CHECK(log->find("attitude.yaw_deg")->value[0] == 90);
    CHECK(log->sessions[0].max_height_home_m == Approx(30.48).margin(0.01));
    // Five rows a second, spread.
    const auto& t = log->find("position.lat_deg")->t_s;
    for (std::size_t i = 1; i < 150; ++i) REQUIRE(t[i] - t[i - 1] == Approx(0.2).margin(1e-9));
    CHECK(says(log, "spread over the time"));
    CHECK(says(log, "+2.0 h from UTC, as you said"));
    // The same by content alone.
    const auto opened = readLog(radioTable(), "noname");
    REQUIRE(opened);
    CHECK((*opened)->format == "table");
    CHECK(says(*opened, "local time is taken as"));
}

TEST_CASE("columns are recognised by name, and dropped when their values break the promise", "[logio][table]") {
    CHECK(channelOf("Latitude", "47.3", "47.4") == "position.lat_deg");
    CHECK(channelOf("Lng", "-120.5", "-120.6") == "position.lon_deg");
    CHECK(channelOf("Latitude", "473000000", "473000001").empty());
    CHECK(channelOf("Coordinates", "47.3 -20.1", "47.4 -20.1") == "place");
    CHECK(channelOf("Where", "47.3 -20.1", "47.4 -20.1") == "place");
    CHECK(channelOf("Where", "north", "south").empty());
    CHECK(channelOf("GAlt [m]", "45", "46") == "position.height_amsl_m");
    CHECK(channelOf("Baro Alt (ft)", "45", "46") == "position.height_home_m");
    CHECK(channelOf("Vertical Speed", "1", "2") == "velocity.climb_mps");
    CHECK(channelOf("Bat%", "99", "98") == "battery.left_percent");
    CHECK(channelOf("Current A", "9", "8") == "battery.current_a");
    CHECK(channelOf("Throttle", "low", "high").empty());
    const auto two = recogniseTable("Time,Alt(m),Height(m)\n1,2,3\n");
    REQUIRE(two);
    CHECK(two->columns[1].channel == "position.height_home_m");
    CHECK(two->columns[2].channel.empty());
    CHECK(two->columns[2].note.find("another column") != std::string::npos);
    CHECK(two->columns[1].sample == "2");
    const auto unit = recogniseTable("Time,Alt(furlong),Speed\n1,2,3\n");
    CHECK(unit->columns[1].note.find("furlong") != std::string::npos);
    CHECK(unit->columns[2].note.find("taken as m/s") != std::string::npos);
}

TEST_CASE("units of tables are the published ones", "[logio][table]") {
    CHECK(*unitFactor("ft", "position.height_home_m") == 0.3048);
    CHECK(*unitFactor("km/h", "velocity.ground_mps") == Approx(1 / 3.6));
    CHECK(*unitFactor("kts", "velocity.ground_mps") == Approx(0.514444).margin(1e-6));
    CHECK(*unitFactor("mph", "velocity.air_mps") == 0.44704);
    CHECK(*unitFactor("fpm", "velocity.climb_mps") == Approx(0.00508));
    CHECK(*unitFactor("rad", "attitude.roll_deg") == Approx(57.29578));
    CHECK(*unitFactor("mV", "battery.voltage_v") == 0.001);
    CHECK_FALSE(unitFactor("V", "position.height_home_m"));
    CHECK_FALSE(unitFactor("parsec", "velocity.ground_mps"));
}

TEST_CASE("what the operator says of a table goes before what is guessed", "[logio][table]") {
    const std::string text =
        "ms;Breite;Laenge;Hoehe;x\n0;47,30;-20,10;10,5;1\n100;47,31;-20,10;20,5;2\n200;47,32;-20,10;30,5;3\n";
    CHECK_FALSE(readTable(ownedBytes(text), "de.csv", {}));
    TableMapping said;
    said.channels = {{"ms", "time"},
                     {"Breite", "position.lat_deg"},
                     {"Laenge", "position.lon_deg"},
                     {"Hoehe", "position.height_home_m"},
                     {"x", ""}};
    said.units = {{"Hoehe", "ft"}, {"ms", "ms"}};
    const LogPtr log = read(text, said);
    CHECK(log->find("position.lat_deg")->value == std::vector<double>{47.30, 47.31, 47.32});
    CHECK(log->find("position.lat_deg")->t_s.back() == Approx(0.2));
    CHECK(log->find("position.height_home_m")->value.back() == Approx(30.5 * 0.3048));
    CHECK(recogniseTable(text, said)->signature == "ms;Breite;Laenge;Hoehe;x");
}

TEST_CASE("times are dates, clocks, seconds, milliseconds or microseconds, and midnight is passed", "[logio][table]") {
    const auto duration = [](const std::string& header, const std::vector<std::string>& times) {
        std::string text = header + ",Alt(m),Curr(A)\n";
        for (const std::string& t : times) text += t + ",5,1\n";
        return read(text)->duration_s();
    };
    CHECK(duration("Time(s)", {"10", "10.5", "11"}) == Approx(1));
    CHECK(duration("Time(ms)", {"10000", "10500", "11000"}) == Approx(1));
    CHECK(duration("Time", {"10000", "10100", "10200"}) == Approx(0.2));
    CHECK(duration("Time", {"10000000", "10100000", "10200000"}) == Approx(0.2));
    CHECK(duration("Time", {"0", "0.1", "0.2"}) == Approx(0.2));
    CHECK(duration("Time", {"23:59:59.0", "23:59:59.5", "0:00:01.0"}) == Approx(2));
    TableMapping utc;
    utc.utc_offset_s = 0;
    const auto start = [&](const std::string& date) {
        return isoUtc(
            read("Date,Time,Alt(m),x\n" + date + ",08:00:00,5,1\n" + date + ",08:00:01,5,1\n", utc)->start_unix_s);
    };
    CHECK(start("2026-05-14") == "2026-05-14T08:00:00Z");
    CHECK(start("14.05.2026") == "2026-05-14T08:00:00Z");
    CHECK(start("05/14/2026") == "2026-05-14T08:00:00Z");
    CHECK(start("14/05/26") == "2026-05-14T08:00:00Z");
    const LogPtr unclear = read("Date,Time,Alt(m),x\n05/04/2026,08:00:00,5,1\n05/04/2026,08:00:01,5,1\n", utc);
    CHECK(says(unclear, "month/day/year"));
}

TEST_CASE("a table without heights, with rows that cannot be, or without times says so", "[logio][table][hostile]") {
    const LogPtr flat = read("Time(s),Lat,Lon\n0,47.3,-20.1\n1,47.31,-20.1\n");
    CHECK_FALSE(flat->has("position.height_home_m"));
    CHECK(says(flat, "this flight has no heights"));
    const LogPtr sea = read("Time(s),Lat,Lon,GAlt(m)\n0,47.3,-20.1,45\n1,47.31,-20.1,75\n");
    CHECK(sea->find("position.height_home_m")->value.back() == 30);
    CHECK(says(sea, "above the first row"));
    const LogPtr odd = read(
        "Time(s),Lat,Lon,Alt(m)\n0,47.3,-20.1,5\nrubbish\n2,47.3,-20.1,6,7,8\n1,47.31,-20.1,7\n0.5,47.32,-20.1,7\n");
    CHECK(odd->damaged_records == 3);
    CHECK(odd->find("position.lat_deg")->value.size() == 2);
    const auto none = readTable(ownedBytes("Lat,Lon,Alt\n47.3,-20.1,5\n"), "n.csv", {});
    REQUIRE_FALSE(none);
    CHECK(none.error().message.find("no column with the time") != std::string::npos);
    CHECK_FALSE(readTable(ownedBytes("just text\nmore\n"), "t", {}));
    // Other tables are no logs.
    CHECK_FALSE(readLog("name,value,type\nA,1,2\nB,2,3\n", "parameters"));
    CHECK_FALSE(readLog("city,people,area\nx,1,2\n", "towns"));
    const std::string good = radioTable().substr(0, 1500);
    int read_ok = 0;
    for (std::size_t n = 0; n < good.size(); ++n) read_ok += readLog(good.substr(0, n), "cut") ? 1 : 0;
    for (const std::string& bad : damaged(good, 1000, 5)) {
        const auto log = readLog(bad, "bad");
        read_ok += log ? 1 : 0;
        if (!log) continue;
        for (const ChannelInfo& c : (*log)->list()) {
            const Channel* channel = (*log)->find(c.name);
            REQUIRE(std::is_sorted(channel->t_s.begin(), channel->t_s.end()));
        }
    }
    std::printf("table: %zu prefixes and 1000 mutations: %d read\n", good.size(), read_ok);
    CHECK(read_ok > 500);
}

TEST_CASE("tables with a mark of the encoding, lines before the header, quotes and tabs are read", "[logio][table]") {
    const LogPtr quoted = read(
        "\xEF\xBB\xBF\"Time(s)\",\"Lat\",\"Lon\",\"Alt(m)\"\r\n0,\"47.3\",\"-20.1\",5\r\n1,\"47.31\",\"-20.1\",6\r\n");
    CHECK(quoted->find("position.lat_deg")->value == std::vector<double>{47.3, 47.31});
    CHECK(quoted->find("position.height_home_m")->value.back() == 6);
    const LogPtr tabs =
        read("model: glider\nversion 3\n\nTime(s)\tGPS\tAlt(m)\tnote\n0\t47.3 -20.1\t5\tx\n2\t47.31 -20.1\t9\ty\n");
    CHECK(tabs->find("position.lon_deg")->value.size() == 2);
    CHECK(tabs->duration_s() == 2);
    CHECK(tabs->find("TABLE.note")->value.empty());
    // A cell that lacks a value leaves a hole, the row stays.
    const LogPtr holes = read("Time(s),Lat,Lon,VFAS(V)\n0,47.3,-20.1,16\n1,47.31,-20.1,\n2,47.32,-20.1,15\n");
    CHECK(holes->find("position.lat_deg")->value.size() == 3);
    CHECK(holes->find("battery.voltage_v")->value == std::vector<double>{16, 15});
    CHECK(holes->damaged_records == 0);
}

TEST_CASE("what a height is measured from is found out, and said", "[logio][table][heights]") {
    const auto table = [](const std::string& header, const std::vector<double>& heights, double speed) {
        std::string text = "Time(s),Lat,Lon,Speed(m/s)," + header + "\n";
        for (std::size_t i = 0; i < heights.size(); ++i)
            text += fmt::format("{},47.3,-20.1,{},{}\n", i, i < 5 ? speed : 8.0, heights[i]);
        return text;
    };
    const std::vector<double> from_sea{42, 42, 42.1, 42, 42, 60, 80, 100}, from_ground{0, 0, 0.1, 0, 0, 20, 40, 60};
    // It stands at 42 m: above sea level.
    const LogPtr sea = read(table("Alt(m)", from_sea, 0));
    CHECK(sea->find("position.height_amsl_m")->value.back() == 100);
    CHECK(sea->find("position.height_home_m")->value.back() == 58);
    CHECK(says(sea, "it stands at 42.0 m at first: taken as above sea level"));
    // It stands at 0.
    const LogPtr ground = read(table("Altitude(m)", from_ground, 0));
    CHECK_FALSE(ground->has("position.height_amsl_m"));
    CHECK(ground->find("position.height_home_m")->value.back() == 60);
    CHECK(says(ground, "taken as above take-off"));
    // In feet it stands at 42 m all the same.
    std::vector<double> feet = from_sea;
    for (double& h : feet) h /= 0.3048;
    CHECK(read(table("Alt(ft)", feet, 0))->find("position.height_amsl_m")->value.back() == Approx(100));
    // It flies already: nobody knows, and no figure is made of it.
    const LogPtr unknown = read(table("Alt(m)", from_sea, 9));
    CHECK_FALSE(unknown->has("position.height_amsl_m"));
    CHECK_FALSE(unknown->has("position.height_home_m"));
    CHECK(says(unknown, "cannot be told"));
    CHECK(unknown->has("TABLE.Alt(m)"));
    // What the operator says goes before.
    TableMapping said;
    said.channels = {{"Alt(m)", "position.height_home_m"}};
    CHECK(read(table("Alt(m)", from_sea, 9), said)->find("position.height_home_m")->value.back() == 100);
}

TEST_CASE("a row that is none says nothing of the columns", "[logio][table][hostile]") {
    const LogPtr log = read("Time(s),Lat,Lon,Alt(m)\n0,47.3,-20.1,0\nrubbish\nmore of it\n1,47.3,-20.1,3\n");
    CHECK(log->damaged_records == 2);
    CHECK(log->find("position.height_home_m")->value == std::vector<double>{0, 3});
}

TEST_CASE("heights above the ellipsoid become heights above the sea", "[logio][table][heights]") {
    // EGM96 at this place is -31.628 m by the tables its authors publish.
    const LogPtr log =
        read("Time(s),Lat,Lon,AltEllipsoid(m)\n0,38.628155,-90.220845,100\n1,38.628155,-90.220845,130\n");
    REQUIRE(log->has("position.height_amsl_m"));
    CHECK(log->find("position.height_amsl_m")->value[0] == Approx(131.628).margin(0.1));
    CHECK(log->find("position.height_home_m")->value[1] == Approx(30).margin(0.01));
    CHECK(says(log, "less the geoid's"));
}

TEST_CASE("modes and arming stand in a table as words and codes", "[logio][table][modes]") {
    const LogPtr log = read(
        "Time(s),FM,Armed,Alt(m),Curr(A)\n0,ANGL*,0,0,1\n1,ANGL,1,0,1\n2,WP,1,5,1\n3,RTH,1,5,1\n4,XYZ,1,5,1\n5,XYZ,0,0,"
        "1\n");
    std::vector<std::string> modes;
    for (const ModeChange& m : log->modes) modes.push_back(m.name);
    CHECK(modes == std::vector<std::string>{"levelled", "mission", "return", "XYZ"});
    CHECK(log->modes[1].t_s == 2);
    REQUIRE(log->events.size() >= 2);
    std::vector<std::pair<double, std::string>> arming;
    for (const LogEvent& e : log->events)
        if (e.kind != "message") arming.emplace_back(e.t_s, e.kind);
    CHECK(arming == std::vector<std::pair<double, std::string>>{{1, "armed"}, {5, "disarmed"}});
    // A column of numbers is no mode.
    CHECK(read("Time(s),Mode,Alt(m)\n0,3,0\n1,4,0\n")->modes.empty());
}

TEST_CASE("sticks are told by their range, the receiver's voltage by its size", "[logio][table][sticks]") {
    const LogPtr units = read("Time(s),Ail,Ele,Thr,Rud,RxBt(V)\n0,-1024,0,-1024,512,5.0\n1,1024,512,1024,-512,5.1\n");
    CHECK(units->find("stick.roll")->value == std::vector<double>{-1, 1});
    CHECK(units->find("stick.pitch")->value == std::vector<double>{0, 0.5});
    CHECK(units->find("stick.throttle")->value == std::vector<double>{0, 1});
    CHECK(units->find("stick.yaw")->value == std::vector<double>{0.5, -0.5});
    CHECK(units->find("link.receiver_v")->value[1] == 5.1);
    CHECK_FALSE(units->has("battery.voltage_v"));
    const LogPtr pulses =
        read("Time(s),Ail,Ele,Thr,Rud,RxBt(V)\n0,988,1500,988,1500,16.4\n1,2012,1756,2012,1500,16.2\n");
    CHECK(pulses->find("stick.roll")->value == std::vector<double>{-1, 1});
    CHECK(pulses->find("stick.pitch")->value == std::vector<double>{0, 0.5});
    CHECK(pulses->find("stick.throttle")->value == std::vector<double>{0, 1});
    CHECK(pulses->find("battery.voltage_v")->value[0] == 16.4);
    CHECK(says(pulses, "no other voltage is there"));
}

TEST_CASE("times with zones, in one cell, since 1970, with commas and of the afternoon", "[logio][table][times]") {
    const auto start = [](const std::string& header, const std::string& first, const std::string& second,
                          char separator = ',') {
        const std::string s(1, separator);
        const LogPtr log =
            read(header + s + "Alt(m)" + s + "Curr(A)\n" + first + s + "0" + s + "1\n" + second + s + "0" + s + "1\n");
        CHECK(log->duration_s() == Approx(1.5));
        return isoUtcMillis(log->start_unix_s);
    };
    CHECK(start("Timestamp", "2026-05-14T09:12:30.250Z", "2026-05-14T09:12:31.750Z") == "2026-05-14T09:12:30.250Z");
    CHECK(start("Time", "2026-05-14 09:12:30+02:00", "2026-05-14 09:12:31.5+02:00") == "2026-05-14T07:12:30Z");
    CHECK(start("Date", "14.05.2026 09:12:30,250-0300", "14.05.2026 09:12:31,750-0300", ';') ==
          "2026-05-14T12:12:30.250Z");
    CHECK(start("Time (UTC)", "2026-05-14 09:12:30", "2026-05-14 09:12:31.5") == "2026-05-14T09:12:30Z");
    CHECK(start("Timestamp", "1778749950250", "1778749951750") == "2026-05-14T09:12:30.250Z");
    CHECK(start("Timestamp", "1778749950.25", "1778749951.75") == "2026-05-14T09:12:30.250Z");
    TableMapping utc;
    utc.utc_offset_s = 0;
    CHECK(
        isoUtc(read("Date,Time,Alt(m),x\n05/14/2026,1:02:03 PM,0,1\n05/14/2026,1:02:04 PM,0,1\n", utc)->start_unix_s) ==
        "2026-05-14T13:02:03Z");
    CHECK(isoUtc(read("Date,Time,Alt(m),x\n05/14/2026,12:02:03 AM,0,1\n05/14/2026,12:02:04 AM,0,1\n", utc)
                     ->start_unix_s) == "2026-05-14T00:02:03Z");
}

TEST_CASE("units stand behind names in every way", "[logio][table]") {
    const LogPtr log = read(
        "time_s,lat,lng,alt_ft,speed_mph,vspeed_fpm,curr_ma,airspeed_knots\n0,47.3,-20.1,0,10,100,2500,20\n1,47.3,-20."
        "1,100,"
        "10,100,2500,20\n");
    CHECK(log->find("position.height_home_m")->value.back() == Approx(30.48));
    CHECK(log->find("velocity.ground_mps")->value[0] == Approx(4.4704));
    CHECK(log->find("velocity.climb_mps")->value[0] == Approx(0.508));
    CHECK(log->find("battery.current_a")->value[0] == 2.5);
    CHECK(log->find("velocity.air_mps")->value[0] == Approx(20 * 1852 / 3600.0));
    // Before there is a place it is said to be 0/0.
    const LogPtr late = read("Time(s),Lat,Lon,Alt(m)\n0,0,0,0\n1,47.3,-20.1,0\n2,47.3,-20.1,3\n");
    CHECK(late->find("position.lat_deg")->value == std::vector<double>{47.3, 47.3});
    CHECK(late->sessions[0].distance_m == 0);
    CHECK(late->duration_s() == 2);
}

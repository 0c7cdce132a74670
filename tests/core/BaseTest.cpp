#include <sys/stat.h>
#include <catch2/catch.hpp>

#include "core/base/File.h"
#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("durations are read as an operator says them", "[base][text]") {
    struct Row {
        double seconds;
        const char* text;
    };
    const Row rows[] = {{0, "0 s"},           {0.4, "0 s"},         {59.4, "59 s"},         {59.6, "1 min 00 s"},
                        {60, "1 min 00 s"},   {61, "1 min 01 s"},   {1122, "18 min 42 s"},  {3599, "59 min 59 s"},
                        {3600, "1 h 00 min"}, {3840, "1 h 04 min"}, {90000, "25 h 00 min"}, {-1, "unknown"},
                        {NAN, "unknown"},     {INFINITY, "unknown"}};
    for (const Row& row : rows) {
        INFO(row.seconds);
        CHECK(durationText(row.seconds) == row.text);
    }
}

TEST_CASE("distances change to kilometres at a thousand metres", "[base][text]") {
    CHECK(distanceText(0) == "0 m");
    CHECK(distanceText(999.4) == "999 m");
    CHECK(distanceText(999.6) == "1.00 km");
    CHECK(distanceText(12345) == "12.35 km");
    CHECK(distanceText(-34) == "-34 m");
    CHECK(distanceText(NAN) == "unknown");
}

TEST_CASE("times are ISO 8601 in UTC", "[base][text]") {
    CHECK(isoUtc(0) == "1970-01-01T00:00:00Z");
    CHECK(isoUtc(1778749950) == "2026-05-14T09:12:30Z");
}

TEST_CASE("a number is the whole text or none", "[base][text]") {
    CHECK(parseNumber("12.5") == 12.5);
    CHECK(parseNumber("  -3e2 ") == -300.0);
    CHECK(parseNumber("+7") == 7.0);
    for (const char* bad : {"", " ", "12a", "1 2", "nan", "inf", "--3", "0x10", "1e999", "."}) {
        INFO(bad);
        CHECK_FALSE(parseNumber(bad));
    }
}

TEST_CASE("a number from outside becomes an int or what is said instead", "[base][text]") {
    CHECK(toInt(41.9) == 41);
    CHECK(toInt(-41.9) == -41);
    CHECK(toInt(2147483647.5) == 2147483647);
    CHECK(toInt(-2147483648.5) == -2147483647 - 1);
    for (const double outside :
         {2147483648.0, -2147483649.0, 2e299, -2e299, double(INFINITY), -double(INFINITY), double(NAN)}) {
        INFO(outside);
        CHECK(toInt(outside) == 0);
        CHECK(toInt(outside, -1) == -1);
    }
}

TEST_CASE("a number is taken from the beginning of a text, and what is none is left") {
    struct Taken {
        const char* text;
        double value;
        const char* rest;
    };
    for (const Taken& t : {Taken{"12.5,7", 12.5, ",7"},
                           {" \n+3 N", 3, " N"},
                           {"-0.25", -0.25, ""},
                           {"1e3x", 1000, "x"},
                           {"20.120E", 20.12, "E"},
                           {"8,5", 8, ",5"},
                           {"0x10", 0, "x10"}}) {
        std::string_view text = t.text;
        CAPTURE(t.text);
        CHECK(takeNumber(text) == t.value);
        CHECK(text == t.rest);
    }
    for (const char* none : {"", "  ", "+", "-", "+-3", "N 4", "nan", "inf", "-infinity", "1e999", ",5"}) {
        std::string_view text = none;
        CAPTURE(none);
        CHECK_FALSE(takeNumber(text));
        CHECK(text == none);
    }
}

TEST_CASE("what stands around a word is taken off, what stands in it is kept", "[base][text]") {
    CHECK(trimmed(" \t fence line \r") == "fence line");
    CHECK(trimmed("fence") == "fence");
    CHECK(trimmed(" \r\t ").empty());
    CHECK(trimmed("").empty());
}

TEST_CASE("a place is two or three numbers within the earth", "[base][text]") {
    const auto two = parsePlace("47.3052,-20.1068");
    REQUIRE(two);
    CHECK(two->lat_deg == 47.3052);
    CHECK(two->lon_deg == -20.1068);
    CHECK_FALSE(two->amsl_m);
    const auto three = parsePlace("-12,180,-3.5");
    REQUIRE(three);
    CHECK(*three->amsl_m == -3.5);
    for (const char* bad : {"", "47", "47,", ",47", "91,0", "0,181", "1,2,3,4", "47;20", "a,b", "47,-20,"}) {
        INFO(bad);
        CHECK_FALSE(parsePlace(bad));
    }
}

TEST_CASE("the fingerprint is FNV-1a and tells contents apart", "[base][file]") {
    CHECK(fingerprint("") == 0xcbf29ce484222325ULL);
    CHECK(fingerprint("a") == 0xaf63dc4c8601ec8cULL);
    CHECK(fingerprint("ab") != fingerprint("ba"));
    CHECK(fingerprint(std::string("a\0b", 3)) != fingerprint("ab"));
}

TEST_CASE("files are read whole, with every byte", "[base][file]") {
    TempDir dir;
    const std::string content = rubbish(70000, 2) + std::string(3, '\0');
    spit(dir / "f", content);
    const auto back = readFile(dir / "f");
    REQUIRE(back);
    CHECK(*back == content);
    spit(dir / "empty", "");
    CHECK(readFile(dir / "empty")->empty());
}

TEST_CASE("what is no regular file, or too large, is refused with its name", "[base][file][hostile]") {
    TempDir dir;
    spit(dir / "f", "0123456789");
    CHECK(readFile(dir / "f", 9).error().message.find("more than the 9") != std::string::npos);
    CHECK(readFile(dir.path()).error().message.find("directory") != std::string::npos);
    CHECK(readFile(dir / "none").error().message.find(dir / "none") != std::string::npos);
    REQUIRE(mkfifo((dir / "pipe").c_str(), 0600) == 0);
    CHECK(readFile(dir / "pipe").error().message.find("not a regular file") !=
          std::string::npos);  // and does not wait for a writer
}

TEST_CASE("an atomic write keeps the old file when it cannot be done", "[base][file]") {
    TempDir dir;
    REQUIRE(writeFileAtomic(dir / "f", "old"));
    CHECK(slurp(dir / "f") == "old");
    REQUIRE(writeFileAtomic(dir / "f", "new"));
    CHECK(slurp(dir / "f") == "new");
    chmod(dir.path().c_str(), 0555);
    withoutRights([&](bool stopped) {
        if (stopped) CHECK_FALSE(writeFileAtomic(dir / "f", "newer"));
    });
    chmod(dir.path().c_str(), 0755);
    CHECK(slurp(dir / "f") == "new");
    std::filesystem::create_directory(dir / "folder");
    CHECK_FALSE(writeFileAtomic(dir / "folder", "x"));
}

// ULogs that are indexed and decoded later: re-subscriptions, instances, values that are no numbers, times that go
// back, short records; hostile bytes.
#include <catch2/catch.hpp>

#include <cstring>
#include <iostream>

#include "core/base/Text.h"
#include "core/logio/LogReader.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

template <class T>
void raw(std::string& out, T v) {
    out.append(reinterpret_cast<const char*>(&v), sizeof v);
}
std::string record(char type, const std::string& body) {
    std::string out;
    raw<std::uint16_t>(out, static_cast<std::uint16_t>(body.size()));
    return out + type + body;
}
std::string begin() {
    std::string out("ULog\x01\x12\x35\x01", 8);
    raw<std::uint64_t>(out, 0);
    return out + record('B', std::string(40, '\0'));
}
std::string subscribe(int id, const std::string& topic, int instance = 0) {
    std::string body(1, static_cast<char>(instance));
    raw<std::uint16_t>(body, static_cast<std::uint16_t>(id));
    return record('A', body + topic);
}
std::string data(int id, double t_s, const std::string& fields) {
    std::string body;
    raw<std::uint16_t>(body, static_cast<std::uint16_t>(id));
    raw<std::uint64_t>(body, static_cast<std::uint64_t>(t_s * 1e6));
    return record('D', body + fields);
}
std::string floats(std::initializer_list<float> values) {
    std::string out;
    for (const float v : values) raw(out, v);
    return out;
}

}  // namespace

TEST_CASE("channels of a ULog are promised with their counts and decoded once each", "[logio][ulog][lazy]") {
    std::string text = begin() + record('F', "pair:uint64_t timestamp;float a;float b;") + subscribe(3, "pair");
    for (int i = 0; i < 50; ++i) text += data(3, 10 + i, floats({static_cast<float>(i), static_cast<float>(-i)}));
    const auto log = readLog(text, "x.ulg");
    REQUIRE(log);
    const auto list = (*log)->list();
    REQUIRE(list.size() == 2);
    CHECK(list[0].name == "pair.a");
    CHECK(list[0].count == 50);
    CHECK((*log)->firstTime() == 0);
    CHECK((*log)->duration_s() == Approx(49));
    const Channel* b = (*log)->find("pair.b");
    REQUIRE(b != nullptr);
    CHECK(b->t_s.size() == 50);
    CHECK(b->value[49] == -49);
    CHECK(b == (*log)->find("pair.b"));
    CHECK((*log)->message_counts.at("pair") == 50);
}

TEST_CASE("not-numbers and times that go back are left out, short records give what they hold", "[logio][ulog][lazy]") {
    std::string text = begin() + record('F', "pair:uint64_t timestamp;float a;float b;") + subscribe(1, "pair");
    text += data(1, 1, floats({1, 1}));
    text += data(1, 3, floats({NAN, 2}));
    text += data(1, 2, floats({3, 3}));  // back in time for b, not for a
    text += data(1, 4, floats({4}));     // without b
    text += data(1, 5, "");              // without both
    const auto log = readLog(text, "x.ulg");
    REQUIRE(log);
    const Channel &a = *(*log)->find("pair.a"), &b = *(*log)->find("pair.b");
    CHECK(a.value == std::vector<double>{1, 3, 4});
    CHECK(a.t_s == std::vector<double>{0, 1, 3});
    CHECK(b.value == std::vector<double>{1, 2});
}

TEST_CASE("a number that is subscribed again belongs to its new topic; instances are channels of their own",
          "[logio][ulog][lazy]") {
    std::string text = begin() + record('F', "one:uint64_t timestamp;float v;") +
                       record('F', "two:uint64_t timestamp;uint8_t n;int16_t[2] w;");
    text += subscribe(7, "one") + data(7, 1, floats({1.5F}));
    std::string two(1, '\x09');
    raw<std::int16_t>(two, -300);
    raw<std::int16_t>(two, 300);
    text += subscribe(7, "two", 2) + data(7, 2, two);
    text += subscribe(8, "one") + data(8, 3, floats({2.5F}));
    text += subscribe(9, "one", 1) + data(9, 4, floats({9}));
    text += data(55, 5, floats({1}));  // nobody subscribed
    const auto log = readLog(text, "x.ulg");
    REQUIRE(log);
    CHECK((*log)->find("one.v")->value == std::vector<double>{1.5, 2.5});
    CHECK((*log)->find("one#1.v")->value == std::vector<double>{9});
    CHECK((*log)->find("two#2.n")->value == std::vector<double>{9});
    CHECK((*log)->find("two#2.w[0]")->value == std::vector<double>{-300});
    CHECK((*log)->find("two#2.w[1]")->value == std::vector<double>{300});
    CHECK((*log)->damaged_records == 1);
}

TEST_CASE("every kind of number comes as it was written", "[logio][ulog][lazy]") {
    std::string fields;
    raw<std::int8_t>(fields, -5);
    raw<std::uint8_t>(fields, 200);
    raw<std::int16_t>(fields, -30000);
    raw<std::uint16_t>(fields, 60000);
    raw<std::int32_t>(fields, -2000000000);
    raw<std::uint32_t>(fields, 4000000000U);
    raw<std::int64_t>(fields, -5000000000LL);
    raw<std::uint64_t>(fields, 5000000000ULL);
    raw<float>(fields, 0.25F);
    raw<double>(fields, 1e-300);
    raw<std::uint8_t>(fields, 1);
    const std::string text =
        begin() +
        record('F',
               "all:uint64_t timestamp;int8_t a;uint8_t b;int16_t c;uint16_t d;int32_t e;uint32_t f;int64_t "
               "g;uint64_t h;float i;double j;bool k;char[4] l;uint8_t[3] _padding0;") +
        subscribe(0, "all") + data(0, 1, fields + "text" + std::string(3, '\0'));
    const auto log = readLog(text, "x.ulg");
    REQUIRE(log);
    const std::pair<const char*, double> wanted[] = {{"a", -5},   {"b", 200},    {"c", -30000}, {"d", 60000},
                                                     {"e", -2e9}, {"f", 4e9},    {"g", -5e9},   {"h", 5e9},
                                                     {"i", 0.25}, {"j", 1e-300}, {"k", 1}};
    for (const auto& [name, value] : wanted) {
        const Channel* c = (*log)->find(std::string("all.") + name);
        INFO(name);
        REQUIRE(c != nullptr);
        REQUIRE(c->value.size() == 1);
        CHECK(c->value[0] == value);
    }
    CHECK((*log)->list().size() == std::size(wanted));
}

TEST_CASE("the log outlives the bytes' reader, and channels are decoded from several threads", "[logio][ulog][lazy]") {
    const TempDir dir;
    std::string text = begin() + record('F', "t:uint64_t timestamp;float[8] v;") + subscribe(0, "t");
    for (int i = 0; i < 20000; ++i) {
        std::string fields;
        for (int k = 0; k < 8; ++k) raw(fields, static_cast<float>(i + k));
        text += data(0, i * 0.001, fields);
    }
    spit(dir / "t.ulg", text);
    LogPtr log = *openLog(dir / "t.ulg");
    std::filesystem::remove(dir / "t.ulg");
    std::vector<std::jthread> threads;
    std::array<double, 8> sums{};
    for (std::size_t k = 0; k < 8; ++k)
        threads.emplace_back([&, k] {
            for (const double v : log->find(fmt::format("t.v[{}]", k))->value) sums[k] += v;
        });
    threads.clear();
    for (std::size_t k = 0; k < 8; ++k)
        CHECK(sums[k] == Approx(20000.0 * 19999 / 2 + 20000.0 * static_cast<double>(k)));
}

TEST_CASE("prefixes and mutations of a ULog of another maker: read or refused, every channel decoded",
          "[logio][ulog][lazy][hostile][deep]") {
    std::string text = begin();
    text += record('F', "vehicle_global_position:uint64_t timestamp;double lat;double lon;float alt;");
    text += record('F', "vehicle_attitude:uint64_t timestamp;float[4] q;");
    text += record('F', "vehicle_status:uint64_t timestamp;uint8_t nav_state;uint8_t arming_state;");
    text += record('F', "nested:uint64_t timestamp;inner in;inner[2] more;") + record('F', "inner:float x;float y;");
    text += subscribe(0, "vehicle_global_position") + subscribe(1, "vehicle_attitude") +
            subscribe(2, "vehicle_status") + subscribe(3, "nested");
    for (int i = 0; i < 40; ++i) {
        std::string place;
        raw(place, 47.31 + i * 1e-5);
        raw(place, -20.12);
        raw(place, 80.0F);
        text += data(0, i, place) + data(1, i, floats({1, 0, 0, 0}));
        text += data(2, i, std::string{static_cast<char>(i < 20 ? 4 : 3), 2}) + data(3, i, floats({1, 2, 3, 4, 5, 6}));
    }
    int read = 0, refused = 0;
    double longest_ms = 0;
    const auto look = [&](const std::string& bytes) {
        const double start = cpuMs();
        const auto log = readLog(bytes, "x.ulg");
        if (log) {
            ++read;
            std::size_t values = 0;
            for (const Channel* c : (*log)->channels()) {
                REQUIRE(c->t_s.size() == c->value.size());
                REQUIRE(std::is_sorted(c->t_s.begin(), c->t_s.end()));
                values += c->t_s.size();
            }
            REQUIRE(values < 100000);
        } else {
            ++refused;
        }
        longest_ms = std::max(longest_ms, cpuMs() - start);
    };
    for (std::size_t n = 0; n <= text.size(); n += 3) look(text.substr(0, n));
    for (const std::string& bytes : damaged(text, 1000 * testDepth(), 3)) look(bytes);
    std::cout << fmt::format("ULog of another maker: {} read, {} refused, longest {:.0f} ms\n", read, refused,
                             longest_ms);
    CHECK(read > 1000);
    CHECK(longest_ms < 2000);
}

// Opening that is watched and stopped, the health report beside the window, a folder watched for logs.
#include <catch2/catch.hpp>

#include <QCoreApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QSignalSpy>
#include <filesystem>

#include "session/LogbookSession.h"
#include "session/ReviewSession.h"
#include "session/Until.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// A ULog with many records of one topic.
std::string longUlog(int records) {
    std::string out("ULog\x01\x12\x35\x01", 8);
    const auto put = [](std::string& to, auto v) { to.append(reinterpret_cast<const char*>(&v), sizeof v); };
    const auto record = [&](char type, const std::string& body) {
        put(out, static_cast<std::uint16_t>(body.size()));
        out += type;
        out += body;
    };
    put(out, std::uint64_t{0});
    record('B', std::string(40, '\0'));
    record('F', "t:uint64_t timestamp;float[20] v;");
    record('A', std::string(1, '\0') + std::string(2, '\0') + "t");
    for (int i = 0; i < records; ++i) {
        std::string body(2, '\0');
        put(body, static_cast<std::uint64_t>(i) * 1000);
        body += std::string(80, '\1');
        record('D', body);
    }
    return out;
}

}  // namespace

TEST_CASE("opening says how far it is, can be stopped, and the newest wish wins", "[session][review]") {
    const TempDir dir;
    spit(dir / "long.ulg", longUlog(600000));
    ReviewSession review;
    review.open(QString::fromStdString(demo("shakedown-clean.ulg")));
    REQUIRE(until(8000, [&] { return review.log() != nullptr; }));
    const LogPtr before = review.log();
    QSignalSpy failed(&review, &ReviewSession::failed);
    double share = 0;
    QObject::connect(&review, &ReviewSession::openingChanged, &review,
                     [&] { share = std::max(share, review.openingShare()); });
    review.open(QString::fromStdString(dir / "long.ulg"));
    CHECK(review.opening());
    CHECK(review.openingPath().endsWith("long.ulg"));
    review.stopOpening();
    REQUIRE(until(8000, [&] { return !review.opening(); }));
    // Stopped in time, or read before the word came: either way nothing is lost.
    if (failed.count() > 0) {
        CHECK(failed[0][0].toString().contains("stopped"));
        CHECK(review.log() == before);
    }
    review.open(QString::fromStdString(dir / "long.ulg"));
    review.open(QString::fromStdString(demo("shakedown-compass.ulg")));
    REQUIRE(until(15000, [&] { return !review.opening(); }));
    CHECK(review.path().endsWith("shakedown-compass.ulg"));
    QCoreApplication::processEvents();
    CHECK(review.path().endsWith("shakedown-compass.ulg"));
    review.open(QString::fromStdString(dir / "long.ulg"));
    REQUIRE(until(15000, [&] { return !review.opening() && review.path().endsWith("long.ulg"); }));
    CHECK(share > 0.2);
}

TEST_CASE("the health report is worked out beside the window; of another log it is not taken",
          "[session][review][health]") {
    ReviewSession review;
    review.diagnoseLog(-1, nullptr);
    CHECK(review.health().empty());
    CHECK_FALSE(review.diagnosing());
    review.open(QString::fromStdString(demo("shakedown-resonance.ulg")));
    REQUIRE(until(8000, [&] { return review.log() != nullptr; }));
    review.diagnoseLog(-1, nullptr);
    CHECK(review.diagnosing());
    REQUIRE(until(8000, [&] { return !review.diagnosing(); }));
    CHECK(review.health().size() == 20);
    CHECK(count(review.health(), Verdict::bad) >= 1);
    // Another log comes while the first one is being judged.
    review.diagnoseLog(-1, nullptr);
    auto empty = std::make_shared<FlightLog>();
    empty->channel("battery.voltage_v", "V").add(0, 1);
    review.show(empty, "another");
    CHECK(review.health().empty());
    CHECK_FALSE(review.diagnosing());
    until(1500, [] { return false; });
    CHECK(review.health().empty());
    // Very large ones wait until they are asked for.
    auto large = std::make_shared<FlightLog>();
    large->promise("imu.gyro_x_dps", "deg/s", 40'000'000, [](Channel& c) { c.add(0, 1); });
    large->setSpan(0, 10);
    review.show(large, "large");
    review.diagnoseLog(-1, nullptr);
    CHECK(review.waitsForDiagnosis());
    CHECK_FALSE(review.diagnosing());
    review.diagnoseLog(-1, nullptr, true);
    REQUIRE(until(8000, [&] { return !review.diagnosing(); }));
    CHECK(review.health().size() == 20);
    CHECK_FALSE(review.waitsForDiagnosis());
}

TEST_CASE("a watched folder brings what is new, once, and what is gone is said", "[session][logbook]") {
    QSettings().remove("logbook/watched");
    const TempDir dir;
    LogbookSession session;
    session.setFile(QString::fromStdString(dir / "book.sqlite"));
    std::filesystem::create_directories(dir / "card");
    std::filesystem::copy(demo("shakedown-clean.ulg"), dir / "card/a.ulg");
    spit(dir / "card/notes.txt", "no log");
    QSignalSpy said(&session, &LogbookSession::imported);
    session.watchFolder(QString::fromStdString(dir / "card"));
    const auto book = session.book();
    REQUIRE(book);
    REQUIRE(until(10000, [&] { return (*book)->count() == 1; }));
    REQUIRE(until(3000, [&] { return said.count() == 1; }));
    std::filesystem::copy(demo("shakedown-compass.ulg"), dir / "card/b.ulg");
    REQUIRE(until(12000, [&] { return (*book)->count() == 2; }));
    // A file that is no log changes nothing and says nothing.
    const auto before = said.count();
    spit(dir / "card/more.txt", "still no log");
    until(4000, [] { return false; });
    CHECK((*book)->count() == 2);
    CHECK(said.count() <= before + 1);
    CHECK(session.watchedFolder().endsWith("card"));
    QSignalSpy failed(&session, &LogbookSession::failed);
    session.watchFolder(QString::fromStdString(dir / "no such folder"));
    REQUIRE(failed.count() == 1);
    CHECK(failed[0][0].toString().contains("not there"));
    session.watchFolder({});
    CHECK(session.watchedFolder().isEmpty());
    CHECK(QSettings().value("logbook/watched").toString().isEmpty());
    REQUIRE(session.waitUntilIdle(5000));
}

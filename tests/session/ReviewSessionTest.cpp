#include <catch2/catch.hpp>

#include <QSignalSpy>

#include "core/plan/PlanFile.h"
#include "session/PlanSession.h"
#include "session/ReviewSession.h"
#include "session/Until.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("the demo recording opens in the background and agrees with its plan", "[session][review][demo]") {
    PlanSession plan;
    REQUIRE(plan.load(QString::fromStdString(demo("patrol.anhinga.geojson"))));
    REQUIRE(plan.waitUntilDerived(10000));
    ReviewSession review;
    QSignalSpy changed(&review, &ReviewSession::logChanged);
    review.open(QString::fromStdString(demo("patrol-flight.tlog")));
    CHECK(review.opening());
    CHECK_FALSE(review.log());
    REQUIRE(until(10000, [&] { return review.log() != nullptr; }));
    CHECK(changed.count() == 1);
    CHECK_FALSE(review.comparison());
    review.compareWith(
        {plan.plan(), std::make_shared<const FlightProgram>(plan.derived()->view.program), plan.terrain(), false});
    CHECK(review.mission().is_plan);
    REQUIRE(review.comparison());
    const double rehearsed = plan.derived()->rehearsal->duration_s;
    CHECK(review.comparison()->flown_s == Approx(rehearsed).epsilon(0.03));
    CHECK(review.comparison()->cross_max_m.value() < 8);
    CHECK(review.comparison()->photos_flown == plan.derived()->rehearsal->photos);
    CHECK(review.log()->missions.front() == static_cast<int>(plan.derived()->view.program.entries()));
}

TEST_CASE("a log that cannot be opened leaves the open one", "[session][review][hostile]") {
    TempDir dir;
    ReviewSession review;
    review.open(QString::fromStdString(demo("patrol-flight.tlog")));
    REQUIRE(until(10000, [&] { return review.log() != nullptr; }));
    const LogPtr before = review.log();
    QSignalSpy failed(&review, &ReviewSession::failed);
    spit(dir / "rubbish.tlog", rubbish(5000, 6));
    spit(dir / "empty.tlog", "");
    int expected = 0;
    for (const std::string& path : {dir / "rubbish.tlog", dir / "empty.tlog", dir / "none.tlog", dir.path()}) {
        review.open(QString::fromStdString(path));
        ++expected;
        REQUIRE(until(5000, [&] { return failed.count() == expected; }));
        CHECK(failed.last()[0].toString().contains(QString::fromStdString(path)));
        CHECK(review.log() == before);
    }
}

TEST_CASE("a comparison that is not possible says why", "[session][review]") {
    ReviewSession review;
    auto log = std::make_shared<FlightLog>();
    log->channel("position.lat_deg", "deg").add(0, 47);
    log->channel("position.lon_deg", "deg").add(0, -20);
    review.show(log, "made up");
    review.compareWith({});
    CHECK_FALSE(review.comparison());
    CHECK(review.notCompared().contains("no mission"));
    review.show(std::make_shared<FlightLog>(), "empty");
    CHECK(review.notCompared().isEmpty());
}

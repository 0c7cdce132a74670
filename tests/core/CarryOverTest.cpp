// The plan carried by hand: every format holds every point, and a file that does not is caught.
#include <catch2/catch.hpp>

#include "core/base/File.h"
#include "core/check/Check.h"
#include "core/exchange/CarryOver.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("a carried plan is read back point by point in every format", "[exchange][carry]") {
    const auto plan = loadPlan(demo("patrol.anhinga.geojson"));
    REQUIRE(plan);
    const PlanView view = viewOf(*plan, island().get());
    TempDir dir;
    for (const char* ending : {".kml", ".kmz", ".gpx", ".csv", ".geojson"}) {
        INFO(ending);
        const auto done =
            carryOver(*plan, view.path, dir / (std::string("patrol") + ending), {&view.route, island().get(), nullptr});
        REQUIRE(done);
        for (const std::string& d : done->differences) UNSCOPED_INFO(d);
        CHECK(done->agrees());
        CHECK(done->points == view.path.points.size());
        CHECK(done->worst_place_m < 0.05);
        const std::string sheet = slurp(done->sheet);
        CHECK(sheet.find("above mean sea level") != std::string::npos);
        CHECK(sheet.find("Return height") != std::string::npos);
        CHECK(sheet.find("http") == std::string::npos);  // nothing from elsewhere
    }
    CHECK_FALSE(carryOver(*plan, view.path, dir / "plan.docx"));
    CHECK_FALSE(carryOver(*plan, view.path, "/no/such/folder/plan.kml"));
    CHECK_FALSE(carryOver(*plan, Path{}, dir / "empty.kml"));
}

TEST_CASE("what a carried file lacks is named", "[exchange][carry]") {
    // Heights of a home that is not known cannot be in the file.
    Plan plan = rowPlan(3);
    plan.home->amsl_m.reset();
    const PlanView view = viewOf(plan, nullptr);
    TempDir dir;
    const auto done = carryOver(plan, view.path, dir / "row.csv");
    REQUIRE(done);
    const std::string sheet = carryOverSheet(plan, view.path, "row.csv");
    CHECK(sheet.find("cannot be worked out here") != std::string::npos);
    plan.title = "<b>bold</b> & co";
    CHECK(carryOverSheet(plan, view.path, "x.csv").find("&lt;b&gt;bold&lt;/b&gt; &amp; co") != std::string::npos);
}

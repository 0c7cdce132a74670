// Plans flown in sorties: nothing is lost at a cut, every part comes home, and what is flown together is the whole.
#include <catch2/catch.hpp>
#include <map>
#include <set>

#include "Planned.h"
#include "cli/Cli.h"
#include "core/geo/Polygon.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "core/sortie/Sorties.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// The quarry with a battery of its own choice.
Plan quarry(double battery_wh) {
    auto plan = loadPlan(demo("quarry.anhinga.geojson"));
    REQUIRE(plan);
    plan->vehicle.battery_wh = battery_wh;
    return *plan;
}
ItemId blockOf(const Plan& plan) {
    for (const Item& i : plan.items)
        if (i.kind == ItemKind::block) return i.id;
    return 0;
}

std::vector<GeoPoint> placesIn(const Route& route) {
    std::vector<GeoPoint> places;
    for (const RouteStep& step : route.steps)
        if (const auto* nav = std::get_if<RouteNav>(&step.what)) places.push_back(nav->position);
    return places;
}
std::vector<std::uint16_t> commandsOf(const Plan& plan, const Sortie& sortie) {
    const auto items = itemsOf(programOf(plan, sortie.route, nullptr));
    std::vector<std::uint16_t> commands;
    for (const MissionItem& i : items) commands.push_back(i.command);
    return commands;
}

}  // namespace

TEST_CASE("a plan too large for one battery is cut at line ends into parts that each come home", "[sortie]") {
    Plan plan = quarry(45);
    const Route whole = expand(plan, island().get());
    const auto cuts = suggestCuts(plan, whole, island());
    REQUIRE(cuts);
    REQUIRE(cuts->size() >= 2);
    for (const Cut& cut : *cuts) {
        CHECK(cut.item == blockOf(plan));
        CHECK((cut.line > 1 && cut.photo == 0));
    }
    CHECK(plan.cuts.empty());  // only looked for
    plan.cuts = *cuts;
    const auto sorties = flySorties(plan, whole, island(), {});
    REQUIRE(sorties->size() == cuts->size() + 1);
    int photos = 0;
    std::set<std::string> names;
    for (const FlownSortiePtr& s : *sorties) {
        INFO(s->sortie.text);
        REQUIRE(s->rehearsal);
        CHECK(s->rehearsal->landed);
        CHECK_FALSE(s->rehearsal->reached_reserve);
        CHECK(s->rehearsal->energy_left_percent >= plan.vehicle.reserve_percent);
        // What was planned for it is taken in it.
        CHECK(std::abs(s->rehearsal->photos - s->sortie.photos) <= 0.02 * s->sortie.photos + 2);
        REQUIRE(s->view.program.steps.front().leg() != nullptr);
        CHECK(s->view.program.steps.front().leg()->kind == LegKind::takeOff);
        REQUIRE(s->view.program.steps.back().leg() != nullptr);
        CHECK(s->view.program.steps.back().leg()->kind == LegKind::returnHome);
        for (const Finding& f : s->findings) CHECK(f.severity != Severity::stop);
        names.insert(s->sortie.text);
        photos += s->sortie.photos;
    }
    CHECK(names.size() == sorties->size());
    CHECK(photos == static_cast<int>(whole.photos));
    // One sortie fewer would not do: the first could not have carried another line.
    Plan longer = plan;
    longer.cuts = {{blockOf(plan), (*cuts)[0].line + 1, 0}};
    const auto too_far = flySorties(longer, whole, island(), {});
    CHECK(((*too_far)[0]->rehearsal->reached_reserve ||
           (*too_far)[0]->rehearsal->energy_left_percent < plan.vehicle.reserve_percent));
}

TEST_CASE("the item limit cuts too, and a plan that fits is not cut", "[sortie]") {
    Plan plan = quarry(98);
    const Route whole = expand(plan, island().get());
    CHECK(suggestCuts(plan, whole, island())->empty());
    plan.traits.item_limit = 60;
    const auto cuts = suggestCuts(plan, whole, island());
    REQUIRE(cuts);
    plan.cuts = *cuts;
    const auto sorties = sortiesOf(plan, whole, island().get());
    CHECK(sorties.size() == 3);
    for (const Sortie& s : sorties) CHECK(commandsOf(plan, s).size() <= 60);
    // Nothing between two items fits: said, not cut to pieces.
    plan.traits.item_limit = 4;
    const auto impossible = suggestCuts(plan, whole, island());
    REQUIRE_FALSE(impossible);
    CHECK(impossible.error().message.find("cannot be cut") != std::string::npos);
}

TEST_CASE("where not even one line is carried it is cut at a photo, and stopped when asked", "[sortie]") {
    Plan plan = quarry(34);
    const Route whole = expand(plan, island().get());
    double share = 0;
    CutOptions options;
    options.progress = [&](double s) { share = std::max(share, s); };
    const auto cuts = suggestCuts(plan, whole, island(), options);
    REQUIRE(cuts);
    CHECK(share > 0.8);
    CHECK(std::any_of(cuts->begin(), cuts->end(), [](const Cut& c) { return c.photo > 0; }));
    plan.cuts = *cuts;
    const auto sorties = sortiesOf(plan, whole, island().get());
    int photos = 0;
    for (const Sortie& s : sorties) photos += s.photos;
    CHECK(photos == static_cast<int>(whole.photos));
    std::stop_source stop;
    stop.request_stop();
    options.stop = stop.get_token();
    CHECK_FALSE(suggestCuts(plan, whole, island(), options));
    CHECK_FALSE(flySorties(plan, whole, island(), {}, stop.get_token()));
}

TEST_CASE("a sortie begins over its first place at a safe height, with the camera as in the whole", "[sortie]") {
    Plan plan = quarry(89);
    const Route whole = expand(plan, island().get());
    const ItemId block = blockOf(plan);
    plan.cuts = {{block, 5, 0}};
    const auto sorties = sortiesOf(plan, whole, island().get());
    REQUIRE(sorties.size() == 2);
    const PatternFlight& flight = *whole.flightOf(block);
    const auto& span = flight.spans[4];
    const Sortie& second = sorties[1];
    CHECK(distance_m(second.place, flight.points[span.first_point].place) < 0.01);
    std::vector<const RouteNav*> navs;
    bool pitched = false, photos_before = false;
    for (const RouteStep& step : second.route.steps) {
        if (const auto* nav = std::get_if<RouteNav>(&step.what)) navs.push_back(nav);
        if (navs.size() >= 4) break;
        if (const auto* action = std::get_if<Action>(&step.what)) {
            if (const auto* pitch = std::get_if<GimbalPitch>(action)) pitched = pitch->pitch_deg == -90;
            // Not before the line begins.
            if (std::holds_alternative<PhotoEvery>(*action)) photos_before |= navs.size() < 3;
        }
    }
    REQUIRE(navs.size() == 4);
    CHECK(navs[0]->kind == ItemKind::takeOff);
    const Height own = flight.points[span.first_point].height;
    CHECK(navs.back()->position != navs.front()->position);
    const auto over = std::find_if(navs.begin() + 1, navs.end(),
                                   [&](const RouteNav* n) { return distance_m(n->position, second.place) < 0.01; });
    REQUIRE(over != navs.end());
    CHECK((*over)->height.ref == HeightRef::home);
    CHECK((*over)->height.value_m >= std::max(plan.return_height_m, own.value_m) - 1e-9);
    CHECK(pitched);
    CHECK_FALSE(photos_before);
    // The first ends at the end of line 4, photos stopped, and goes home.
    const auto first = placesIn(sorties[0].route);
    CHECK(distance_m(first[first.size() - 2], flight.points[flight.spans[3].last_point].place) < 0.01);
    CHECK(distance_m(first.back(), plan.home->position) < 0.01);
}

TEST_CASE("a cut at a photo stops there and takes that photo again", "[sortie]") {
    Plan plan = quarry(89);
    const Route whole = expand(plan, island().get());
    const ItemId block = blockOf(plan);
    const PatternFlight& flight = *whole.flightOf(block);
    for (const int photo : {2, 57, 200, 333, 523}) {
        INFO("photo " << photo);
        plan.cuts = {{block, 0, photo}};
        const auto sorties = sortiesOf(plan, whole, island().get());
        REQUIRE(sorties.size() == 2);
        CHECK(sorties[0].photos == photo - 1);
        CHECK(sorties[1].photos == static_cast<int>(whole.photos) - photo + 1);
        const PlannedPhoto& at = flight.photos[static_cast<std::size_t>(photo) - 1];
        CHECK(distance_m(sorties[1].place, at.place) < 0.1);
        // It is as high there as the whole would be.
        const auto nav = [&](const Sortie& s) {
            const RouteNav* found = nullptr;
            for (const RouteStep& step : s.route.steps)
                if (const auto* n = std::get_if<RouteNav>(&step.what); n != nullptr && step.source == block)
                    if (distance_m(n->position, at.place) < 0.1) found = n;
            return found;
        };
        REQUIRE(nav(sorties[1]) != nullptr);
        const auto amsl = amslOf(plan, island().get(), at.place, nav(sorties[1])->height);
        CHECK(std::abs(*amsl - *at.amsl_m) < 0.3);
        const auto flown = flySorties(plan, whole, island(), {});
        CHECK(std::abs((*flown)[1]->rehearsal->photos - sorties[1].photos) <= 0.02 * sorties[1].photos + 2);
    }
}

TEST_CASE("nothing is cut inside a repeat, before anything is flown, or where there is no such place", "[sortie]") {
    Plan plan = rowPlan(6);
    plan.items[4].actions = {Repeat{plan.items[2].id, 2}};  // 4 back to 2
    const auto at = [&](int item) {
        plan.cuts = {{plan.items[static_cast<std::size_t>(item)].id, 0, 0}};
        return usableCuts(plan, expand(plan, nullptr), nullptr).size();
    };
    CHECK(at(1) == 0);  // nothing but the take-off before it
    CHECK(at(2) == 1);
    CHECK(at(3) == 0);
    CHECK(at(4) == 0);
    CHECK(at(5) == 1);
    CHECK(at(6) == 1);
    CHECK(at(7) == 0);  // the way home
    plan.cuts = {{4711, 0, 0}, {plan.items[2].id, 3, 0}, {plan.items[5].id, 0, 9}};
    CHECK(usableCuts(plan, expand(plan, nullptr), nullptr).empty());
    plan.cuts = {{plan.items[5].id, 0, 9}};
    CHECK(usableCuts(plan, expand(plan, nullptr), nullptr).empty());
    const auto findings = withSorties(plan, {}, {});
    REQUIRE(findings.size() == 1);
    CHECK(findings[0].rule == "sortie-cut");
    findings[0].corrections.at(0).apply(plan);
    CHECK(plan.cuts.empty());
    // The repeat flies within its own sortie, and only there.
    plan.cuts = {{plan.items[5].id, 0, 0}};
    const auto sorties = sortiesOf(plan, expand(plan, nullptr), nullptr);
    const auto jumps = [&](const Sortie& s) {
        const auto commands = commandsOf(plan, s);
        return std::count(commands.begin(), commands.end(), cmd::jump);
    };
    CHECK(jumps(sorties[0]) == 1);
    CHECK(jumps(sorties[1]) == 0);
}

TEST_CASE("look-at, video and speed go on in the next sortie and end with the one before", "[sortie]") {
    Plan plan = rowPlan(5);
    plan.items[1].actions = {LookAt{{47.32, -20.12}, Height::aboveGround(3), "mill"}, Video{true}, PhotoInterval{4}};
    plan.items[1].speed_mps = 5;
    plan.items[2].speed_mps = plan.items[3].speed_mps = 5;
    plan.cuts = {{plan.items[3].id, 0, 0}};
    const auto sorties = sortiesOf(plan, expand(plan, nullptr), nullptr);
    REQUIRE(sorties.size() == 2);
    const auto count = [&](int sortie, std::uint16_t command) {
        const auto commands = commandsOf(plan, sorties[static_cast<std::size_t>(sortie)]);
        return std::count(commands.begin(), commands.end(), command);
    };
    for (const std::uint16_t c : {cmd::lookAtStop, cmd::videoStop, cmd::photoStop}) {
        CHECK(count(0, c) == 1);
        CHECK(count(1, c) == 0);
    }
    for (const std::uint16_t c : {cmd::lookAt, cmd::videoStart, cmd::photoInterval}) {
        CHECK(count(0, c) == 1);
        CHECK(count(1, c) == 1);
    }
    const auto items = itemsOf(programOf(plan, sorties[1].route, nullptr));
    std::vector<float> speeds;
    for (const MissionItem& i : items)
        if (i.command == cmd::changeSpeed) speeds.push_back(i.param2);
    CHECK(speeds == std::vector<float>{5, 8});  // waypoint 3, then 4 and 5
}

TEST_CASE("ways out and home of a sortie go around fences and near enough for a first waypoint", "[sortie]") {
    Plan plan = rowPlan(12);
    Fence wall;
    wall.id = plan.newId();
    wall.kind = FenceKind::keepOut;
    // Across the straight way from home to the eighth waypoint; the row itself goes around it by the north.
    const GeoPoint middle = destination(plan.home->position, 90, 400);
    wall.outline = {destination(middle, 330, 70), destination(middle, 30, 70), destination(middle, 150, 70),
                    destination(middle, 210, 70)};
    plan.fences = {wall};
    for (std::size_t i = 2; i <= 6; ++i) plan.items[i].position = destination(plan.items[i].position, 0, 200);
    plan.items[4].position = destination(plan.items[4].position, 0, 100);
    plan.traits.first_waypoint_max_m = 300;
    plan.cuts = {{plan.items[8].id, 0, 0}};
    const auto flown = flySorties(plan, expand(plan, nullptr), nullptr, {});
    REQUIRE(flown->size() == 2);
    for (const FlownSortiePtr& s : *flown)
        for (const Finding& f : s->findings) {
            INFO(f.message);
            CHECK(f.rule != "first-waypoint-far");
        }
    // The way out bends around the fence.
    const auto places = placesIn((*flown)[1]->sortie.route);
    CHECK(distance_m(places[1], plan.home->position) < 1);
    const LocalFrame frame(middle);
    const RingIndex ring(toLocal(frame, wall.outline));
    for (std::size_t k = 1; places[k] != (*flown)[1]->sortie.place; ++k)
        for (int i = 0; i <= 50; ++i)
            CHECK_FALSE(ring.contains(frame.toLocal(places[k]) +
                                      (frame.toLocal(places[k + 1]) - frame.toLocal(places[k])) * (i / 50.0)));
}

TEST_CASE("going on after a flight that ended early leaves no photo out", "[sortie]") {
    const Plan plan = quarry(89);
    const PlanView view = viewOf(plan, island().get());
    const ItemId block = blockOf(plan);
    const auto& photos = view.route.flightOf(block)->photos;
    const GeoPoint near = destination(photos[76].place, 45, 2.5);
    auto cut = resumeCut(view, near, photos[76].amsl_m, 40);
    REQUIRE(cut);
    CHECK(*cut == Cut{block, 0, 77});
    CHECK(resumeCut(view, photos[0].place, photos[0].amsl_m, 3) == Cut{block, 0, 0});
    // A photo nowhere near tells nothing: the item after the one reached does.
    cut = resumeCut(view, destination(plan.home->position, 0, 50), 60, 2);
    REQUIRE(cut);
    CHECK(cut->item == view.program.sourceAt(3));
    CHECK_FALSE(resumeCut(view, std::nullopt, std::nullopt, std::nullopt));
    CHECK_FALSE(resumeCut(view, std::nullopt, std::nullopt, static_cast<int>(view.program.entries()) - 2));
}

TEST_CASE("rings, faces and laps are cut at a ring, a row or a photo", "[sortie]") {
    for (const char* file : {"lighthouse-rings.anhinga.geojson", "lighthouse-face.anhinga.geojson"}) {
        INFO(file);
        auto plan = loadPlan(demo(file));
        REQUIRE(plan);
        const Route whole = expand(*plan, island().get());
        REQUIRE(whole.patterns.size() == 1);
        const PatternFlight& flight = *whole.patterns[0].flight;
        REQUIRE(flight.spans.size() == static_cast<std::size_t>(flight.lines));
        std::size_t photos = 0;
        for (const LineSpan& s : flight.spans) {
            CHECK(s.first_point < s.last_point);
            CHECK(s.first_photo == photos);
            photos += s.photos;
        }
        CHECK(photos == flight.photos.size());
        const ItemId id = whole.patterns[0].item.id;
        plan->cuts = {{id, 2, 0}, {id, 0, static_cast<int>(flight.photos.size()) - 3}};
        const auto flown = flySorties(*plan, whole, island(), {});
        REQUIRE(flown->size() == 3);
        for (const FlownSortiePtr& s : *flown) {
            REQUIRE(s->rehearsal);
            CHECK(s->rehearsal->landed);
            // Where every photo is a stop of its own the number is exact.
            if (whole.patterns[0].item.pattern->stands()) CHECK(s->rehearsal->photos >= s->sortie.photos);
        }
    }
}

TEST_CASE("cuts are kept in the plan's file and go with their item", "[sortie][planfile]") {
    Plan plan = quarry(89);
    const ItemId block = blockOf(plan);
    addCut(plan, {block, 0, 120});
    addCut(plan, {plan.items[1].id, 0, 0});
    addCut(plan, {block, 0, 120});
    REQUIRE(plan.cuts.size() == 2);
    CHECK(plan.cuts[0].item == plan.items[1].id);
    addCut(plan, {block, 7, 0});
    const auto again = readPlanText(writePlanText(plan), "again");
    REQUIRE(again);
    CHECK(again->cuts == plan.cuts);
    CHECK(*again == plan);
    remove(plan, {block});
    CHECK(plan.cuts.size() == 1);
    for (const char* wrong : {R"("sorties":5)", R"("sorties":[5])", R"("sorties":[{"from":-1}])",
                              R"("sorties":[{"from":3,"photo":"x"}])", R"("sorties":[{"from":3,"line":1e9}])"}) {
        std::string text = writePlanText(quarry(89));
        text.replace(text.find("\"next_id\""), 0, std::string(wrong) + ",\n");
        INFO(wrong);
        CHECK_FALSE(readPlanText(text, "wrong"));
    }
}

TEST_CASE("a plan read from the aircraft has no cuts of another, and take-off heights count over home", "[sortie]") {
    Plan plan = quarry(89);
    plan.cuts = {{blockOf(plan), 4, 0}};
    const PlanView view = viewOf(plan, island().get());
    const auto back = decompile(itemsOf(view.toSend(plan)), plan);
    REQUIRE(back);
    CHECK(back->plan.cuts.empty());
    // The obstacles it keeps have other numbers than the items that were read: it can be saved.
    REQUIRE_FALSE(back->plan.obstacles.empty());
    CHECK(readPlanText(writePlanText(back->plan), "again"));
    // A take-off told above sea level is as high over home as it is told, less home's own height.
    plan.items[0].height = Height::amsl(*homeAmsl(plan, island().get()) + 90);
    const auto sorties = sortiesOf(plan, expand(plan, island().get()), island().get());
    REQUIRE(sorties.size() == 2);
    double highest = 0;
    for (const RouteStep& step : sorties[1].route.steps)
        if (const auto* nav = std::get_if<RouteNav>(&step.what); nav != nullptr && step.source == plan.items[0].id)
            if (nav->kind == ItemKind::waypoint) highest = std::max(highest, nav->height.value_m);
    CHECK(highest > 89.9);
    CHECK(highest < 130);
}

TEST_CASE("random cuts never lose work: together the sorties fly every point of the whole once", "[sortie][property]") {
    const Plan base = quarry(89);
    const Route whole = expand(base, island().get());
    const ItemId block = blockOf(base);
    const PatternFlight& flight = *whole.flightOf(block);
    std::mt19937 random(11);
    for (int round = 0; round < 40; ++round) {
        Plan plan = base;
        const int n = std::uniform_int_distribution(1, 6)(random);
        for (int k = 0; k < n; ++k) {
            Cut cut{block, 0, 0};
            if (random() % 2 == 0)
                cut.line = std::uniform_int_distribution(1, flight.lines)(random);
            else
                cut.photo = std::uniform_int_distribution(1, static_cast<int>(flight.photos.size()))(random);
            addCut(plan, cut);
        }
        const auto sorties = sortiesOf(plan, whole, island().get());
        // Every photo of the whole lies on a leg that some sortie flies with the camera on.
        const LocalFrame frame(plan.home->position);
        std::vector<std::pair<Vec2, Vec2>> photographed;
        for (const Sortie& s : sorties) {
            std::optional<Vec2> last;
            bool on = false;
            for (const RouteStep& step : s.route.steps) {
                if (const auto* nav = std::get_if<RouteNav>(&step.what)) {
                    const Vec2 here = frame.toLocal(nav->position);
                    if (on && last) photographed.emplace_back(*last, here);
                    last = here;
                } else if (const auto* every = std::get_if<PhotoEvery>(&std::get<Action>(step.what))) {
                    on = every->distance_m > 0;
                }
            }
            CHECK_FALSE(on);
        }
        std::size_t missed = 0;
        for (const PlannedPhoto& photo : flight.photos) {
            const Vec2 at = frame.toLocal(photo.place);
            missed += std::none_of(photographed.begin(), photographed.end(), [&](const auto& leg) {
                return distanceToSegment(at, leg.first, leg.second).distance_m < 0.3;
            });
        }
        CHECK(missed == 0);
        std::map<std::pair<double, double>, int> flown;
        for (const Sortie& s : sorties)
            for (const GeoPoint& p : placesIn(s.route)) ++flown[{p.lat_deg, p.lon_deg}];
        for (const LineSpan& span : flight.spans)
            for (std::size_t k = span.first_point; k <= span.last_point; ++k) {
                INFO("round " << round << " point " << k);
                CHECK(flown[{flight.points[k].place.lat_deg, flight.points[k].place.lon_deg}] >= 1);
            }
        std::string told;
        for (const Cut& c : plan.cuts) told += cutText(plan, c) + "; ";
        for (const Sortie& s : sorties) told += fmt::format("\n{}: {} photos", s.text, s.photos);
        INFO(told);
        int photos = 0;
        for (const Sortie& s : sorties) photos += s.photos;
        CHECK(photos == static_cast<int>(flight.photos.size()));
    }
}

TEST_CASE("the command line cuts, lists, rehearses and compiles sorties", "[sortie][cli]") {
    TempDir dir;
    Plan plan = quarry(45);
    plan.terrain_files = {demo("quillmere-elevation.tif")};
    plan.imagery_files.clear();
    REQUIRE(savePlan(plan, dir / "q.anhinga.geojson"));
    CliArguments a;
    a.plan = dir / "q.anhinga.geojson";
    a.out = dir / "cut.anhinga.geojson";
    const CliResult cut = cliSorties(a);
    REQUIRE(cut.code == 0);
    const std::size_t n = cut.json["sorties"].size();
    CHECK(n >= 3);
    int photos = 0;
    for (const auto& s : cut.json["sorties"]) {
        CHECK(s["energy_left_percent"].get<double>() >= 20);
        photos += s["photos"].get<int>();
    }
    CHECK(photos == 588);
    CHECK(cut.json["sorties"][0]["from"].is_null());
    a.plan = a.out;
    a.out.clear();
    CHECK(cliSorties(a).json == cut.json);  // as they are in the plan now
    const CliResult checked = cliCheck(a);
    CHECK(checked.code == 0);
    CHECK(checked.json["sorties"] == n);
    REQUIRE(checked.json["patterns"].size() == 1);
    CHECK(checked.json["patterns"][0]["photos"] == 588);
    CHECK(checked.json["patterns"][0]["distance_m"].get<double>() > 5000);
    CHECK(checked.json["patterns"][0]["area_m2"].get<double>() == Approx(102600).epsilon(0.01));
    a.sortie = 2;
    const CliResult flown = cliRehearse(a);
    CHECK(flown.code == 0);
    CHECK(flown.json["duration_s"] == cut.json["sorties"][1]["duration_s"]);
    CHECK(cliCompile(a).json["mission"].size() == cut.json["sorties"][1]["items"]);
    a.sortie = 99;
    CHECK(cliCompile(a).code == 2);
    a.sortie = 0;
    a.resume_item = static_cast<int>(blockOf(plan));
    a.resume_photo = 300;
    const CliResult rest = cliSorties(a);
    CHECK(rest.json["sorties"][1]["from"]["photo"] == 300);
    a.resume_photo = 3000;
    CHECK(cliSorties(a).code == 2);
}

// Start page and settings by hand: plans as cards, templates, units everywhere, the library of profiles.
#include "app/shell/SettingsPage.h"
#include "app/shell/StartPage.h"
#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

void clickCard(Driver& d, int row) {
    auto* cards = d.child<QListWidget>("start cards");
    REQUIRE(cards->count() > row);
    QTest::mouseClick(cards->viewport(), Qt::LeftButton, Qt::NoModifier,
                      cards->visualItemRect(cards->item(row)).center());
}

void choose(Driver& d, const QString& box, int index) {
    auto* b = d.child<QComboBox>(box);
    b->setFocus();
    while (b->currentIndex() < index) QTest::keyClick(b, Qt::Key_Down);
    while (b->currentIndex() > index) QTest::keyClick(b, Qt::Key_Up);
}

}  // namespace

TEST_CASE("a plan is found on the start page and opened by a click on its card", "[ui][start]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_Home, Qt::ControlModifier);
    auto* start = d.window.findChild<StartPage*>();
    REQUIRE(start->isVisible());
    REQUIRE(d.until(15000, [&] { return !start->shelf().looking(); }));
    auto* cards = d.child<QListWidget>("start cards");
    CHECK(cards->count() == 3);  // the others lie in the same folder
    auto* search = d.child<QLineEdit>("start search");
    CHECK(search->hasFocus());
    QTest::keyClicks(search, "no such plan");
    CHECK(cards->count() == 0);
    search->clear();
    QTest::keyClicks(search, "quarry.anh");
    REQUIRE(cards->count() == 1);
    clickCard(d, 0);
    REQUIRE(d.until(5000, [&] { return d.window.plan().path().endsWith("quarry.anhinga.geojson"); }));
    CHECK_FALSE(start->isVisible());
    CHECK(d.window.map().isVisible());
    // Esc goes back to what was open.
    d.key(Qt::Key_Home, Qt::ControlModifier);
    CHECK(start->isVisible());
    QTest::keyClick(search, Qt::Key_Escape);
    CHECK_FALSE(start->isVisible());
}

TEST_CASE("a card of a damaged plan says so and leaves the open one alone", "[ui][start][hostile]") {
    Driver d;
    d.openDemo();
    spit(d.dir / "broken.anhinga.geojson", "{");
    d.key(Qt::Key_Home, Qt::ControlModifier);
    auto* start = d.window.findChild<StartPage*>();
    REQUIRE(d.until(15000, [&] { return !start->shelf().looking(); }));
    QTest::keyClicks(d.child<QLineEdit>("start search"), "broken");
    const auto before = d.window.plan().plan();
    clickCard(d, 0);
    CHECK(d.window.lastMessage().contains("broken.anhinga.geojson"));
    CHECK(d.window.plan().plan() == before);
}

TEST_CASE("a template begins a plan where the map is, with terrain under it", "[ui][start]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_Home, Qt::ControlModifier);
    d.press("template Patrol");
    d.settle();
    CHECK(d.plan().title == "Patrol");
    CHECK(d.window.plan().path().isEmpty());
    REQUIRE(d.plan().home);
    CHECK(distance_m(d.plan().home->position, fromMercator(d.window.map().transform().centre)) < 50);
    REQUIRE(d.plan().home->amsl_m);
    CHECK(*d.plan().home->amsl_m == Approx(*d.window.plan().terrain()->sample(d.plan().home->position)).margin(0.2));
    CHECK(d.window.plan().derived()->view.sendable());
    // Begun with changes unsaved: the plan that was open is asked about first.
    d.key(Qt::Key_Home, Qt::ControlModifier);
    answer(QMessageBox::Cancel);
    d.press("template Survey of an area");
    CHECK(d.plan().title == "Patrol");
}

TEST_CASE("a plan kept as template begins another plan, not itself", "[ui][start]") {
    Driver d;
    QDir(MainWindow::dataFolder() + "/templates").removeRecursively();
    d.openDemo();
    d.key(Qt::Key_S, Qt::ControlModifier | Qt::AltModifier);
    CHECK(d.window.lastMessage().contains("templates"));
    d.key(Qt::Key_Home, Qt::ControlModifier);
    auto* start = d.window.findChild<StartPage*>();
    QPushButton* own = nullptr;
    for (QPushButton* b : start->findChildren<QPushButton*>())
        if (b->text() == "Quarry and summit") own = b;
    REQUIRE(own != nullptr);
    QTest::mouseClick(own, Qt::LeftButton);
    d.settle();
    CHECK(d.plan().items.size() == 10);
    CHECK(d.window.plan().path().isEmpty());
    CHECK(d.window.plan().modified());
    CHECK_FALSE(d.window.plan().terrain()->empty());
    QDir(MainWindow::dataFolder() + "/templates").removeRecursively();
}

TEST_CASE("units are chosen for each quantity, shown and read everywhere, and the plan stays as it is", "[ui][units]") {
    Driver d;
    d.openDemo();
    const auto before = d.window.plan().plan();
    d.key(Qt::Key_Comma, Qt::ControlModifier);
    choose(d, "unit Heights", 1);
    choose(d, "unit Speeds", 2);
    QTest::keyClick(d.child<QComboBox>("unit Heights"), Qt::Key_Escape);
    CHECK(d.window.plan().plan() == before);
    CHECK(d.child<QLineEdit>("field New points")->text() == "196.9 ft");
    CHECK(d.child<QLineEdit>("field Speed")->text() == "17.5 kt");
    CHECK(d.child<QLineEdit>("field Pass within")->text() == "2 m");  // a distance: still metres
    // A bare number is in the unit shown; a named unit is what it says; what is not touched keeps its exact value.
    d.type("Ceiling", "400");
    CHECK(*d.plan().ceiling_m == Approx(121.92));
    d.type("Ceiling", "150 m");
    CHECK(*d.plan().ceiling_m == Approx(150));
    CHECK(d.plan().defaults.height.value_m == before->defaults.height.value_m);
    CHECK(d.plan().defaults.speed_mps == before->defaults.speed_mps);
    d.window.plan().select({d.plan().items[1].id});
    QApplication::processEvents();
    CHECK(d.child<QLineEdit>("field Height")->text() == "229.7 ft");
    d.type("Height", "300");
    CHECK(d.plan().items[1].height->value_m == Approx(91.44));
    for (const UnitKind kind : {UnitKind::height, UnitKind::distance, UnitKind::speed}) setUnitChoice(kind, 0);
}

TEST_CASE("sentences are told in the units chosen, quotes and names stay", "[ui][units]") {
    const struct {
        const char *label, *si, *shown;
    } rows[] = {{"height", "60 m home", "197 ft home"},
                {"speed", "at 8 m/s", "at 15.6 kt"},
                {"far", "3.42 km from home", "1.85 NM from home"},
                {"near", "850 m from home", "2789 ft from home"},
                {"range", "20 to 60 m home", "66 to 197 ft home"},
                {"quotes", "over \"the 30 m rock\" by 10 m", "over \"the 30 m rock\" by 33 ft"},
                {"area stays", "45 m² and 12 min", "45 m² and 12 min"},
                {"none", "no numbers", "no numbers"},
                {"negative", "-4.5 m AMSL", "-14.8 ft AMSL"}};
    for (const UnitKind kind : {UnitKind::height, UnitKind::distance}) setUnitChoice(kind, 1);
    setUnitChoice(UnitKind::speed, 2);
    for (const auto& r : rows) {
        CAPTURE(r.label);
        CHECK(inUnits(QString(r.si)).toStdString() == r.shown);
    }
    CHECK(*typedNumber("12", "m/s") == Approx(6.1733).margin(1e-3));
    CHECK(*typedNumber("100 m", "m") == Approx(100));
    CHECK(*typedNumber("100", kHeightUnit) == Approx(30.48));
    CHECK(*typedNumber("45", "°") == Approx(45));
    CHECK_FALSE(typedNumber("12 kt", kHeightUnit));
    for (const UnitKind kind : {UnitKind::height, UnitKind::distance, UnitKind::speed}) setUnitChoice(kind, 0);
    for (const auto& r : rows) CHECK(inUnits(QString(r.si)) == r.si);
    CHECK(shownNumber(60, kHeightUnit) == "60 m");
}

TEST_CASE("a camera's orientation, trigger and card are set in the library and go into the plan", "[ui][settings]") {
    QFile::remove(MainWindow::dataFolder() + "/profiles.json");
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    d.key(Qt::Key_Comma, Qt::ControlModifier);
    d.child<QTabBar>("profile kinds")->setCurrentIndex(1);
    d.press("profile copy");
    const auto click = [&](const QString& name) {
        auto* box = d.child<QCheckBox>("profile " + name);
        QTest::mouseClick(box, Qt::LeftButton, Qt::NoModifier, QPoint(8, box->height() / 2));
        return box->isChecked();
    };
    CHECK(click("Mount"));
    CHECK_FALSE(click("Trigger"));
    auto* card = d.child<QLineEdit>("profile Card holds");
    card->setFocus();
    card->selectAll();
    QTest::keyClicks(card, "3");
    QTest::keyClick(card, Qt::Key_Return);
    QTest::qWait(30);
    const auto* page = d.window.findChild<SettingsPage*>();
    CHECK(page->library().cameras.back().portrait);
    CHECK_FALSE(page->library().cameras.back().triggered);
    CHECK(page->library().cameras.back().card_gb == 3);
    const double before = d.window.plan().derived()->view.route.patterns[0].flight->line_spacing_m;
    d.press("profile use");
    d.settle();
    CHECK(d.plan().camera.portrait);
    CHECK_FALSE(d.plan().camera.triggered);
    // Upright the photos are narrower: lines lie closer, and the plan says what else follows.
    CHECK(d.window.plan().derived()->view.route.patterns[0].flight->line_spacing_m < 0.8 * before);
    std::set<std::string> rules;
    for (const Finding& f : d.window.plan().derived()->findings) rules.insert(f.rule);
    CHECK(rules.contains("camera-by-hand"));
    CHECK(rules.contains("card-room"));
    CHECK(readProfiles(writeProfiles(page->library()), "again")->cameras.back() == page->library().cameras.back());
}

TEST_CASE("a vehicle of the library is changed, used in the plan as one step, and kept", "[ui][settings]") {
    QFile::remove(MainWindow::dataFolder() + "/profiles.json");
    {
        Driver d;
        d.openDemo();
        d.key(Qt::Key_Comma, Qt::ControlModifier);
        auto* list = d.child<QListWidget>("profile list");
        const int vehicles = list->count();
        REQUIRE(vehicles >= 4);
        list->setCurrentRow(2);
        d.press("profile copy");
        REQUIRE(list->count() == vehicles + 1);
        const auto type = [&](const QString& field, const QString& text) {
            auto* e = d.child<QLineEdit>("profile " + field);
            e->setFocus();
            e->selectAll();
            QTest::keyClicks(e, text);
            QTest::keyClick(e, Qt::Key_Return);
            QTest::qWait(30);
        };
        type("Name", "Ours, with the big battery");
        type("Battery", "333");
        type("Mass", "-3");  // refused, with the range
        CHECK(d.window.lastMessage().contains("Mass"));
        const auto* page = d.window.findChild<SettingsPage*>();
        CHECK(page->library().vehicles.back().battery_wh == 333);
        CHECK(page->library().vehicles.back().mass_kg == Approx(3.5));
        CHECK(d.plan().vehicle.battery_wh != 333);  // the plan keeps its own
        d.press("profile use");
        CHECK(d.plan().vehicle.name == "Ours, with the big battery");
        CHECK(d.window.plan().undoName() == "Choose vehicle");
        CHECK_FALSE(d.child<QPushButton>("profile use")->isEnabled());
        d.window.plan().undo();
        CHECK(d.plan().vehicle.battery_wh != 333);
    }
    Driver again;
    CHECK(again.window.findChild<SettingsPage*>()->library().vehicles.back().name == "Ours, with the big battery");
    QFile::remove(MainWindow::dataFolder() + "/profiles.json");
}

TEST_CASE("a library that cannot be read is put aside, not written over", "[ui][settings][hostile]") {
    const QString file = MainWindow::dataFolder() + "/profiles.json";
    QDir().mkpath(MainWindow::dataFolder());
    QFile::remove(file + ".unreadable");
    spit(file.toStdString(), "{ my own work, damaged");
    Driver d;
    d.openDemo();
    d.key(Qt::Key_Comma, Qt::ControlModifier);
    CHECK(d.child<QListWidget>("profile list")->count() >= 4);  // the generic ones
    d.press("profile copy");
    CHECK(slurp((file + ".unreadable").toStdString()) == "{ my own work, damaged");
    CHECK(readProfiles(slurp(file.toStdString()), "p"));
    QFile::remove(file);
    QFile::remove(file + ".unreadable");
}

// Drawing in depth, in the real window with real clicks and keys.
#include "app/band/Band.h"
#include "app/draft/FindingsPanel.h"
#include "app/draft/Inspector.h"
#include "app/widgets/Quantity.h"
#include "core/plan/Edit.h"
#include "core/plan/KeptPlan.h"
#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// Runs `act` in the next dialog of this name, within a time.
template <class Act>
void inDialog(const char* name, Act act) {
    auto* tries = new QTimer(qApp);
    auto* left = new int(100);
    QObject::connect(tries, &QTimer::timeout, qApp, [=] {
        for (QWidget* w : QApplication::topLevelWidgets())
            if (auto* dialog = qobject_cast<QDialog*>(w);
                dialog != nullptr && dialog->isVisible() && dialog->objectName() == name) {
                tries->deleteLater();
                delete left;
                act(dialog);
                return;
            }
        if (--*left == 0) {
            tries->deleteLater();
            delete left;
        }
    });
    tries->start(50);
}

QPointF profilePoint(Driver& d, ItemId id) {
    auto* band = d.child<ProfileBand>("profile");
    return band->screenPointOf(id);
}

}  // namespace

TEST_CASE("a point is inserted on a leg and drags the leg with it", "[ui][draft]") {
    Driver d;
    d.openDemo();
    const auto& items = d.plan().items;
    const std::size_t n = items.size();
    const GeoPoint a = items[4].position, b = items[5].position;
    const ItemId after = items[5].id;
    d.key(Qt::Key_W);
    d.click(d.at({(a.lat_deg + b.lat_deg) / 2, (a.lon_deg + b.lon_deg) / 2}));
    REQUIRE(d.plan().items.size() == n + 1);
    CHECK(d.plan().items[6].id == after);
    const Item made = d.plan().items[5];
    CHECK(distance_m(made.position, a) + distance_m(made.position, b) < distance_m(a, b) + 2);
    d.key(Qt::Key_V);
    const QPoint at = d.at(made.position);
    d.drag(&d.window.map(), at, at + QPoint(30, 20));
    CHECK(distance_m(d.plan().items[5].position, made.position) > 10);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().items[5].position == made.position);
}

TEST_CASE("several points are lifted together in the profile", "[ui][band]") {
    Driver d;
    d.openDemo();
    auto* band = d.child<ProfileBand>("profile");
    const ItemId one = d.plan().items[4].id, two = d.plan().items[5].id;
    const double h1 = effectiveHeight(d.plan(), *d.plan().find(one)).value_m;
    const double h2 = effectiveHeight(d.plan(), *d.plan().find(two)).value_m;
    d.window.plan().select({one, two});
    const QPoint at = profilePoint(d, one).toPoint();
    d.drag(band, at, at - QPoint(0, 18));
    const double up = effectiveHeight(d.plan(), *d.plan().find(one)).value_m - h1;
    CHECK(up > 5);
    CHECK(effectiveHeight(d.plan(), *d.plan().find(two)).value_m - h2 == Approx(up).margin(1.01));
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(effectiveHeight(d.plan(), *d.plan().find(one)).value_m == h1);
    CHECK(effectiveHeight(d.plan(), *d.plan().find(two)).value_m == h2);
}

TEST_CASE("height of many is typed, added, scaled, and its reference changed keeping the place in the air",
          "[ui][inspector]") {
    Driver d;
    d.openDemo();
    const ItemId one = d.plan().items[4].id, two = d.plan().items[5].id;
    d.window.plan().select({one, two});
    d.type("Height", "400 ft");
    CHECK(d.plan().find(two)->height->value_m == Approx(121.92));
    d.type("Add height", "10 m");
    CHECK(d.plan().find(one)->height->value_m == Approx(131.92));
    d.type("Scale height", "50 %");
    CHECK(d.plan().find(one)->height->value_m == Approx(65.96));
    const double before =
        *amslOf(d.plan(), d.window.plan().terrain().get(), d.plan().find(two)->position, *d.plan().find(two)->height);
    auto* ref = d.child<QComboBox>("field Height reference");
    ref->setFocus();
    QTest::keyClick(ref, Qt::Key_Down);
    emit ref->activated(ref->currentIndex());
    d.settle();
    CHECK(d.plan().find(two)->height->ref == HeightRef::amsl);
    CHECK(d.plan().find(two)->height->value_m == Approx(before).margin(0.06));
    d.type("Scale speed", "50 %");
    CHECK(d.plan().find(one)->speed_mps == 4.5);
    d.type("Move by", "100 m 90");
    d.type("Section", "ridge");
    CHECK(d.plan().findSection(d.plan().find(one)->section)->name == "ridge");
}

TEST_CASE("a repeat is kept through cut, paste, reverse and undo", "[ui][repeat][clipboard]") {
    Driver d;
    d.openDemo();
    const Plan before = d.plan();
    const ItemId hangs = before.items[6].id, target = before.items[3].id;
    REQUIRE(std::holds_alternative<Repeat>(before.items[6].actions.at(0)));
    d.window.plan().select({before.items[4].id, before.items[5].id});
    d.key(Qt::Key_R, Qt::ControlModifier);
    CHECK(d.plan().items[4].id == before.items[5].id);
    CHECK(std::get<Repeat>(d.plan().find(hangs)->actions[0]).target == target);
    d.key(Qt::Key_X, Qt::ControlModifier);
    CHECK(d.plan().items.size() == before.items.size() - 2);
    CHECK(std::get<Repeat>(d.plan().find(hangs)->actions[0]).target == target);
    d.key(Qt::Key_V, Qt::ControlModifier);
    CHECK(d.plan().items.size() == before.items.size());
    CHECK(d.window.plan().selection().size() == 2);
    for (int i = 0; i < 3; ++i) d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan() == before);
    QApplication::clipboard()->setText("no plan");
    d.key(Qt::Key_V, Qt::ControlModifier);
    CHECK(d.plan() == before);
    CHECK(d.window.lastMessage().contains("clipboard"));
}

TEST_CASE("a fence that crosses itself is refused and can be put right corner by corner", "[ui][fence]") {
    Driver d;
    d.openDemo();
    const std::size_t n = d.plan().fences.size();
    d.key(Qt::Key_X);
    const QPoint c = d.window.map().rect().center();
    for (const QPoint p : {QPoint(-120, -60), QPoint(120, 60), QPoint(120, -60), QPoint(-120, 60)}) d.click(c + p);
    d.key(Qt::Key_Return);
    CHECK(d.plan().fences.size() == n);
    CHECK(d.window.lastMessage().contains("crosses itself"));
    d.key(Qt::Key_Backspace);
    d.key(Qt::Key_Return);  // three corners cannot cross
    REQUIRE(d.plan().fences.size() == n + 1);
    CHECK(d.plan().fences.back().outline.size() == 3);
}

TEST_CASE("masts, wires, trees, circles and rally points are drawn, selected and edited", "[ui][obstacle]") {
    Driver d;
    d.openDemo();
    const QPoint c = d.window.map().rect().center();
    const std::size_t before_obstacles = d.plan().obstacles.size();
    d.key(Qt::Key_T);
    d.click(c + QPoint(150, -150));
    const std::size_t n = before_obstacles;
    REQUIRE(d.plan().obstacles.size() == n + 1);
    d.type("Height", "80 ft");
    CHECK(d.plan().obstacles[n].height_m == Approx(24.384));
    d.type("Name", "radio");
    d.key(Qt::Key_Y);
    d.click(c + QPoint(-200, 150));
    d.key(Qt::Key_Return);  // one support is no wire
    CHECK(d.plan().obstacles.size() == n + 1);
    d.click(c + QPoint(-100, 150));
    d.key(Qt::Key_Return);
    REQUIRE(d.plan().obstacles.size() == n + 2);
    CHECK(d.plan().obstacles[n + 1].kind == ObstacleKind::wire);
    d.key(Qt::Key_U);
    for (const QPoint p : {QPoint(0, 150), QPoint(60, 150), QPoint(60, 190)}) d.click(c + p);
    d.key(Qt::Key_Return);
    REQUIRE(d.plan().obstacles.size() == n + 3);
    d.key(Qt::Key_O);
    d.click(c + QPoint(-220, -180));
    REQUIRE(d.plan().fences.back().isCircle());
    d.type("Radius", "75 m");
    CHECK(d.plan().fences.back().radius_m == 75);
    d.key(Qt::Key_R);
    d.click(c + QPoint(220, 170));
    REQUIRE(d.plan().rally.size() == 1);
    d.type("Height", "45");
    CHECK(d.plan().rally[0].height == Height::aboveHome(45));
    // Picked up again on the map and moved.
    d.key(Qt::Key_Escape);
    const QPoint at = d.at(d.plan().obstacles[n].points[0]);
    d.drag(&d.window.map(), at, at + QPoint(25, 0));
    CHECK(d.window.plan().isSelected(d.plan().obstacles[n].id));
    CHECK(distance_m(d.window.map().transform().toGeo(at), d.plan().obstacles[n].points[0]) > 5);
    d.key(Qt::Key_Delete);
    CHECK(d.plan().obstacles.size() == n + 2);
}

TEST_CASE("an item becomes a curve, a circle, a change of height, and gets actions with numbers", "[ui][inspector]") {
    Driver d;
    d.openDemo();
    const ItemId id = d.plan().items[4].id;
    d.window.plan().select({id});
    const auto kind = [&](int index) {
        auto* box = d.child<QComboBox>("field Kind");
        box->setCurrentIndex(index);
        emit box->activated(index);
        d.settle();
    };
    kind(1);
    CHECK(d.plan().find(id)->spline);
    kind(3);
    CHECK(d.plan().find(id)->kind == ItemKind::holdTurns);
    d.type("Turns", "-2.5");
    d.type("Radius", "30 m");
    CHECK(d.plan().find(id)->turns == -2.5);
    kind(4);
    CHECK(d.plan().find(id)->kind == ItemKind::loiterToHeight);
    kind(0);
    CHECK(d.plan().find(id)->kind == ItemKind::waypoint);
    const QList<QAction*> more = d.child<QPushButton>("chip more")->menu()->actions();
    CHECK(more.size() == 12);
    for (int i = 0; i < more.size(); ++i) {
        d.child<QPushButton>("chip more")->menu()->actions()[i]->trigger();
        d.settle();
    }
    CHECK(d.plan().find(id)->actions.size() == 12);
    d.type("Wait", "1 min");
    d.type("Gimbal pitch", "-60");
    const auto& actions = d.plan().find(id)->actions;
    CHECK(std::any_of(actions.begin(), actions.end(), [](const Action& a) { return a == Action{Delay{60}}; }));
    CHECK(std::any_of(actions.begin(), actions.end(), [](const Action& a) { return a == Action{GimbalPitch{-60}}; }));
    d.type("Note", "mind the gulls");
    CHECK(d.plan().find(id)->notes == "mind the gulls");
    REQUIRE(d.window.plan().derived()->rehearsal);
}

TEST_CASE("an import shows what becomes what before anything is changed", "[ui][import]") {
    Driver d;
    d.openDemo();
    spit(
        d.dir / "in.kml",
        "<kml><Document><Placemark><name>survey</name><Polygon><outerBoundaryIs><LinearRing><coordinates>-20.12,47.312 "
        "-20.118,47.312 -20.118,47.313</coordinates></LinearRing></outerBoundaryIs></Polygon></Placemark><Placemark>"
        "<name>gate</name><Point><coordinates>-20.119,47.311</coordinates></Point></Placemark></Document></kml>");
    const Plan before = d.plan();
    const QString path = QString::fromStdString(d.dir / "in.kml");
    inDialog("import", [](QDialog* dialog) { dialog->reject(); });
    CHECK_FALSE(d.window.importFile(path));
    CHECK(d.plan() == before);
    bool seen = false;
    inDialog("import", [&](QDialog* dialog) {
        auto* table = dialog->findChild<QTableWidget*>("import table");
        seen = table != nullptr && table->rowCount() == 2 && table->item(0, 0)->text() == "survey";
        auto* role = qobject_cast<QComboBox*>(table->cellWidget(0, 4));
        role->setCurrentIndex(role->findText("keep-out fence"));
        QTest::mouseClick(dialog->findChild<QPushButton*>("import accept"), Qt::LeftButton);
    });
    CHECK(d.window.importFile(path));
    d.settle();
    CHECK(seen);
    CHECK(d.plan().fences.size() == before.fences.size() + 1);
    CHECK(d.plan().items.size() == before.items.size() + 1);
    CHECK(d.plan().items.back().kind == ItemKind::returnHome);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan() == before);
    spit(d.dir / "bad.kml", "<kml><Placemark>");
    CHECK_FALSE(d.window.importFile(QString::fromStdString(d.dir / "bad.kml")));
    CHECK(d.window.lastMessage().contains("bad.kml"));
}

TEST_CASE("moving the whole plan shows what changes and can be refused", "[ui][move]") {
    Driver d;
    d.openDemo();
    const Plan before = d.plan();
    QString shown;
    inDialog("move plan", [&](QDialog* dialog) {
        dialog->findChild<QLineEdit*>("move distance")->setText("300 m");
        dialog->findChild<QLineEdit*>("move bearing")->setText("45");
        shown = dialog->findChild<QLabel*>("move result")->text();
        dialog->reject();
    });
    d.key(Qt::Key_M, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(shown.contains("Lowest clearance"));
    CHECK(shown.contains("300 m"));
    CHECK(d.plan() == before);
    inDialog("move plan", [&](QDialog* dialog) {
        dialog->findChild<QLineEdit*>("move home")->setText("47.3070, -20.1100");
        QTest::mouseClick(dialog->findChild<QPushButton*>("move accept"), Qt::LeftButton);
    });
    d.key(Qt::Key_M, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(distance_m(d.plan().home->position, {47.3070, -20.11}) < 0.5);
    const double step = distance_m(before.home->position, d.plan().home->position);
    CHECK(distance_m(before.items[4].position, d.plan().items[4].position) == Approx(step).margin(0.5));
    bool told = false;
    for (const Finding& f : d.window.plan().derived()->findings) told |= f.rule == "home-moved";
    CHECK(told);
}

TEST_CASE("a coordinate is gone to in any form and shown in the chosen one", "[ui][coordinates]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_G, Qt::ControlModifier);
    auto* field = d.child<QLineEdit>("go to");
    QTest::keyClicks(field, "nowhere");
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(d.window.lastMessage().contains("not a coordinate"));
    field->clear();
    QTest::keyClicks(field, "27TWN6666340213");
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(distance_m(d.window.map().transform().toGeo(d.window.map().rect().center()), {47.312, -20.118}) < 9);
    d.window.plan().select({d.plan().items[4].id});
    d.settle();
    const GeoPoint was = d.plan().items[4].position;
    for (int i = 0; i < 4; ++i) {
        d.key(Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
        const QString text = d.child<QLineEdit>("field Position")->text();
        INFO(text.toStdString());
        const auto back = parseCoordinate(text.toStdString());
        REQUIRE(back);
        CHECK(distance_m(*back, was) < 1.5);
    }
    d.type("Position", "47.3111, -20.1212");
    CHECK(distance_m(d.plan().items[4].position, {47.3111, -20.1212}) < 0.2);
}

TEST_CASE("all corrections of the plan full of mistakes are one step", "[ui][findings]") {
    Driver d;
    std::filesystem::copy(demo("mistakes.anhinga.geojson"), d.dir / "mistakes.anhinga.geojson");
    d.openDemo("mistakes.anhinga.geojson");
    const Plan before = d.plan();
    CHECK(d.window.plan().derived()->findings.size() >= 29);
    d.key(Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
    d.key(Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
    for (const Finding& f : d.window.plan().derived()->findings) {
        INFO(f.rule << ": " << f.message);
        CHECK(f.severity != Severity::stop);
    }
    d.key(Qt::Key_Z, Qt::ControlModifier);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan() == before);
}

TEST_CASE("changes not saved before a bad end are offered again, with their own file", "[ui][files][recovery]") {
    std::string own;
    TempDir outlives;
    {
        Driver d;
        d.openDemo();
        own = outlives / "patrol.anhinga.geojson";
        std::filesystem::copy(d.dir.path(), outlives.path(), std::filesystem::copy_options::recursive);
        const bool opened = d.window.openFile(QString::fromStdString(own));
        INFO(d.window.lastMessage().toStdString());
        REQUIRE(opened);
        d.window.plan().edit("Rename", [](Plan& p) { p.title = "nearly lost"; });
        d.window.autosave();
        // The process is gone: its copy lies there with nobody holding its lock.
        const QDir folder(MainWindow::dataFolder() + "/unsaved");
        const QStringList copies = folder.entryList({"*.anhinga.geojson"}, QDir::Files, QDir::Time);
        REQUIRE_FALSE(copies.isEmpty());
        REQUIRE(QFile::copy(folder.filePath(copies.first()), folder.filePath("1-0.anhinga.geojson")));
    }
    Driver d;
    d.openDemo();
    answerWhenAsked(QMessageBox::Yes);
    d.window.recover();
    REQUIRE(d.until(5000, [&] { return d.plan().title == "nearly lost"; }));
    d.settle();
    CHECK(d.window.plan().modified());
    CHECK(d.window.plan().path().toStdString() == own);
    CHECK(d.window.plan().derived()->rehearsal);
    d.window.recover();  // offered once
    CHECK(d.plan().title == "nearly lost");
    d.window.saveTo(QString::fromStdString(own));
    CHECK_FALSE(d.window.plan().modified());
}

TEST_CASE("a file another window wrote meanwhile is not overwritten unasked", "[ui][files]") {
    Driver d;
    d.openDemo();
    const std::string path = d.window.plan().path().toStdString();
    Plan other = d.plan();
    other.title = "of the other window";
    REQUIRE(savePlan(other, path));
    d.window.plan().edit("Rename", [](Plan& p) { p.title = "of this window"; });
    answer(QMessageBox::Cancel);
    d.window.saveTo(QString::fromStdString(path));
    CHECK(loadPlan(path)->title == "of the other window");
    CHECK(d.window.plan().modified());
    answer(QMessageBox::Save);
    d.window.saveTo(QString::fromStdString(path));
    CHECK(loadPlan(path)->title == "of this window");
}

TEST_CASE("numbers are read with the units people type", "[ui][quantity]") {
    CHECK(*typedNumber("200 ft", "m") == Approx(60.96));
    CHECK(*typedNumber("0.5 NM", "m") == Approx(926));
    CHECK(*typedNumber("1,5 km", "m") == Approx(1500));
    CHECK(*typedNumber("12 kt", "m/s") == Approx(6.1733).margin(0.001));
    CHECK(*typedNumber("36 km/h", "m/s") == Approx(10));
    CHECK(*typedNumber("8 m/s", "m/s") == Approx(8));
    CHECK(*typedNumber("2 min", "s") == Approx(120));
    CHECK(*typedNumber(" 75 % ", "%") == Approx(75));
    CHECK(*typedNumber("-45°", "°") == Approx(-45));
    for (const char* wrong : {"", "ft", "12 kt", "a lot", "1e999", "5 5"}) CHECK_FALSE(typedNumber(wrong, "m"));
}

TEST_CASE("with Shift a drag goes by whole bearings, and its step is shown while it lasts", "[ui][draft][snap]") {
    Driver d;
    d.openDemo();
    const GeoPoint was = d.plan().items[4].position;
    const QPoint at = d.at(was);
    d.drag(&d.window.map(), at, at + QPoint(-61, -57), Qt::ShiftModifier);
    const GeoPoint now = d.plan().items[4].position;
    const double bearing = bearing_deg(was, now);
    CHECK(std::abs(bearing - std::round(bearing / 15) * 15) < 0.6);  // grabbed within a pixel of the point
    CHECK(distance_m(was, now) > 50);
}

TEST_CASE("all items are selected by a key", "[ui][draft][select]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_A, Qt::ControlModifier);
    CHECK(d.window.plan().selection().size() == d.plan().items.size());
}

TEST_CASE("a box takes everything in it, and it all moves together", "[ui][draft][select]") {
    Driver d;
    d.openDemo();
    const QPoint corner = d.window.map().rect().bottomRight() - QPoint(4, 30);
    d.drag(&d.window.map(), corner, QPoint(150, 60), Qt::ShiftModifier);
    const auto chosen = d.window.plan().selection();
    CHECK(chosen.size() > 5);
    bool obstacle = false;
    for (const ItemId id : chosen) obstacle |= d.plan().findObstacle(id) != nullptr;
    CHECK(obstacle);
    const Plan before = d.plan();
    d.type("Rotate by", "90");
    d.type("Rotate by", "-90");
    for (const Item& item : before.items)
        if (hasPosition(item.kind)) CHECK(distance_m(item.position, d.plan().find(item.id)->position) < 0.05);
    d.type("Scale size", "200 %");
    CHECK(d.plan() != before);
}

TEST_CASE("what an Inspector's field does not take is said, and changes nothing", "[ui][inspector]") {
    Driver d;
    d.openDemo();
    d.window.plan().select({});
    d.settle();
    const auto type = [&](const QString& field, const QString& text) {
        auto* edit = d.child<QLineEdit>("field " + field);
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, text);
        QTest::keyClick(edit, Qt::Key_Return);
        d.settle();
        return d.child<QLineEdit>("field " + field)->text();
    };
    const auto before = d.plan().ceiling_m;
    REQUIRE(before);
    const QString shown = d.child<QLineEdit>("field Ceiling")->text();
    CHECK(type("Ceiling", "very high") == shown);
    CHECK(d.plan().ceiling_m == before);
    CHECK(d.window.lastMessage().startsWith("Ceiling: \"very high\" is not taken; a number from "));
    CHECK(d.window.lastMessage().endsWith("It stays as it was."));
    CHECK(type("Ceiling", "1e300") == shown);
    CHECK(d.plan().ceiling_m == before);
    CHECK(type("Ceiling", "150") == "150 m");
    CHECK(d.plan().ceiling_m == 150.0);
    // Of an item: height and place.
    const ItemId id = d.plan().items[1].id;
    d.window.plan().select({id});
    d.settle();
    const Item item = *d.plan().find(id);
    type("Height", "up there");
    CHECK(d.window.lastMessage().startsWith("Height: \"up there\" is not taken"));
    type("Position", "over the hill");
    CHECK(d.window.lastMessage().startsWith("Position: \"over the hill\" is no place"));
    CHECK(*d.plan().find(id) == item);
}

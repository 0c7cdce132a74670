// The real window driven by real clicks and keys.
#include "ui/Driver.h"

#include "app/band/Band.h"
#include "app/debrief/TraceBand.h"
#include "app/draft/Itinerary.h"
#include "app/rehearse/RehearsePanel.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("a plan is drawn with clicks and keys, edited and undone", "[ui][draft]") {
    Driver d;
    d.openDemo();
    d.window.plan().startNew();
    d.settle();
    REQUIRE(d.plan().items.empty());
    d.key(Qt::Key_H);
    d.click({500, 400});
    REQUIRE(d.plan().home);
    CHECK(d.plan().home->amsl_m);
    d.key(Qt::Key_W);
    d.click({420, 300});
    d.click({300, 260});
    d.click({250, 380});
    REQUIRE(d.plan().items.size() == 4);  // take-off came by itself
    d.key(Qt::Key_Escape);
    // On the leg between the first two a double click inserts.
    d.window.plan().select({});
    QTest::mouseDClick(&d.window.map(), Qt::LeftButton, Qt::NoModifier,
                       (d.at(d.plan().items[1].position) + d.at(d.plan().items[2].position)) / 2);
    d.settle();
    REQUIRE(d.plan().items.size() == 5);
    const GeoPoint before = d.plan().items[4].position;
    const QPoint grip = d.at(before);
    d.drag(&d.window.map(), grip, grip + QPoint(40, 30));
    CHECK(distance_m(before, d.plan().items[4].position) > 50);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().items[4].position == before);
    d.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK_FALSE(d.plan().items[4].position == before);
    // Selected with a click and Ctrl+click, deleted together.
    d.click(d.at(d.plan().items[4].position));
    d.click(d.at(d.plan().items[3].position), Qt::ControlModifier);
    CHECK(d.window.plan().selection().size() == 2);
    d.key(Qt::Key_Delete);
    CHECK(d.plan().items.size() == 3);
    while (d.window.plan().canUndo()) d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().items.empty());
    CHECK_FALSE(d.window.plan().modified());
}

TEST_CASE("a block and a fence are drawn corner by corner", "[ui][draft]") {
    Driver d;
    d.openDemo();
    const std::size_t items = d.plan().items.size(), fences = d.plan().fences.size();
    d.key(Qt::Key_B);
    for (const QPoint p : {QPoint(520, 330), QPoint(600, 330), QPoint(600, 400), QPoint(520, 400)}) d.click(p);
    d.key(Qt::Key_Return);
    REQUIRE(d.plan().items.size() == items + 1);
    const auto block = std::find_if(d.plan().items.begin(), d.plan().items.end(),
                                    [&](const Item& i) { return d.window.plan().isSelected(i.id); });
    REQUIRE(block != d.plan().items.end());
    CHECK(block->pattern->outline.size() == 4);
    CHECK(d.window.plan().derived()->view.route.photos > 73);
    d.key(Qt::Key_X);
    for (const QPoint p : {QPoint(200, 450), QPoint(280, 450), QPoint(240, 520)}) d.click(p);
    d.click({200, 450});  // the first corner again closes it
    REQUIRE(d.plan().fences.size() == fences + 1);
    CHECK(d.plan().fences.back().kind == FenceKind::keepOut);
    // An outline that crosses itself is refused in words and can still be changed.
    d.key(Qt::Key_X);
    for (const QPoint p : {QPoint(200, 100), QPoint(300, 200), QPoint(300, 100), QPoint(200, 200)}) d.click(p);
    d.key(Qt::Key_Return);
    CHECK(d.plan().fences.size() == fences + 1);
    CHECK(d.window.lastMessage().contains("crosses itself"));
    d.key(Qt::Key_Escape);
}

TEST_CASE("the inspector edits heights, units and references, inheritance comes back when emptied", "[ui][inspector]") {
    Driver d;
    d.openDemo();
    const ItemId id = d.plan().items[1].id;
    d.window.plan().select({id});
    d.settle();
    d.type("Height", "200 ft");
    CHECK(d.plan().find(id)->height->value_m == Approx(60.96));
    const auto amsl =
        amslOf(d.plan(), d.window.plan().terrain().get(), d.plan().find(id)->position, *d.plan().find(id)->height);
    auto* ref = d.child<QComboBox>("field Height reference");
    ref->setCurrentIndex(1);
    emit ref->activated(1);
    d.settle();
    CHECK(d.plan().find(id)->height->ref == HeightRef::amsl);
    CHECK(d.plan().find(id)->height->value_m == Approx(*amsl).margin(0.06));
    d.type("Speed", "12");
    CHECK(d.plan().find(id)->speed_mps == 12.0);
    auto* speed = d.child<QLineEdit>("field Speed");
    speed->selectAll();
    QTest::keyClick(speed, Qt::Key_Delete);
    QTest::keyClick(speed, Qt::Key_Return);
    d.settle();
    CHECK_FALSE(d.plan().find(id)->speed_mps);
    d.type("Height", "nonsense");
    CHECK(d.plan().find(id)->height->value_m == Approx(*amsl).margin(0.06));
    d.press("chip repeat");
    d.settle();
    CHECK(std::holds_alternative<Repeat>(d.plan().find(id)->actions.back()));
}

TEST_CASE("a point is dragged up in the height profile", "[ui][band]") {
    Driver d;
    d.openDemo();
    auto* band = d.child<ProfileBand>("profile");
    const ItemId id = d.plan().items[1].id;
    const double before = effectiveHeight(d.plan(), d.plan().items[1]).value_m;
    // Found as a user finds it: by the marker's place, which the band shows under the hand.
    QPoint grip;
    for (int x = 90; x < band->width() / 4 && grip.isNull(); x += 5)
        for (int y = 24; y < band->height() - 24; y += 5) {
            QMouseEvent move(QEvent::MouseMove, QPoint(x, y), band->mapToGlobal(QPoint(x, y)), Qt::NoButton,
                             Qt::NoButton, Qt::NoModifier);
            QApplication::sendEvent(band, &move);
            if (band->cursor().shape() == Qt::SizeVerCursor) {
                grip = {x, y};
                break;
            }
        }
    REQUIRE_FALSE(grip.isNull());
    d.drag(band, grip, grip - QPoint(0, 25));
    CHECK(effectiveHeight(d.plan(), *d.plan().find(id)).value_m > before + 10);
    CHECK(d.window.plan().undoName() == "Change height");
}

TEST_CASE("items are reordered in the itinerary and repeats keep their target", "[ui][itinerary]") {
    Driver d;
    d.openDemo();
    auto* list = d.child<QListWidget>("itinerary");
    CHECK(list->count() ==
          static_cast<int>(1 + d.plan().items.size() + d.plan().fences.size() + d.plan().obstacles.size()));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, list->visualItemRect(list->item(4)).center());
    CHECK(d.window.plan().isSelected(d.plan().items[3].id));
    const ItemId moved = d.plan().items[3].id;
    d.key(Qt::Key_Up, Qt::AltModifier);
    CHECK(d.plan().items[2].id == moved);
    d.key(Qt::Key_Down, Qt::AltModifier);
    CHECK(d.plan().items[3].id == moved);
    d.child<Itinerary>("itinerary")->moveSelectionTo(2);  // dropped above row 2
    d.settle();
    CHECK(d.plan().items[1].id == moved);
    for (const Item& i : d.plan().items)
        for (const Action& a : i.actions)
            if (const auto* r = std::get_if<Repeat>(&a)) CHECK(r->target == moved);
}

TEST_CASE("a finding shows its place and its correction is one click", "[ui][findings]") {
    Driver d;
    d.openDemo();
    d.window.plan().edit("low", [](Plan& p) { p.items[3].height = Height::aboveHome(60); });
    d.settle();
    CHECK(d.child<QPushButton>("findings count")->text().contains("stop"));
    d.press("correct clearance-minimum");
    d.settle();
    CHECK(effectiveHeight(d.plan(), d.plan().items[3]).value_m > 60);
}

TEST_CASE("unsaved changes are guarded, saving is atomic, recent files are kept", "[ui][files]") {
    Driver d;
    d.openDemo();
    d.window.plan().edit("Rename", [](Plan& p) { p.title = "changed"; });
    answer(QMessageBox::Cancel);
    CHECK_FALSE(d.window.openFile(QString::fromStdString(d.dir / "quarry.anhinga.geojson")));
    CHECK(d.plan().title == "changed");
    d.key(Qt::Key_S, Qt::ControlModifier);
    CHECK_FALSE(d.window.plan().modified());
    CHECK(loadPlan(d.dir / "patrol.anhinga.geojson")->title == "changed");
    CHECK(d.window.openFile(QString::fromStdString(d.dir / "quarry.anhinga.geojson")));
    CHECK(QSettings().value("files/recent").toStringList().size() == 2);
}

TEST_CASE("files that cannot be opened leave the open plan untouched", "[ui][files][hostile]") {
    Driver d;
    d.openDemo();
    d.window.plan().edit("Rename", [](Plan& p) { p.title = "precious"; });
    const PlanPtr before = d.window.plan().plan();
    const std::string good = slurp(d.dir / "patrol.anhinga.geojson");
    int n = 0;
    for (std::string text : damaged(good, 24, 5)) {
        if (n % 4 != 0) text[0] = '?';
        spit(d.dir / "bad.geojson", text);
        if (readPlanText(text, "x")) continue;
        answer(QMessageBox::Discard);
        CHECK_FALSE(d.window.openFile(QString::fromStdString(d.dir / "bad.geojson")));
        CHECK(d.window.plan().plan() == before);
        CHECK(d.window.lastMessage().contains("bad.geojson"));
        if (++n >= 6) break;
    }
    CHECK(n > 3);
    CHECK_FALSE(d.window.openFile(QString::fromStdString(d.dir.path())));
    CHECK(d.window.plan().canUndo());
    d.window.review().open(QString::fromStdString(d.dir / "bad.geojson"));
    CHECK(d.until(5000, [&] { return !d.window.review().opening(); }));
    CHECK_FALSE(d.window.review().log());
}

TEST_CASE("any action is found by name", "[ui][finder]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_K, Qt::ControlModifier);
    auto* finder = d.child<QDialog>("finder");
    auto* search = finder->findChild<QLineEdit*>();
    QTest::keyClicks(search, "night");
    QTest::keyClick(search, Qt::Key_Return);
    CHECK(QSettings().value("theme/night").toBool());
    d.window.setNight(false);
}

TEST_CASE("a rehearsal plays, pauses, is scrubbed and follows the plan", "[ui][rehearse]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F2);
    CHECK(d.window.workspace() == Workspace::rehearse);
    auto* panel = d.child<RehearsePanel>("rehearse");
    CHECK(panel->findChild<QLabel*>("headline")->text().contains("min"));
    d.press("play");
    REQUIRE(d.until(4000, [&] { return panel->playHead() > 8; }));
    d.press("play");
    const double stopped = panel->playHead();
    QTest::qWait(150);
    CHECK(panel->playHead() == stopped);
    auto* band = d.child<TimeBand>("timeband");
    QTest::mouseClick(band, Qt::LeftButton, Qt::NoModifier, {band->width() / 2, band->height() / 2});
    CHECK(panel->playHead() == Approx(d.window.plan().derived()->rehearsal->duration_s / 2).margin(30));
    panel->step(1);
    CHECK(panel->playHead() > d.window.plan().derived()->rehearsal->duration_s / 2 - 30);
}

TEST_CASE("the whole job: open, rehearse, hand over to a stand-in process, fly, open the recording",
          "[ui][job][real]") {
    Driver d(Driver::real);
    d.openDemo();
    // A short plan, so that the flight is short.
    d.window.plan().edit("Shorten", [](Plan& p) {
        p.items.resize(2);
        p.items[1].position = destination(p.home->position, 330, 120);
        Item back;
        back.id = p.newId();
        back.kind = ItemKind::returnHome;
        p.items.push_back(back);
        p.return_height_m = 60;  // what the stand-in returns at
        p.items[1].height = Height::aboveHome(45);
    });
    d.settle();
    REQUIRE(d.window.plan().derived()->rehearsal);
    const double rehearsed = d.window.plan().derived()->rehearsal->duration_s;
    const int port = freePort();
    const GeoPoint home = d.plan().home->position;
    Process standin(std::string(BIN_DIR) + "/anhinga-standin",
                    {"--link", fmt::format("udp:127.0.0.1:{}", port), "--home",
                     fmt::format("{:.7f},{:.7f},{:.1f}", home.lat_deg, home.lon_deg, *d.plan().home->amsl_m),
                     "--terrain", demo("quillmere-elevation.tif"), "--pace", "15", "--run-for", "55"});
    d.key(Qt::Key_F3);
    d.child<QComboBox>("address")->setCurrentText(QString("udp-listen:%1").arg(port));
    d.press("connect");
    REQUIRE(d.until(8000, [&] { return d.window.link().vehicle().heard; }));
    REQUIRE(d.until(2000, [&] { return d.child<QPushButton>("hand over")->isEnabled(); }));
    d.press("hand over");
    REQUIRE(d.until(10000, [&] { return d.window.link().seal() == LinkSession::Seal::sealed; }));
    CHECK(d.child<QLabel>("seal")->text().contains("Sealed"));
    // Any later edit breaks the seal; undoing it mends it.
    d.window.plan().edit("Lift", [](Plan& p) { p.items[1].height = Height::aboveHome(46); });
    d.settle();
    CHECK(d.child<QLabel>("seal")->text().contains("Seal broken"));
    d.window.plan().undo();
    d.settle();
    CHECK(d.child<QLabel>("seal")->text().contains("Sealed"));
    d.press("field tab Fly");
    // A click does not arm; holding does.
    auto* arm = d.child<QPushButton>("command Arm");
    QTest::mouseClick(arm, Qt::LeftButton);
    QTest::qWait(300);
    CHECK_FALSE(d.window.link().vehicle().armed);
    QTest::mousePress(arm, Qt::LeftButton);
    QTest::qWait(1100);
    QTest::mouseRelease(arm, Qt::LeftButton);
    REQUIRE(d.until(5000, [&] { return d.window.link().vehicle().armed; }));
    REQUIRE(d.until(3000, [&] { return d.window.link().commands().back().state == CommandNote::accepted; }));
    auto* start = d.child<QPushButton>("command Start");
    REQUIRE(d.until(3000, [&] { return start->isVisible() && start->isEnabled(); }));
    QTest::mouseClick(start, Qt::LeftButton);
    REQUIRE(d.until(5000, [&] { return d.window.link().vehicle().height_home_m.value_or(0) > 5; }));
    CHECK(
        d.until(2000, [&] { return d.child<QPushButton>("command Hold")->isVisible(); }));  // the next order is another
    REQUIRE(d.until(30000, [&] { return !d.window.link().vehicle().armed; }));
    CHECK(d.window.link().vehicle().track->size() > 20);
    d.press("field tab Link");
    d.press("open recording");
    REQUIRE(d.until(8000, [&] { return d.window.review().log() != nullptr; }));
    CHECK(d.window.workspace() == Workspace::debrief);
    REQUIRE(d.window.review().comparison());
    CHECK(d.window.review().comparison()->flown_s == Approx(rehearsed).epsilon(0.03));
    const auto channelCount = [&] {
        int n = 0;
        for (QTreeWidgetItemIterator at(d.child<QTreeWidget>("channels")); *at != nullptr; ++at)
            n += (*at)->data(0, Qt::UserRole).isValid();
        return n;
    };
    CHECK(channelCount() > 50);
    auto* search = d.child<QLineEdit>("channel search");
    QTest::keyClicks(search, "roll_deg");
    auto* list = d.child<QTreeWidget>("channels");
    REQUIRE(channelCount() >= 1);
    QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::ShiftModifier,
                      list->visualItemRect(list->topLevelItem(0)->child(0)).center());
    CHECK(d.child<TraceBand>("traces")->traces().size() == 4);
}

TEST_CASE("an item dropped elsewhere in the itinerary moves there, repeats keep their target", "[ui][itinerary]") {
    Driver d;
    d.openDemo();
    auto* list = d.child<QListWidget>("itinerary");
    const auto targets = [&] {
        std::vector<ItemId> all;
        for (const Item& i : d.plan().items)
            for (const Action& a : i.actions)
                if (const auto* r = std::get_if<Repeat>(&a)) all.push_back(r->target);
        return all;
    };
    const auto before = targets();
    REQUIRE_FALSE(before.empty());
    const ItemId moved = d.plan().items[4].id, below = d.plan().items[1].id;
    QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, list->visualItemRect(list->item(5)).center());
    REQUIRE(d.window.plan().isSelected(moved));
    // What the list itself makes of a drag, dropped on the upper edge of row 2.
    const QModelIndexList rows{list->model()->index(5, 0)};
    const std::unique_ptr<QMimeData> mime(list->model()->mimeData(rows));
    const QRect target = list->visualItemRect(list->item(2));
    const QPointF at(target.center().x(), target.top() + 2);
    QDropEvent drop(at, Qt::MoveAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
    // Qt delivers a drop only within a drag of the window system's; this hands it over as Qt would.
    struct Open : Itinerary {
        static auto handler() { return &Open::dropEvent; }
    };
    (d.child<Itinerary>("itinerary")->*Open::handler())(&drop);
    d.settle();
    CHECK(d.plan().items[1].id == moved);
    CHECK(d.plan().items[2].id == below);
    CHECK(targets() == before);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().items[4].id == moved);
}

#include "ui/Driver.h"

#include "app/debrief/TraceBand.h"
#include "app/rehearse/RehearsePanel.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("the top row tells the state of every step", "[ui][shell]") {
    Driver d;
    d.openDemo();
    CHECK(d.child<QPushButton>("step Draft")->text().contains("10 items"));
    CHECK(d.child<QPushButton>("step Rehearse")->text().contains("rehearsed "));
    CHECK(d.child<QPushButton>("step Field")->text().contains("kept here, not sent"));
    CHECK(d.child<QPushButton>("step Debrief")->text().contains("no log open"));
    CHECK(d.child<QPushButton>("file")->text().contains("Quarry and summit"));
    d.window.plan().edit("Rename", [](Plan& p) { p.title = "Another"; });
    CHECK(d.child<QPushButton>("file")->text().contains("edited, not saved"));
    CHECK(d.window.windowTitle().contains("*"));
    for (const char* name : {"Rehearse", "Field", "Debrief", "Draft"}) {
        d.press(QString("step ") + name);
        CHECK(d.child<QPushButton>(QString("step ") + name)->isChecked());
    }
    CHECK(d.window.workspace() == Workspace::draft);
}

TEST_CASE("every action has a name, its own key and no key twice", "[ui][shell]") {
    Driver d;
    QStringList keys, names;
    for (const QAction* a : d.window.actions()) {
        INFO(a->objectName().toStdString());
        CHECK_FALSE(a->text().isEmpty());
        CHECK_FALSE(a->shortcut().isEmpty());
        CHECK_FALSE(keys.contains(a->shortcut().toString()));
        CHECK_FALSE(names.contains(a->objectName()));
        keys << a->shortcut().toString();
        names << a->objectName();
    }
    CHECK(names.size() > 25);
}

TEST_CASE("several items are set and raised together", "[ui][inspector]") {
    Driver d;
    d.openDemo();
    const ItemId a = d.plan().items[1].id, b = d.plan().items[8].id;
    d.window.plan().select({a, b});
    d.settle();
    CHECK(d.child<QLabel>("inspectorTitle")->text() == "2 items");
    d.type("Add height", "15");
    CHECK(effectiveHeight(d.plan(), *d.plan().find(a)).value_m == 85);
    CHECK(effectiveHeight(d.plan(), *d.plan().find(b)).value_m == 85);
    d.type("Speed", "12 kt");
    CHECK(*d.plan().find(a)->speed_mps == Approx(6.1733).margin(0.001));
    CHECK(d.plan().find(a)->speed_mps == d.plan().find(b)->speed_mps);
    d.window.plan().undo();
    d.window.plan().undo();
    CHECK(effectiveHeight(d.plan(), *d.plan().find(a)).value_m == 70);
}

TEST_CASE("values out of range are not taken, and the field shows the old one again", "[ui][inspector]") {
    Driver d;
    d.openDemo();
    const ItemId id = d.plan().items[1].id;
    d.window.plan().select({id});
    d.settle();
    for (const char* wrong : {"-3", "0", "9999", "fast", "8 8"}) {
        d.type("Speed", wrong);
        INFO(wrong);
        CHECK(effectiveSpeed(d.plan(), *d.plan().find(id)) == 9);
        CHECK(d.child<QLineEdit>("field Speed")->text() == "9 m/s");
    }
    d.type("Position", "91, 10");
    CHECK(d.plan().find(id)->position.lat_deg < 48);
    d.type("Position", "47.309, -20.115");
    CHECK(d.plan().find(id)->position == GeoPoint{47.309, -20.115});
}

TEST_CASE("a hold, a repeat and a look-at are added from the inspector", "[ui][inspector]") {
    Driver d;
    d.openDemo();
    const ItemId id = d.plan().items[1].id;
    d.window.plan().select({id});
    d.settle();
    d.press("chip hold");
    d.settle();
    CHECK(d.plan().find(id)->kind == ItemKind::hold);
    d.type("Hold", "45");
    CHECK(d.plan().find(id)->hold_s == 45);
    d.press("chip repeat");
    d.settle();
    d.type("Extra passes", "3");
    CHECK(std::get<Repeat>(d.plan().find(id)->actions.back()).count == 3);
    d.press("chip look-at");
    CHECK(d.window.map().tool() == MapTool::lookAt);
    const QPoint at(d.window.map().width() / 2, 300);
    const GeoPoint place = d.window.map().transform().toGeo(at);
    d.click(at);
    const auto& look = std::get<LookAt>(d.plan().find(id)->actions.back());
    CHECK(distance_m(look.place, place) < 10);
    CHECK(d.window.map().tool() == MapTool::select);
}

TEST_CASE("deleting a repeat's target leaves the point and asks for a new one", "[ui][repeat]") {
    Driver d;
    d.openDemo();
    const ItemId target = d.plan().items[3].id, carrier = d.plan().items[6].id;
    d.window.plan().select({target});
    d.key(Qt::Key_Delete);
    REQUIRE(d.plan().find(target) == nullptr);
    REQUIRE(d.plan().find(carrier) != nullptr);
    bool said = false;
    for (const Finding& f : d.window.plan().derived()->findings)
        said |= f.rule == "repeat-target" && f.severity == Severity::stop;
    CHECK(said);
    CHECK_FALSE(d.window.plan().derived()->view.sendable());
    d.window.plan().select({carrier});
    d.settle();
    auto* box = d.child<QComboBox>("repeat target");
    CHECK(box->currentText() == "choose an item");
    box->setCurrentIndex(3);
    emit box->activated(3);
    d.settle();
    CHECK(d.window.plan().derived()->view.sendable());
}

TEST_CASE("the plan's own values are edited when nothing is selected", "[ui][inspector]") {
    Driver d;
    d.openDemo();
    CHECK(d.child<QLabel>("inspectorTitle")->text() == "Plan");
    d.type("Title", "Morning round");
    d.type("Ceiling", "150 m");
    d.type("Speed", "36 km/h");
    d.type("Return at", "80");
    CHECK(d.plan().title == "Morning round");
    CHECK(d.plan().ceiling_m == 150.0);
    CHECK(d.plan().defaults.speed_mps == Approx(10));
    CHECK(d.plan().return_height_m == 80);
    CHECK(d.child<QPushButton>("findings count")->text().contains("stop"));  // items above 150 m
    auto* ceiling = d.child<QLineEdit>("field Ceiling");
    ceiling->setFocus();
    ceiling->selectAll();
    QTest::keyClick(ceiling, Qt::Key_Delete);
    QTest::keyClick(ceiling, Qt::Key_Return);
    d.settle();
    CHECK_FALSE(d.plan().ceiling_m);
}

TEST_CASE("items are duplicated beside themselves with ids of their own", "[ui][draft]") {
    Driver d;
    d.openDemo();
    const std::size_t n = d.plan().items.size();
    d.window.plan().select({d.plan().items[1].id, d.plan().items[2].id});
    d.key(Qt::Key_D, Qt::ControlModifier);
    CHECK(d.plan().items.size() == n + 2);
    std::set<ItemId> ids;
    for (const Item& i : d.plan().items) ids.insert(i.id);
    CHECK(ids.size() == n + 2);
    CHECK(d.window.plan().selection().size() == 2);
    CHECK(distance_m(d.plan().items[1].position, d.plan().items[3].position) == Approx(20).margin(0.1));
}

TEST_CASE("the demo recording is reviewed: traces, cursor, comparison and export", "[ui][debrief][demo]") {
    Driver d;
    d.openDemo();
    REQUIRE(d.window.openFile(QString::fromStdString(demo("patrol-flight.tlog"))));
    REQUIRE(d.until(10000, [&] { return d.window.workspace() == Workspace::debrief; }));
    auto* traces = d.child<TraceBand>("traces");
    CHECK(traces->traces().size() == 3);
    auto* list = d.child<QTreeWidget>("channels");
    const auto channelCount = [&] {
        int n = 0;
        for (QTreeWidgetItemIterator at(list); *at != nullptr; ++at) n += (*at)->data(0, Qt::UserRole).isValid();
        return n;
    };
    const int all = channelCount();
    auto* search = d.child<QLineEdit>("channel search");
    QTest::keyClicks(search, "battery");
    CHECK(channelCount() < all);
    CHECK(channelCount() >= 5);
    const auto first = [&] { return list->visualItemRect(list->topLevelItem(0)->child(0)).center(); };
    QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, first());
    CHECK(traces->traces().size() == 4);
    CHECK_FALSE(traces->traces().back().right);
    QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, first());
    CHECK(traces->traces().size() == 3);
    // A click on the track takes the cursor there.
    REQUIRE(d.until(10000, [&] { return d.window.review().comparison().has_value(); }));
    d.still();
    const LogPtr log = d.window.review().log();
    const double t = log->firstTime() + log->duration_s() * 0.7;
    const GeoPoint wanted{*log->find("position.lat_deg")->at(t), *log->find("position.lon_deg")->at(t)};
    d.click(d.at(wanted));
    const GeoPoint there{*log->find("position.lat_deg")->at(traces->cursor()),
                         *log->find("position.lon_deg")->at(traces->cursor())};
    CHECK(distance_m(there, wanted) < 60);
    CHECK(d.child<FiguresView>("planned flown")->findChild<QLabel*>("headline")->text().contains("off the line"));
}

TEST_CASE("a rehearsal is opened in Debrief like any flight", "[ui][rehearse][debrief]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F2);
    emit d.child<RehearsePanel>("rehearse")->openInDebrief();
    d.settle();
    CHECK(d.window.workspace() == Workspace::debrief);
    REQUIRE(d.window.review().comparison());
    CHECK(d.window.review().comparison()->cross_max_m.value() < 8);
}

TEST_CASE("wind typed in Rehearse changes the figures", "[ui][rehearse]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F2);
    const double calm = d.window.plan().derived()->rehearsal->energy_wh;
    auto* wind = d.child<QDoubleSpinBox>("wind speed");
    wind->setFocus();
    wind->selectAll();
    QTest::keyClicks(wind, "10");
    QTest::keyClick(wind, Qt::Key_Return);
    CHECK(d.until(5000, [&] { return d.window.plan().derived()->rehearsal->energy_wh > calm; }));
}

TEST_CASE("words in empty fields and figures can be read in sunlight", "[ui][theme]") {
    Driver d;
    d.openDemo();
    // Relative luminance and contrast as WCAG 2.1 defines them.
    const auto luminance = [](const QColor& c) {
        const auto part = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        return 0.2126 * part(c.redF()) + 0.7152 * part(c.greenF()) + 0.0722 * part(c.blueF());
    };
    const auto contrast = [&](const QColor& a, const QColor& b) {
        const double x = luminance(a), y = luminance(b);
        return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
    };
    for (const bool night : {false, true}) {
        d.window.setNight(night);
        QTest::qWait(50);
        const Theme theme = night ? Theme::dark() : Theme::light();
        const double least = night ? 4.5 : 7;
        for (const QColor& paper : {theme.panel, theme.raised})
            for (const QColor& ink : {theme.ink, theme.attentionInk(), theme.dangerInk(), theme.goodInk()})
                CHECK(contrast(ink, paper) >= least);
        for (const char* name : {"channel search", "fly note", "logbook search"}) {
            INFO(name);
            const auto* field = d.window.findChild<QLineEdit*>(name);
            REQUIRE(field != nullptr);
            const QColor shown = field->palette().color(QPalette::PlaceholderText);
            CHECK(shown.alpha() == 255);
            CHECK(contrast(shown, theme.raised) >= 4.5);
        }
    }
}

// The pictures of the documents, made anew from the demo data: `scripts/pictures`. Hidden: they are looked at, not
// tested.
#include "ui/Driver.h"

#include "app/scene/SceneView.h"

#include "app/debrief/FlightsDialog.h"
#include "app/debrief/HealthPanel.h"
#include "app/debrief/PresenceDialog.h"
#include "app/debrief/SpectrumDialog.h"
#include "core/plan/ChecklistTemplates.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Camera : Driver {
    QString folder = qEnvironmentVariable("ANHINGA_PICTURES");
    Camera() : Driver(real) {
        REQUIRE_FALSE(folder.isEmpty());
        for (const char* f : {"mistakes.anhinga.geojson", "seawall.anhinga.geojson", "coast.anhinga.geojson",
                              "shakedown.anhinga.geojson"})
            std::filesystem::copy(demo(f), dir / f);
    }
    void take(QWidget& of, const char* name) {
        QApplication::processEvents();
        QTest::qWait(150);
        REQUIRE(of.grab().save(QString("%1/%2.png").arg(folder, name)));
    }
    void take(const char* name) {
        // The pointer is nowhere: what it would point at is not lit.
        QEvent leave(QEvent::Leave);
        QApplication::sendEvent(&window.map(), &leave);
        if (auto* message = window.findChild<QLabel*>("message")) message->hide();
        take(window, name);
    }
    void trigger(const char* name) {
        auto* action = window.findChild<QAction*>(name);
        REQUIRE(action != nullptr);
        action->trigger();
    }
    void show(const std::string& path) {
        REQUIRE(window.openFile(QString::fromStdString(path)));
        REQUIRE(until(15000, [&] { return window.review().path() == QString::fromStdString(path); }));
        REQUIRE(until(15000, [&] { return !window.review().diagnosing() && !window.review().health().empty(); }));
        QTest::qWait(400);
    }
    void select(ItemKind kind) {
        for (const Item& i : plan().items)
            if (i.kind == kind) window.plan().select({i.id});
        settle();
    }
};

}  // namespace

TEST_CASE("pictures of Draft and its patterns", "[.pictures]") {
    {
        Camera c;
        c.openDemo();
        QTest::qWait(1500);  // pictures of the ground come by and by
        c.take("draft");
        c.openDemo("mistakes.anhinga.geojson");
        c.take("findings");
    }
    {
        Camera c;
        c.openDemo("quarry.anhinga.geojson");
        c.select(ItemKind::block);
        c.trigger("show selection");
        QTest::qWait(1500);
        c.take("block");
        c.openDemo("seawall.anhinga.geojson");
        c.select(ItemKind::corridor);
        c.trigger("show selection");
        QTest::qWait(800);
        c.take("corridor");
    }
    {
        Camera c;
        c.openDemo();
        for (auto* splitter : c.window.findChildren<QSplitter*>())
            if (splitter->orientation() == Qt::Vertical && splitter->count() == 2 && splitter->height() > 500 &&
                splitter->width() > 1000)
                splitter->setSizes({330, 420});
        c.take("profile");
    }
}

TEST_CASE("pictures of the start page and the settings", "[.pictures]") {
    Camera c;
    c.openDemo("quarry.anhinga.geojson");
    c.openDemo("seawall.anhinga.geojson");
    c.openDemo();
    c.key(Qt::Key_Home, Qt::ControlModifier);
    QTest::qWait(1200);
    c.take("start");
    c.trigger("settings");
    QTest::qWait(200);
    for (auto* label : c.window.findChildren<QLabel*>())  // where it lies is of no interest
        if (label->text().contains("anhinga-test")) label->setText("~/.local/share/anhinga/maps");
    c.take("settings");
}

TEST_CASE("pictures of Rehearse, sorties and the Scene", "[.pictures]") {
    {
        Camera c;
        c.openDemo();
        c.key(Qt::Key_F2);
        for (int i = 0; i < 18; ++i) c.trigger("next item");
        QTest::qWait(4000);
        c.take("rehearse");
        c.trigger("scene");
        REQUIRE(c.until(20000, [&] { return c.window.scene() != nullptr && c.window.scene()->groundReady(); }));
        QTest::qWait(1500);
        c.trigger("camera eye");
        QTest::qWait(1500);
        c.take("camera-eye");
    }
    {
        Camera c;
        c.openDemo("quarry.anhinga.geojson");
        c.trigger("scene");
        REQUIRE(c.until(20000, [&] { return c.window.scene() != nullptr && c.window.scene()->groundReady(); }));
        c.window.scene()->camera().pitch_deg = -28;
        c.window.scene()->camera().yaw_deg = 200;
        c.window.scene()->camera().distance_m = 900;
        c.window.scene()->update();
        QTest::qWait(1500);
        c.take("scene");
        c.trigger("scene");
        c.window.plan().edit("battery", [](Plan& p) { p.vehicle.battery_wh = 45; });
        c.settle();
        c.key(Qt::Key_F2);
        QTest::mouseClick(c.child<QWidget>("rehearse")->findChild<QPushButton*>("cut into sorties"), Qt::LeftButton);
        REQUIRE(c.until(30000, [&] { return !c.window.plan().cutting() && !c.plan().cuts.empty(); }));
        c.settle();
        QTest::qWait(3000);
        c.take("sorties");
    }
}

TEST_CASE("pictures of the Field", "[.pictures]") {
    Camera c;
    c.openDemo();
    const int port = freePort();
    Process standin(std::string(BIN_DIR) + "/anhinga-standin",
                    {"--link", fmt::format("udp:127.0.0.1:{}", port), "--home", "47.3051970,-20.1068059", "--terrain",
                     demo("quillmere-elevation.tif"), "--pace", "20", "--run-for", "120"});
    c.window.plan().edit("checklist", [](Plan& p) { addChecklist(p, checklistTemplates()[0]); });
    c.settle();
    c.key(Qt::Key_F3);
    c.child<QComboBox>("address")->setCurrentText(QString("udp-listen:%1").arg(port));
    c.press("connect");
    REQUIRE(c.until(8000, [&] { return c.child<QPushButton>("hand over")->isEnabled(); }));
    c.press("hand over");
    REQUIRE(c.until(15000, [&] { return c.window.link().seal() == LinkSession::Seal::sealed; }));
    c.press("field tab Checklist");
    QTest::qWait(1500);
    c.take("checklist");
    c.press("field tab Fly");
    const auto order = [&](const char* name, const LinkSession::Command& command) {
        c.window.link().command(name, command);
        REQUIRE(c.until(8000, [&] { return c.window.link().commands().back().state != CommandNote::sent; }));
    };
    order("Arm", [](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); });
    order("Start the mission", [](VehicleLink& l, std::stop_token s) { return commandStart(l, std::move(s)); });
    REQUIRE(c.until(60000, [&] { return c.window.link().vehicle().photos > 20; }));
    c.take("field");
}

TEST_CASE("pictures of Debrief", "[.pictures]") {
    Camera c;
    c.openDemo("shakedown.anhinga.geojson");
    c.show(demo("shakedown-resonance.ulg"));
    c.take("health");
    c.press("spectrum");
    auto* spectrum = c.window.findChild<SpectrumDialog*>();
    REQUIRE(spectrum != nullptr);
    QTest::qWait(1500);
    c.take(*spectrum, "spectrum");
    spectrum->close();
    c.show(demo("shakedown-new-propellers.ulg"));
    c.press("compare flights");
    auto* flights = c.window.findChild<FlightsDialog*>("flights dialog");
    REQUIRE(flights != nullptr);
    flights->openOther(QString::fromStdString(demo("shakedown-resonance.ulg")));
    REQUIRE(c.until(8000, [&] { return flights->comparison().has_value(); }));
    QTest::mouseClick(flights->findChild<QPushButton*>("draw beside"), Qt::LeftButton);
    QTest::qWait(600);
    c.take(*flights, "flights");
    flights->close();
    // Both on one cursor, with every value there.
    c.window.traceModel().usePreset("Vibration");
    c.window.traceModel().setCursor(c.window.traceModel().whole().from_s + 45);
    c.trigger("values");
    QTest::qWait(800);
    c.take("debrief");
    REQUIRE(c.window.logbook().waitUntilIdle(8000));
    c.press("presence");
    auto* presence = c.window.findChild<PresenceDialog*>("presence dialog");
    REQUIRE(presence != nullptr);
    presence->findChild<QLineEdit*>("presence point")->setText("47.305500, -20.106900");
    presence->findChild<QLineEdit*>("presence radius")->setText("30 m");
    QTest::mouseClick(presence->findChild<QPushButton*>("presence look"), Qt::LeftButton);
    QTest::qWait(2500);
    c.take(*presence, "presence");
    presence->close();
    for (const char* name : {"clean", "compass", "gps-jump", "tired-battery", "circling"})
        c.show(demo(("shakedown-" + std::string(name) + ".ulg").c_str()));
    c.key(Qt::Key_B, Qt::ControlModifier);
    REQUIRE(c.window.logbook().waitUntilIdle(8000));
    QTest::qWait(1200);
    c.take("logbook");
}

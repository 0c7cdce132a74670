// A window in the field with a short plan and an aircraft at its home, and the hands on it.
#pragma once

#include "core/plan/ProfileLibrary.h"
#include "standin/LinkedStandIn.h"
#include "ui/Driver.h"

namespace anhinga::testing {

/// A window with a short plan, and a stand-in at its home.
struct Day {
    Driver d;
    TempDir logs;
    std::unique_ptr<LinkedStandIn> standin;
    explicit Day(StandInOptions options = standInAt({47.3051970, -20.1068059}, 45, 10)) {
        shortPlan({});
        options.logs_dir = logs.path();
        standin = d.connect(options);
        REQUIRE(d.until(8000, [&] { return vehicle().heard && d.child<QPushButton>("hand over")->isEnabled(); }));
    }
    /// With an aircraft of a family.
    explicit Day(std::unique_ptr<families::Family> family) {
        shortPlan(family->body() == families::Body::wing ? skimmer() : VehicleProfile{});
        families::AircraftOptions options;
        options.family = std::move(family);
        options.home = d.plan().home->position;
        options.home_amsl_m = 45;
        options.pace = 10;
        const int port = d.world->net.freePort();
        standin = d.connect(d.world->standin(port, std::move(options)), port);
        REQUIRE(d.until(8000, [&] { return vehicle().home_amsl_m && d.child<QPushButton>("hand over")->isEnabled(); }));
    }
    void shortPlan(const VehicleProfile& profile) {
        d.openDemo();
        d.window.plan().edit("short", [&](Plan& p) {
            p.vehicle = profile;
            const GeoPoint centre = p.home->position;
            p.home->amsl_m = 45;
            p.items.clear();
            p.fences.clear();
            Item up;
            up.id = p.newId();
            up.kind = ItemKind::takeOff;
            up.height = Height::aboveHome(40);
            p.items.push_back(up);
            for (int i = 1; i <= 6; ++i) {
                Item w;
                w.id = p.newId();
                w.position = destination(centre, 330, 90.0 * i);
                w.height = Height::aboveHome(70);
                p.items.push_back(w);
            }
            Item back;
            back.id = p.newId();
            back.kind = ItemKind::returnHome;
            p.items.push_back(back);
        });
        d.settle();
    }
    const VehicleSnapshot& vehicle() { return d.window.link().vehicle(); }
    LinkSession& link() { return d.window.link(); }
    void handOver() {
        d.press("field tab Link");
        d.press("hand over");
        REQUIRE(d.until(12000, [&] { return !link().busy() && link().seal() == LinkSession::Seal::sealed; }));
    }
    /// Presses a button of the Fly page and waits for the answer.
    CommandNote command(const QString& name) {
        auto* button = d.child<QPushButton>(name);
        REQUIRE(d.until(3000, [&] { return button->isVisible() && button->isEnabled(); }));
        return answered([&] { QTest::mouseClick(button, Qt::LeftButton); });
    }
    CommandNote answered(const std::function<void()>& order) {
        const auto before = link().commands().size();
        order();
        REQUIRE(d.until(9000, [&] {
            return link().commands().size() > before && link().commands().back().state != CommandNote::sent;
        }));
        QApplication::processEvents();
        return link().commands().back();
    }
    /// On the aircraft's cell of the strip.
    CommandNote flyInMode(const QString& word) {
        return answered([&] {
            QTest::mouseClick(d.child<QToolButton>("other mode"), Qt::LeftButton);
            QMenu* menu = nullptr;
            REQUIRE(d.until(2000, [&] {
                menu = d.window.findChild<QMenu*>("mode menu");
                return menu != nullptr && menu->isVisible();
            }));
            for (QAction* a : menu->actions())
                if (a->data().toString() == word) {
                    const QPoint at = menu->actionGeometry(a).center();
                    QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, at);
                    break;
                }
            menu->close();
        });
    }
    CommandNote arm() {
        auto* button = d.child<QPushButton>("command Arm");
        const auto before = link().commands().size();
        QTest::mousePress(button, Qt::LeftButton);
        d.until(4000, [&] { return link().commands().size() > before; });
        QTest::mouseRelease(button, Qt::LeftButton);
        REQUIRE(d.until(9000, [&] {
            return link().commands().size() > before && link().commands().back().state != CommandNote::sent;
        }));
        QApplication::processEvents();
        return link().commands().back();
    }
};

}  // namespace anhinga::testing

// The real window on a copy of the demo, driven by clicks and keys as a user would.
#pragma once

#include <catch2/catch.hpp>

#include <QtTest/QtTest>
#include <QtWidgets/QtWidgets>

#include "app/map/MapView.h"
#include "app/shell/MainWindow.h"
#include "app/widgets/Quantity.h"
#include "core/plan/PlanFile.h"
#include "core/terrain/Imagery.h"
#include "session/Until.h"
#include "support.h"

namespace anhinga::testing {

/// The window on a copy of the demo, shown and laid out.
class Driver {
  public:
    /// Where aircraft are heard: by sockets and in real time, or in a world that is played.
    enum Where { real, played };
    explicit Driver(Where where = played)
        : world(where == played ? std::make_unique<PlayedWorld>() : nullptr),
          window(world ? world->world() : LinkWorld{}) {
        for (const char* f : {"patrol.anhinga.geojson", "quarry.anhinga.geojson", "lighthouse-rings.anhinga.geojson"})
            std::filesystem::copy(demo(f), dir / f);
        for (const char* f : {"quillmere-elevation.tif", "quillmere-imagery.tif"})
            std::filesystem::create_symlink(demo(f), dir / f);
        static const auto kept_open = ImagerySource::open(demo("quillmere-imagery.tif"));  // read once for all windows
        window.resize(1280, 800);
        window.show();
        REQUIRE(QTest::qWaitForWindowExposed(&window, 5000));
        // Shortcuts need an active window; without a window manager nobody else makes it one.
        window.activateWindow();
        QApplication::setActiveWindow(&window);
        REQUIRE(QTest::qWaitForWindowActive(&window, 5000));
    }
    ~Driver() { window.link().disconnectLink(); }
    void openDemo(const char* name = "patrol.anhinga.geojson") {
        REQUIRE(window.openFile(QString::fromStdString(dir / name)));
        settle();
        still();
    }
    /// Waits until the map has kept its place for a while: panels that fill late may still move it.
    void still() {
        QElapsedTimer all, same;
        all.start();
        same.start();
        QRect before;
        while (all.elapsed() < 8000 && same.elapsed() < 250) {
            const QRect now(window.map().mapToGlobal(QPoint()), window.map().size());
            if (now != before) same.restart();
            before = now;
            QTest::qWait(25);
        }
    }
    void settle() {
        REQUIRE(window.plan().waitUntilDerived(10000));
        QApplication::processEvents();
    }
    const Plan& plan() { return *window.plan().plan(); }
    QPoint at(GeoPoint p) { return window.map().transform().toScreen(p).toPoint(); }
    void click(QPoint p, Qt::KeyboardModifiers m = Qt::NoModifier) {
        QTest::mouseClick(&window.map(), Qt::LeftButton, m, p);
        settle();
    }
    void drag(QWidget* w, QPoint from, QPoint to, Qt::KeyboardModifiers m = Qt::NoModifier) {
        QTest::mousePress(w, Qt::LeftButton, m, from);
        for (int i = 1; i <= 8; ++i) QTest::mouseMove(w, from + (to - from) * i / 8);
        // mouseMove carries no buttons under some platforms: the last step is sent by hand.
        QMouseEvent move(QEvent::MouseMove, to, w->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, m);
        QApplication::sendEvent(w, &move);
        QTest::mouseRelease(w, Qt::LeftButton, m, to);
        settle();
    }
    void key(Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) {
        if (QApplication::activeWindow() != &window) {  // a message box was there
            window.activateWindow();
            QApplication::setActiveWindow(&window);
        }
        window.map().setFocus();
        QTest::keyClick(&window.map(), k, m);
        settle();
    }
    template <class W>
    W* child(const QString& name) {
        auto* w = window.findChild<W*>(name);
        REQUIRE(w != nullptr);
        return w;
    }
    void press(const QString& name) { QTest::mouseClick(child<QPushButton>(name), Qt::LeftButton); }
    bool until(int ms, const std::function<bool()>& done) { return testing::until(ms, done); }
    /// A stand-in of the played world, and the window connected to it by typing its address.
    std::unique_ptr<LinkedStandIn> connect(const StandInOptions& options) {
        const int port = world->net.freePort();
        return connect(world->standin(port, options), port);
    }
    std::unique_ptr<LinkedStandIn> connect(std::unique_ptr<LinkedStandIn> standin, int port) {
        REQUIRE(standin != nullptr);
        key(Qt::Key_F3);
        child<QComboBox>("address")->setCurrentText(QString("udp-listen:%1").arg(port));
        press("connect");
        REQUIRE(until(8000, [&] { return window.link().vehicle().heard; }));
        return standin;
    }
    void type(const QString& field, const QString& text) {
        auto* edit = child<QLineEdit>("field " + field);
        edit->setFocus();
        edit->selectAll();
        if (text.isEmpty())
            QTest::keyClick(edit, Qt::Key_Delete);
        else
            QTest::keyClicks(edit, text);
        QTest::keyClick(edit, Qt::Key_Return);
        settle();
    }

    /// Before the window: it reads them when it is made.
    struct NoSettings {
        NoSettings() {
            QSettings().clear();
            for (const UnitKind kind : {UnitKind::height, UnitKind::distance, UnitKind::speed}) setUnitChoice(kind, 0);
        }
    } no_settings;
    TempDir dir;
    std::unique_ptr<PlayedWorld> world;
    MainWindow window;
};

/// Answers the next message box with a button.
inline void answer(QMessageBox::StandardButton button) {
    QTimer::singleShot(150, [button] {
        for (QWidget* w : QApplication::topLevelWidgets())
            if (auto* box = qobject_cast<QMessageBox*>(w); box != nullptr && box->isVisible())
                box->button(button)->click();
    });
}

/// The same for a box that comes within a few seconds.
inline void answerWhenAsked(QMessageBox::StandardButton button) {
    auto* timer = new QTimer(qApp);
    auto tries = std::make_shared<int>(0);
    QObject::connect(timer, &QTimer::timeout, timer, [timer, tries, button] {
        constexpr int kTries = 50;
        for (QWidget* w : QApplication::topLevelWidgets())
            if (auto* box = qobject_cast<QMessageBox*>(w); box != nullptr && box->isVisible()) {
                timer->stop();
                timer->deleteLater();
                return box->button(button)->click();
            }
        if (++*tries > kTries) timer->deleteLater();
    });
    timer->start(100);
}

}  // namespace anhinga::testing

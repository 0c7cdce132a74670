// A day in the window with aircraft of families that store, number and tell everything otherwise.
#include "ui/FieldDay.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("a day with aircraft of families that number and tell everything otherwise", "[ui][field][family]") {
    const auto fly = [](std::unique_ptr<families::Family> family, bool rounds) {
        const bool wing = family->body() == families::Body::wing;
        Day day(std::move(family));
        auto answer = [](const char* button) {
            // Questions on the way are answered as an operator would who has read them.
            return [button] {
                auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
                if (box != nullptr) QTest::keyClick(box, button[0] == 'y' ? Qt::Key_Y : Qt::Key_N, Qt::AltModifier);
            };
        };
        QTimer asked;
        QObject::connect(&asked, &QTimer::timeout, answer("y"));
        asked.start(200);
        day.handOver();
        // What is rounded is listed; family 12 rounds nothing here.
        CHECK(day.link().sealText().contains("in meaning") == rounds);
        CHECK(day.d.child<QLabel>("seal")->toolTip().isEmpty() != rounds);
        day.d.press("field tab Fly");
        REQUIRE(day.arm().state == CommandNote::accepted);
        REQUIRE(day.command("command Start").state == CommandNote::accepted);
        CHECK(day.d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::mission; }));
        CHECK(day.d.until(60000, [&] { return day.vehicle().mission_item.value_or(0) >= 3; }));
        CHECK(day.command("command Hold").state == CommandNote::accepted);
        if (wing) CHECK(day.d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::hold; }));
        CHECK(day.command("command Go on").state == CommandNote::accepted);
        CHECK(day.d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::mission; }));
        CHECK(day.command("command Return home").state == CommandNote::accepted);
        CHECK(day.d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::returnHome; }));
        if (!wing) CHECK(day.d.until(90000, [&] { return !day.vehicle().armed; }));
    };
    fly(families::familyTwelve(families::Body::rotors), false);
    fly(families::familyThree(families::Body::rotors), true);
    fly(families::familyThree(families::Body::wing), false);
}

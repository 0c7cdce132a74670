// A day in the window with aircraft of families that store, number, tell and record everything otherwise.
#include "app/field/LogsDialog.h"
#include "core/plan/ChecklistTemplates.h"
#include "ui/FieldDay.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// Questions on the way are answered as an operator would who has read them.
class Answering {
  public:
    Answering() {
        QObject::connect(&timer_, &QTimer::timeout, [] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            if (box != nullptr) QTest::keyClick(box, Qt::Key_Y, Qt::AltModifier);
        });
        timer_.start(200);
    }

  private:
    QTimer timer_;
};

const ChecklistEntry* line(Driver& d, const std::string& automatic) {
    for (const ChecklistEntry& e : d.window.field().checklist())
        if (e.item.automatic == automatic) return &e;
    return nullptr;
}

/// Checklist: the aircraft is asked, one of its settings is put right, what it moves by is taken into the plan.
void checklist(Day& day) {
    Driver& d = day.d;
    d.window.plan().edit("checklist", [](Plan& p) {
        for (const ChecklistTemplate& t : checklistTemplates())
            if (QString(t.name).contains("light")) addChecklist(p, t);
    });
    d.settle();
    d.press("field tab Checklist");
    REQUIRE(line(d, "return-height") != nullptr);
    CHECK(line(d, "lost-link")->state == CheckState::unknown);  // not asked yet
    d.press("ask settings");
    REQUIRE(d.until(20000, [&] { return !day.link().busy() && !day.link().parameters().empty(); }));
    REQUIRE(d.until(5000, [&] { return line(d, "lost-link")->state == CheckState::bad; }));
    const auto press = [&](const char* automatic) {
        const QString name = "set " + QString::fromStdString(line(d, automatic)->item.text);
        auto* button = d.child<QPushButton>(name);
        REQUIRE(d.until(5000, [&] { return button->isVisible() && button->isEnabled(); }));
        QTest::mouseClick(button, Qt::LeftButton);
    };
    // A fixed wing of family 3 has an action beside its switch: it may take two.
    for (int n = 0; n < 2 && line(d, "lost-link")->setting; ++n) {
        press("lost-link");
        REQUIRE(d.until(
            20000, [&] { return !day.link().busy() && (line(d, "lost-link")->state == CheckState::good || n == 0); }));
        d.settle();
    }
    if (line(d, "moves")->take) {
        press("moves");
        REQUIRE(d.until(5000, [&] { return line(d, "moves")->state == CheckState::good; }));
    }
    if (line(d, "acceptance")->take) {
        press("acceptance");
        REQUIRE(d.until(5000, [&] { return line(d, "acceptance")->state == CheckState::good; }));
    }
    d.settle();
}

void fetchAndOpen(Day& day, const char* format) {
    Driver& d = day.d;
    d.press("field tab Link");
    d.press("onboard logs");
    auto* dialog = d.window.findChild<LogsDialog*>();
    REQUIRE(dialog != nullptr);
    auto* table = dialog->findChild<QTableWidget*>("logs table");
    REQUIRE(d.until(15000, [&] { return table->rowCount() == 1 && !day.link().busy(); }));
    table->selectRow(0);
    QTest::mouseClick(dialog->findChild<QPushButton*>("logs fetch"), Qt::LeftButton);
    REQUIRE(d.until(30000, [&] { return dialog->findChild<QPushButton*>("logs open")->isEnabled(); }));
    QTest::mouseClick(dialog->findChild<QPushButton*>("logs open"), Qt::LeftButton);
    REQUIRE(d.until(8000, [&] { return d.window.review().log() != nullptr; }));
    CHECK(d.window.workspace() == Workspace::debrief);
    const FlightLog& log = *d.window.review().log();
    CHECK(QString::fromStdString(log.format).contains(format));
    // As it flew, by the aircraft itself.
    const auto flown = day.standin->aircraft().flown();
    REQUIRE(flown.size() > 100);
    double top = 0, logged = 0;
    for (const auto& f : flown) top = std::max(top, f.amsl_m);
    const Channel* high = log.find("position.height_amsl_m");
    REQUIRE(high != nullptr);
    for (const double h : high->value) logged = std::max(logged, h);
    CHECK(logged == Approx(top).margin(0.5));
    CHECK(log.duration_s() == Approx(flown.back().t_s - flown.front().t_s).margin(2));
    std::set<std::string> modes;
    for (const ModeChange& m : log.modes) modes.insert(m.name);
    CHECK(modes.contains("mission"));
    CHECK(modes.contains("return"));
}

void day(std::unique_ptr<families::Family> family, bool rounds, const char* format) {
    const bool wing = family->body() == families::Body::wing;
    Day day(std::move(family));
    Driver& d = day.d;
    Answering answering;
    checklist(day);
    day.handOver();
    // What is rounded or left out is listed; a multirotor of family 12 rounds nothing here.
    CHECK(day.link().sealText().contains("in meaning") == rounds);
    CHECK(d.child<QLabel>("seal")->toolTip().isEmpty() != rounds);
    if (wing) CHECK(d.child<QLabel>("seal")->toolTip().contains("circles over home"));
    d.press("field tab Fly");
    REQUIRE(day.arm().state == CommandNote::accepted);
    REQUIRE(day.command("command Start").state == CommandNote::accepted);
    CHECK(d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::mission; }));
    CHECK(d.until(60000, [&] { return day.vehicle().mission_item.value_or(0) >= 3; }));
    CHECK(day.command("command Hold").state == CommandNote::accepted);
    if (wing) CHECK(d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::hold; }));
    // A point ahead is lifted, sent, read back and flown.
    const ItemId far = d.plan().items[6].id;
    d.window.plan().edit("lift", [&](Plan& p) { p.find(far)->height = Height::aboveHome(95); });
    d.settle();
    REQUIRE(d.until(5000, [&] { return d.child<QPushButton>("hand over")->text() == "Send change"; }));
    day.handOver();
    CHECK(d.window.field().sealHolds());
    d.press("field tab Fly");
    CHECK(day.command("command Go on").state == CommandNote::accepted);
    CHECK(d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::mission; }));
    CHECK(d.until(90000, [&] { return day.vehicle().height_home_m.value_or(0) > 90; }));
    CHECK(day.command("command Return home").state == CommandNote::accepted);
    CHECK(d.until(20000, [&] { return modeKind(day.vehicle()) == ModeKind::returnHome; }));
    if (wing) {
        // It circles until it is landed.
        CHECK(d.until(60000, [&] {
            return day.vehicle().position && distance_m(*day.vehicle().position, d.plan().home->position) < 100;
        }));
        CHECK(day.vehicle().armed);
        CHECK(day.command("command Land here").state == CommandNote::accepted);
    }
    REQUIRE(d.until(120000, [&] { return !day.vehicle().armed; }));
    fetchAndOpen(day, format);
}

}  // namespace

TEST_CASE("a day with a multirotor of family 12: checklist to its own log", "[ui][field][family]") {
    day(families::familyTwelve(families::Body::rotors), false, "ULog");
}
TEST_CASE("a day with a multirotor of family 3: checklist to its own log", "[ui][field][family]") {
    day(families::familyThree(families::Body::rotors), true, "elf-describing");
}
TEST_CASE("what the aircraft does otherwise is in the list of findings, and can be put right from there", "[window]") {
    Day day(families::familyThree(families::Body::rotors));
    Driver& d = day.d;
    const auto about = [&] {
        std::set<std::string> lines;
        for (const Finding& f : d.window.plan().findings())
            if (!f.line.empty()) lines.insert(f.line);
        return lines;
    };
    CHECK(about().empty());
    d.press("field tab Checklist");
    d.press("ask settings");
    REQUIRE(d.until(20000, [&] { return !day.link().busy() && about().contains("moves"); }));
    const QString before = d.child<QPushButton>("findings count")->text();
    CHECK(before.contains("warn"));
    d.press("step Draft");
    // The button rebuilds the list it is in.
    d.press("correct aircraft-moves");
    REQUIRE(d.until(5000, [&] { return !about().contains("moves"); }));
    CHECK(d.plan().traits.ways.return_cone == 3);
    CHECK(d.child<QPushButton>("findings count")->text() != before);
    CHECK(d.window.plan().undoName() == "Take into the plan");
    REQUIRE(about().contains("return-height"));
    d.press("set aircraft-return-height");
    REQUIRE(d.until(20000, [&] { return !about().contains("return-height"); }));
    // Gone with the connection, not with the plan.
    d.press("step Field");
    d.press("field tab Link");
    d.press("connect");
    REQUIRE(d.until(5000, [&] { return about().empty(); }));
}

TEST_CASE("a day with a fixed wing of family 3: checklist to its own log", "[ui][field][family]") {
    day(families::familyThree(families::Body::wing), true, "elf-describing");
}

// Plans and their files in the real window: what is missing, guarded, left over or impossible.
#include "core/plan/KeptPlan.h"
#include "core/plan/PlanFile.h"
#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("a kept copy that cannot be read is named and can be saved as a file", "[ui][files][recovery]") {
    Driver d;
    d.openDemo();
    const QString folder = MainWindow::dataFolder() + "/unsaved";
    const QString broken = folder + "/1-0.anhinga.geojson";
    spit(broken.toStdString(), "{\"type\":\"FeatureCollection\",\"anhinga\":{\"for");
    const auto asked = [&]() -> QMessageBox* {
        for (QWidget* w : QApplication::topLevelWidgets())
            if (auto* box = qobject_cast<QMessageBox*>(w); box != nullptr && box->isVisible()) return box;
        return nullptr;
    };
    d.window.recover();
    REQUIRE(d.until(3000, [&] { return asked() != nullptr; }));
    CHECK(asked()->text().contains("1-0.anhinga.geojson"));
    CHECK(asked()->text().contains("line 1"));
    CHECK(asked()->button(QMessageBox::No) == nullptr);  // nothing throws it away
    asked()->button(QMessageBox::Save)->click();
    QFileDialog* dialog = nullptr;
    REQUIRE(d.until(3000, [&] { return (dialog = d.window.findChild<QFileDialog*>()) != nullptr; }));
    const std::string to = d.dir / "mended.txt";
    emit dialog->fileSelected(QString::fromStdString(to));
    dialog->close();
    CHECK(slurp(to) == slurp(broken.toStdString()));
    CHECK(QFile::exists(broken));
    CHECK(QFile::remove(broken));
}

TEST_CASE("changes that were left do not take the place of a plan that was asked for, unless that is chosen",
          "[ui][files][recovery]") {
    Driver d;
    d.openDemo();
    const QString opened = d.window.plan().path();
    Plan other = d.plan();
    other.title = "left over";
    const std::string left = (MainWindow::dataFolder() + "/unsaved/1-0.anhinga.geojson").toStdString();
    REQUIRE(savePlan(other, left));
    const auto box = [&]() -> QMessageBox* {
        for (QWidget* w : QApplication::topLevelWidgets())
            if (auto* b = qobject_cast<QMessageBox*>(w); b != nullptr && b->isVisible()) return b;
        return nullptr;
    };
    d.window.recover();
    REQUIRE(d.until(3000, [&] { return box() != nullptr; }));
    CHECK(box()->button(QMessageBox::Yes)->text() == "Open them instead");
    QTest::keyClick(box(), Qt::Key_Return);
    REQUIRE(d.until(3000, [&] { return box() == nullptr; }));
    CHECK(d.window.plan().path() == opened);
    CHECK(d.plan().title != "left over");
    CHECK(std::filesystem::exists(left));
    std::filesystem::remove(left);
}

TEST_CASE("a number that no plan may hold is refused where it is entered, and why is said", "[ui][files]") {
    Driver d;
    d.openDemo();
    const Plan before = d.plan();
    const auto ok = d.window.plan().edit("Too fast", [](Plan& p) { p.items[2].speed_mps = 1e300; });
    REQUIRE_FALSE(ok);
    CHECK(d.plan() == before);
    CHECK(d.window.lastMessage().contains("speed_mps"));
    CHECK(d.window.lastMessage().contains("0.1 to 150"));
}

TEST_CASE("terrain and picture that are gone are findings, and can be looked for", "[ui][files]") {
    Driver d;
    d.openDemo();
    TempDir elsewhere;
    std::filesystem::copy(d.dir.path(), elsewhere.path(), std::filesystem::copy_options::recursive);
    std::string terrain, picture;
    {
        const auto plan = loadPlan(elsewhere / "patrol.anhinga.geojson");
        REQUIRE(plan);
        REQUIRE_FALSE(plan->terrain_files.empty());
        terrain = plan->terrain_files.front();
        if (!plan->imagery_files.empty()) picture = plan->imagery_files.front();
    }
    std::filesystem::create_directory(elsewhere / "moved");
    std::filesystem::rename(elsewhere / terrain, elsewhere / "moved/ground.tif");
    if (!picture.empty()) std::filesystem::remove(elsewhere / picture);
    REQUIRE(d.window.openFile(QString::fromStdString(elsewhere / "patrol.anhinga.geojson")));
    d.settle();
    const auto has = [&](const std::string& rule) {
        const auto found = d.window.plan().findings();
        return std::any_of(found.begin(), found.end(), [&](const Finding& f) { return f.rule == rule; });
    };
    CHECK(has("terrain-missing"));
    CHECK(has("picture-missing") == !picture.empty());
    CHECK(d.window.plan().terrain()->empty());
    d.press("correct terrain-missing");
    QFileDialog* dialog = nullptr;
    REQUIRE(d.until(3000, [&] { return (dialog = d.window.findChild<QFileDialog*>("look for file")) != nullptr; }));
    emit dialog->fileSelected(QString::fromStdString(elsewhere / "moved/ground.tif"));
    dialog->close();
    d.settle();
    CHECK_FALSE(has("terrain-missing"));
    CHECK_FALSE(d.window.plan().terrain()->empty());
    CHECK(d.plan().terrain_files.front() == "moved/ground.tif");
    d.key(Qt::Key_Z, Qt::ControlModifier);
    d.settle();
    CHECK(has("terrain-missing"));
}

TEST_CASE("a plan saved elsewhere keeps its terrain, frozen or not, and undo still finds it", "[ui][files]") {
    Driver d;
    d.openDemo();
    d.window.plan().edit("Rename", [](Plan& p) { p.title = "first"; });
    d.window.plan().edit("Freeze", [](Plan& p) { p.frozen = true; });
    d.settle();
    const auto terrain = d.window.plan().terrain();
    REQUIRE_FALSE(terrain->empty());
    TempDir elsewhere;
    const std::string to = elsewhere / "copy.anhinga.geojson";
    d.window.saveTo(QString::fromStdString(to));
    CHECK_FALSE(d.window.plan().modified());
    CHECK(d.window.plan().path().toStdString() == to);
    CHECK(d.window.plan().terrain()->missing().empty());
    const auto back = loadPlan(to);
    REQUIRE(back);
    for (const std::string& f : back->terrain_files) CHECK(std::filesystem::exists(resolveBeside(to, f)));
    for (const std::string& f : back->imagery_files) CHECK(std::filesystem::exists(resolveBeside(to, f)));
    d.key(Qt::Key_Z, Qt::ControlModifier);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    d.settle();
    CHECK(d.plan().title != "first");
    CHECK(d.window.plan().terrain()->missing().empty());
    CHECK(d.window.plan().terrain()->rasters().size() == terrain->rasters().size());
}

TEST_CASE("a write-protected file is asked about before it is replaced", "[ui][files]") {
    Driver d;
    d.openDemo();
    TempDir dir;
    const std::string to = dir / "guarded.anhinga.geojson";
    d.window.saveTo(QString::fromStdString(to));
    std::filesystem::permissions(to, std::filesystem::perms::owner_read);
    d.window.plan().edit("Rename", [](Plan& p) { p.title = "second"; });
    answerWhenAsked(QMessageBox::Cancel);
    d.window.saveTo(QString::fromStdString(to));
    CHECK(d.window.plan().modified());
    CHECK(loadPlan(to)->title != "second");
    answerWhenAsked(QMessageBox::Save);
    d.window.saveTo(QString::fromStdString(to));
    CHECK_FALSE(d.window.plan().modified());
    CHECK(loadPlan(to)->title == "second");
}

// The logbook page with mouse and keys: import, search, notes, opening, removal; sounds by severity; the day's list.
#include "ui/Driver.h"

#include "app/debrief/SpectrumDialog.h"
#include "app/widgets/Sounds.h"
#include "app/widgets/TrackColours.h"
#include "core/base/Text.h"
#include "core/logio/LogReader.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

void writeLog(const std::string& path, double top_m, double begun_unix_s) {
    FlightLog log;
    log.vehicle = "vehicle 3, multirotor";
    log.start_unix_s = begun_unix_s;
    for (int t = 0; t <= 90; ++t) {
        log.channel("position.lat_deg", "deg").add(t, 47.305 + 2e-5 * t);
        log.channel("position.lon_deg", "deg").add(t, -20.107 + 1e-5 * (t % 30));
        log.channel("position.height_home_m", "m").add(t, top_m * std::sin(M_PI * t / 90));
    }
    log.findSessions({});
    spit(path, writeUlog(log));
}

int rowOf(const QTableWidget* table, const QString& file) {
    for (int r = 0; r < table->rowCount(); ++r)
        if (table->item(r, table->columnCount() - 1)->text() == file) return r;
    return -1;
}

}  // namespace

TEST_CASE("flights are imported, searched, described, opened and removed on the logbook page", "[ui][logbook]") {
    Driver d;
    d.openDemo();
    const std::string folder = d.dir / "logs";
    std::filesystem::create_directories(folder);
    writeLog(folder + "/low.ulg", 12, 1.78e9);
    writeLog(folder + "/high.ulg", 80, 1.781e9);
    spit(folder + "/readme.txt", "no log");
    d.key(Qt::Key_B, Qt::ControlModifier);
    auto* table = d.child<QTableWidget>("logbook table");
    REQUIRE(table->isVisible());
    d.window.logbook().importFolder(QString::fromStdString(folder));
    REQUIRE(d.until(8000, [&] { return rowOf(table, "low.ulg") >= 0 && rowOf(table, "high.ulg") >= 0; }));
    CHECK(d.window.lastMessage().contains("2 flights in 2 files added"));
    CHECK(d.window.lastMessage().contains("1 are no logs"));
    CHECK(rowOf(table, "high.ulg") < rowOf(table, "low.ulg"));  // newest first
    const int high = rowOf(table, "high.ulg");
    CHECK(table->item(high, 4)->text() == "1 min 30 s");
    CHECK(table->item(high, 6)->text() == "80 m");
    CHECK_FALSE(table->item(high, 0)->icon().isNull());
    // By height.
    table->sortItems(6, Qt::AscendingOrder);
    CHECK(rowOf(table, "low.ulg") < rowOf(table, "high.ulg"));
    // Written beside it: kept, and found.
    table->selectRow(rowOf(table, "low.ulg"));
    table->item(rowOf(table, "low.ulg"), 8)->setText("tested the new legs");
    QApplication::processEvents();
    d.child<QLineEdit>("hardware note")->setText("longer legs");
    d.press("add hardware note");
    QApplication::processEvents();
    auto* notes = d.child<QListWidget>("hardware notes");
    REQUIRE(notes->count() >= 1);
    CHECK(notes->item(0)->text().contains("longer legs"));
    CHECK(notes->item(0)->text().contains("vehicle 3, multirotor"));
    auto* search = d.child<QLineEdit>("logbook search");
    QTest::keyClicks(search, "new LEGS");
    REQUIRE(table->rowCount() == 1);
    CHECK(rowOf(table, "low.ulg") == 0);
    CHECK(d.child<QLabel>("logbook count")->text().startsWith("1 of "));
    table->selectRow(0);
    CHECK(d.child<QLabel>("logbook details")->text().contains("SHA-256"));
    CHECK_FALSE(d.child<QPushButton>("logbook plan")->isEnabled());
    d.press("logbook open");
    REQUIRE(d.until(8000, [&] { return d.window.review().path().endsWith("low.ulg"); }));
    CHECK(d.window.workspace() == Workspace::debrief);
    CHECK_FALSE(table->isVisible());
    // Removed: the file stays. A file that has gone is said.
    d.press("open logbook");
    REQUIRE(table->isVisible());
    table->selectRow(0);
    answer(QMessageBox::No);
    d.press("logbook remove");
    CHECK(table->rowCount() == 1);
    answer(QMessageBox::Yes);
    d.press("logbook remove");
    REQUIRE(d.until(2000, [&] { return table->rowCount() == 0; }));
    CHECK(std::filesystem::exists(folder + "/low.ulg"));
    search->clear();
    std::filesystem::remove(folder + "/high.ulg");
    table->selectRow(rowOf(table, "high.ulg"));
    CHECK(d.child<QLabel>("logbook details")->text().contains("no longer there"));
    CHECK_FALSE(d.child<QPushButton>("logbook open")->isEnabled());
    d.window.activateWindow();  // a message box was there
    QApplication::setActiveWindow(&d.window);
    table->setFocus();
    QTest::keyClick(table, Qt::Key_Escape);
    CHECK_FALSE(table->isVisible());
}

TEST_CASE("a logbook that cannot be opened is said, and nothing else is lost", "[ui][logbook][hostile]") {
    Driver d;
    d.openDemo();
    d.window.logbook().setFile(QString::fromStdString(d.dir.path()));
    d.key(Qt::Key_B, Qt::ControlModifier);
    CHECK(d.child<QLabel>("logbook details")->text().contains("cannot be opened"));
    d.window.logbook().importFolder(QString::fromStdString(d.dir.path()));
    CHECK(d.window.lastMessage().contains("cannot be opened"));
    QTest::keyClick(d.child<QTableWidget>("logbook table"), Qt::Key_Escape);
    CHECK(d.window.openFile(QString::fromStdString(demo("patrol-flight.tlog"))));
    REQUIRE(d.until(8000, [&] { return d.window.review().log() != nullptr; }));
}

TEST_CASE("each severity has a sound of its own, and the choice is kept", "[ui][sound]") {
    Driver::NoSettings none;
    std::set<QByteArray> files;
    for (const Sound s : {Sound::note, Sound::warning, Sound::danger}) {
        const QByteArray wav = soundFile(s);
        REQUIRE(wav.startsWith("RIFF"));
        CHECK(wav.mid(8, 8) == "WAVEfmt ");
        const auto data = static_cast<int>(wav.size()) - 44;
        CHECK(qFromLittleEndian<quint32>(wav.constData() + 40) == static_cast<quint32>(data));
        CHECK(data / 88200.0 > 0.1);
        CHECK(data / 88200.0 < 1.2);
        files.insert(wav);
    }
    CHECK(files.size() == 3);
    Sounds sounds;
    sounds.play(Sound::danger);
    sounds.play(Sound::danger);  // at most one a second
    sounds.play(Sound::note);
    CHECK(sounds.played(Sound::danger) == 1);
    CHECK(sounds.played(Sound::note) == 1);
    Sounds::setChoice(Sounds::Choice::warnings);
    Sounds quieter;
    quieter.play(Sound::note);
    quieter.play(Sound::warning);
    CHECK(quieter.played(Sound::note) == 0);
    CHECK(quieter.played(Sound::warning) == 1);
    Sounds::setChoice(Sounds::Choice::none);
    Sounds silent;
    silent.play(Sound::danger);
    CHECK(silent.played(Sound::danger) == 0);
    CHECK(Sounds::choice() == Sounds::Choice::none);
}

TEST_CASE("a mode has one colour everywhere, and a track as many classes as modes", "[ui][map]") {
    for (const Theme& theme : {Theme::light(), Theme::dark()}) {
        std::set<QRgb> colours;
        for (const char* mode :
             {"mission", "return", "hold", "land", "led from the ground", "take off", "manual", "height hold"})
            colours.insert(modeColour(mode, theme).rgb());
        CHECK(colours.size() == 8);
        CHECK(modeColour("cruise", theme) == modeColour("cruise", theme));
    }
    const TrackColours c = coloursByMode({"mission", "mission", "hold", "mission", "return", "return"}, Theme::light());
    REQUIRE(c.classes.size() == 3);
    CHECK(c.of == std::vector<std::uint8_t>{0, 0, 1, 0, 2, 2});
    CHECK(c.at(2, Qt::red) == modeColour("hold", Theme::light()));
    CHECK(c.at(99, Qt::red) == QColor(Qt::red));
    CHECK(TrackColours{}.at(0, Qt::red) == QColor(Qt::red));
    std::vector<QString> many;
    for (int i = 0; i < 400; ++i) many.push_back(QString("mode %1").arg(i));
    CHECK(coloursByMode(many, Theme::light()).classes.size() == 250);
}

TEST_CASE("the columns of a table are said once and remembered", "[ui][debrief][table]") {
    Driver d;
    d.openDemo();
    std::string text = "ms;Breite;Laenge;Hoehe\n";
    for (int i = 0; i < 60; ++i)
        text += fmt::format("{};{:.6f};-20.1068;{:.1f}\n", i * 200, 47.305 + i * 1e-5, i * 0.5);
    spit(d.dir / "radio.csv", text);
    const QString path = QString::fromStdString(d.dir / "radio.csv");
    const auto choose = [](QDialog* dialog, int row, const char* what) {
        auto* table = dialog->findChild<QTableWidget*>("table columns");
        auto* box = qobject_cast<QComboBox*>(table->cellWidget(row, 2));
        REQUIRE(box != nullptr);
        box->setCurrentText(what);
        REQUIRE(box->currentText() == what);
        emit box->activated(box->currentIndex());
        QApplication::processEvents();
    };
    bool asked = false;
    QTimer::singleShot(300, [&] {
        auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
        if (dialog == nullptr || dialog->objectName() != "table dialog") return;
        asked = true;
        auto* open = dialog->findChild<QPushButton*>("table open");
        CHECK_FALSE(open->isEnabled());
        CHECK(dialog->findChild<QLabel*>("table summary")->text().contains("without it nothing can be opened"));
        choose(dialog, 0, "time");
        choose(dialog, 1, "latitude");
        choose(dialog, 2, "longitude");
        choose(dialog, 3, "height above home");
        auto* table = dialog->findChild<QTableWidget*>("table columns");
        table->item(0, 3)->setText("ms");
        table->item(3, 3)->setText("ft");
        QApplication::processEvents();
        CHECK(dialog->findChild<QLabel*>("table summary")->text().contains("Time, place and height are known"));
        QTest::mouseClick(open, Qt::LeftButton);
    });
    d.window.openFile(path);
    CHECK(asked);
    REQUIRE(d.until(5000, [&] { return d.window.review().log() != nullptr; }));
    const LogPtr log = d.window.review().log();
    CHECK(log->format == "table");
    CHECK(log->find("position.height_home_m")->value.back() == Approx(29.5 * 0.3048));
    CHECK(log->duration_s() == Approx(11.8));
    CHECK(d.child<QPushButton>("table columns button")->isVisible());
    // Another one with the same header opens without a question; what was said can be changed.
    spit(d.dir / "second.csv", text);
    d.window.openFile(QString::fromStdString(d.dir / "second.csv"));
    REQUIRE(d.until(5000, [&] { return d.window.review().path().endsWith("second.csv"); }));
    CHECK(d.window.review().log()->has("position.lat_deg"));
    QTimer::singleShot(300, [&] {
        if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) {
            choose(dialog, 3, "kept as it is");
            CHECK(dialog->findChild<QLabel*>("table summary")->text().contains("a height: the flight will have none"));
            QTest::mouseClick(dialog->findChild<QPushButton*>("table open"), Qt::LeftButton);
        }
    });
    d.press("table columns button");
    REQUIRE(d.until(5000, [&] { return !d.window.review().log()->has("position.height_home_m"); }));
}

TEST_CASE("a resonance is named by its frequency, and what the samples cannot show is said",
          "[ui][debrief][spectrum]") {
    Driver d;
    d.openDemo();
    FlightLog log;
    for (int i = 0; i < 20000; ++i) {
        const double t = i / 500.0;
        log.channel("imu.gyro_x_dps", "deg/s").add(t, 2 * std::sin(2 * M_PI * 86.4 * t) + 0.3 * std::sin(i * i * 0.37));
        if (i % 50 == 0) log.channel("throttle.percent", "%").add(t, 40 + 10 * std::sin(t));
        if (i % 500 == 0) log.channel("battery.voltage_v", "V").add(t, 16);
    }
    spit(d.dir / "shaking.ulg", writeUlog(log));
    d.key(Qt::Key_U, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(d.window.lastMessage().contains("Open a log first"));
    d.window.openFile(QString::fromStdString(d.dir / "shaking.ulg"));
    REQUIRE(d.until(5000, [&] { return d.window.review().log() != nullptr; }));
    d.press("spectrum");
    auto* dialog = d.window.findChild<SpectrumDialog*>();
    REQUIRE(dialog != nullptr);
    auto* channel = dialog->findChild<QComboBox*>("spectrum channel");
    CHECK(channel->findText("imu.gyro_x_dps") >= 0);
    CHECK(channel->findText("battery.voltage_v") < 0);
    channel->setCurrentText("imu.gyro_x_dps");
    emit channel->activated(channel->currentIndex());
    REQUIRE_FALSE(dialog->peaks().empty());
    CHECK(dialog->peaks()[0].hz == Approx(86.4).margin(0.5));
    CHECK(dialog->findChild<QLabel*>("spectrum peaks")->text().contains("86.4 Hz"));
    CHECK(dialog->evidence().contains("nothing above 250 Hz can be seen"));
    auto* view = dialog->findChild<QComboBox*>("spectrum view");
    for (const int v : {1, 2}) {
        view->setCurrentIndex(v);
        emit view->activated(v);
        CHECK(dialog->peaks().empty());
        CHECK(dialog->findChild<QLabel*>("spectrum peaks")->text().contains("Darkest"));
    }
    auto* segment = dialog->findChild<QComboBox*>("spectrum segment");
    view->setCurrentIndex(0);
    segment->setCurrentIndex(0);
    emit segment->activated(0);
    CHECK(dialog->evidence().contains("Lines every 3.91 Hz"));
    // A log without anything fast says so.
    writeLog(d.dir / "slow.ulg", 20, 1.78e9);
    d.window.openFile(QString::fromStdString(d.dir / "slow.ulg"));
    REQUIRE(d.until(5000, [&] { return d.window.review().path().endsWith("slow.ulg"); }));
    d.press("spectrum");
    CHECK(dialog->evidence().contains("no spectrum to look at"));
}

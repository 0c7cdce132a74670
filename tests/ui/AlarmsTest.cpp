// Alarms as they are seen: pictures of the window are looked at, not only what its widgets hold.
#include "app/field/StateStrip.h"
#include "core/mavlink/Frame.h"
#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// How many pixels of a picture are not of its most common colour: what is written there.
int ink(const QImage& picture) {
    std::map<QRgb, int> colours;
    for (int y = 0; y < picture.height(); ++y)
        for (int x = 0; x < picture.width(); ++x) ++colours[picture.pixel(x, y)];
    int most = 0, all = 0;
    for (const auto& [colour, n] : colours) {
        most = std::max(most, n);
        all += n;
    }
    return all - most;
}

/// Of what a label should show, drawn by itself with all the room it wants; and of where it stands in the window.
std::pair<int, int> inkOf(MainWindow& window, QLabel& label) {
    const double scale = window.devicePixelRatioF();
    const QImage whole = window.grab().toImage();
    const QRect at(label.mapTo(&window, QPoint()), label.size());
    const QImage seen =
        whole.copy(QRect((QPointF(at.topLeft()) * scale).toPoint(), (QSizeF(at.size()) * scale).toSize()));
    QLabel alone(label.text());
    alone.setFont(label.font());
    alone.setTextFormat(label.textFormat());
    alone.setWordWrap(label.wordWrap());
    alone.setPalette(label.palette());
    QPalette p = alone.palette();
    const QColor paper = seen.pixelColor(0, 0);
    p.setColor(QPalette::Window, paper);
    p.setColor(QPalette::WindowText, label.palette().color(QPalette::WindowText));
    alone.setPalette(p);
    alone.setAutoFillBackground(true);
    alone.setContentsMargins(label.contentsMargins());
    const int wide = label.width();
    alone.resize(wide,
                 std::max(label.height(), label.wordWrap() ? label.heightForWidth(wide) : label.sizeHint().height()));
    return {ink(alone.grab().toImage()), ink(seen)};
}

}  // namespace

TEST_CASE("four alarms and the state above them can be read at 1280 by 800, and each can be acknowledged",
          "[ui][field][alarm]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F3);
    const int port = d.world->net.freePort();
    d.child<QComboBox>("address")->setCurrentText(QString("udp-listen:%1").arg(port));
    d.press("connect");
    auto talker = d.world->world().open({LinkKind::udp, "127.0.0.1", port}, [](auto, auto) {}, {});
    REQUIRE(talker);
    const auto say = [&](mavlink::Message m) {
        m.system = m.component = 1;
        (*talker)->send(mavlink::encode(m));
    };
    const auto beat = [&] {
        say(mavlink::Message("HEARTBEAT").set("type", 2).set("autopilot", 3).set("base_mode", 128 + 1));
        say(mavlink::Message("SYS_STATUS")
                .set("voltage_battery", 14800)
                .set("current_battery", 1200)
                .set("battery_remaining", 63));
        say(mavlink::Message("GPS_RAW_INT").set("fix_type", 3).set("satellites_visible", 14).set("eph", 70));
    };
    const auto strip = d.window.findChild<StateStrip*>();
    REQUIRE(strip != nullptr);
    REQUIRE(d.until(8000, [&] {
        beat();
        return d.window.link().vehicle().heard;
    }));
    // Six of them, each in pieces of fifty characters; the third is written as if it were a page.
    const QStringList texts{
        "motor 3 turns slower than it is told and the others make up for it; land soon, the margin is small",
        "estimated position is not to be trusted: the compass and the course over ground differ by 40 degrees",
        "<b>battery</b> <br>cell 2 is far below the others",
        "the first parachute check has failed",
        "heading and wind do not agree: what is flown is not what was asked for, and the speed over ground is low",
        "logging has stopped, since the card is full or was taken out while it was written to"};
    for (int i = 0; i < texts.size(); ++i) {
        const std::string text = texts[i].toStdString();
        for (std::size_t at = 0, piece = 0; at < text.size(); at += 50, ++piece)
            say(mavlink::Message("STATUSTEXT")
                    .set("severity", 1)
                    .set("id", i + 1)
                    .set("chunk_seq", static_cast<double>(piece))
                    .setText("text", text.substr(at, 50)));
        REQUIRE(d.until(4000, [&] {
            beat();
            return static_cast<int>(d.window.field().alarms().size()) > i;
        }));
    }
    REQUIRE(d.until(4000, [&] {
        beat();
        return strip->shownAlarms().size() == 4;
    }));
    d.still();
    const int all = static_cast<int>(d.window.field().alarms().size());
    REQUIRE(all >= 6);
    // The newest of the worst stands first.
    CHECK(strip->shownAlarms().first().contains("logging has stopped"));
    const auto labels = strip->findChildren<QLabel*>("alarm text");
    const auto seen = strip->findChildren<QPushButton*>("alarm seen");
    REQUIRE(labels.size() == 4);
    REQUIRE(seen.size() == 4);
    if (const char* to = std::getenv("SHOT")) d.window.grab().save(to);
    const QRect window(QPoint(), d.window.size());
    for (int i = 0; i < labels.size(); ++i) {
        QLabel& label = *labels[i];
        INFO(label.text().toStdString() << " at " << label.width() << " x " << label.height());
        CHECK(label.height() >= label.heightForWidth(label.width()));
        const auto [wanted, shown] = inkOf(d.window, label);
        CHECK(wanted > 200);
        CHECK(shown == Approx(wanted).epsilon(0.04));
        CHECK(window.contains(QRect(label.mapTo(&d.window, QPoint()), label.size())));
        // In reach: the button is what lies under the pointer at its middle.
        const QPoint middle = seen[i]->mapTo(&d.window, seen[i]->rect().center());
        CHECK(d.window.childAt(middle) == seen[i]);
    }
    // Written as it came, not as a page.
    const auto page = std::find_if(labels.begin(), labels.end(),
                                   [](const QLabel* l) { return l->text().contains("<b>battery</b>"); });
    REQUIRE(page != labels.end());
    CHECK((*page)->textFormat() == Qt::PlainText);
    for (const char* name : {"state battery", "state GPS", "state link", "state aircraft"}) {
        auto* figure = d.child<QLabel>(name);
        INFO(name << ": " << figure->text().toStdString());
        const auto [wanted, shown] = inkOf(d.window, *figure);
        CHECK(shown == Approx(wanted).epsilon(0.06).margin(6));
    }
    // All of them, one press away.
    auto* more = d.child<QPushButton>("all alarms");
    CHECK(more->isVisible());
    CHECK(more->text().startsWith(QString("%1 more").arg(all - 4)));
    QTest::mouseClick(more, Qt::LeftButton);
    auto* list = strip->findChild<QListWidget*>("alarm list");
    REQUIRE(list != nullptr);
    CHECK(list->count() == all);
    list->window()->close();
    // Acknowledged one by one: the next comes up.
    QTest::mouseClick(seen[0], Qt::LeftButton);
    REQUIRE(d.until(2000, [&] { return !strip->shownAlarms().first().contains("logging has stopped"); }));
    CHECK(strip->shownAlarms().size() == 4);
}

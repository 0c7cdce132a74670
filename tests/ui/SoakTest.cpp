// Hours in the field without a pause: what the window takes of the machine's memory stays as it was.
#include <malloc.h>

#include "standin/LinkProxy.h"
#include "ui/FieldDay.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// What of this process lies in memory, what was freed given back first; megabytes.
double residentMb() {
    ::malloc_trim(0);
    std::ifstream in("/proc/self/statm");
    long all = 0, resident = 0;
    in >> all >> resident;
    return static_cast<double>(resident) * static_cast<double>(::sysconf(_SC_PAGESIZE)) / 1e6;
}

}  // namespace

TEST_CASE("two hours in the field with a link that is cut every minute leave the memory as it was", "[.][ui][soak]") {
    constexpr double kHours = 2, kFrom_min = 10;
    Driver d;
    d.openDemo();
    d.window.plan().edit("round and round", [](Plan& p) {
        p.vehicle.battery_wh = 100000;
        for (Item& i : p.items)
            if (i.kind == ItemKind::waypoint) {
                p.items.resize(static_cast<std::size_t>(&i - p.items.data()) + 4);
                break;
            }
        p.items.back().actions = {Repeat{p.items[1].id, -1, Leave::byOrder}};
    });
    d.settle();
    StandInOptions options;
    options.home = d.plan().home->position;
    options.home_amsl_m = 45;
    options.vehicle.battery_wh = 100000;
    options.lost_link = SafetyAction::carryOn;
    const int port = d.world->net.freePort(), vehicle_port = d.world->net.freePort();
    auto proxy = LinkProxy::open(vehicle_port, port, {}, d.world->world());
    REQUIRE(proxy);
    auto standin = LinkedStandIn::open({LinkKind::udp, "127.0.0.1", vehicle_port}, options, {}, d.world->world());
    REQUIRE(standin);
    const auto aircraft = d.connect(std::move(*standin), port);
    LinkSession& link = d.window.link();
    const auto tell = [&](LinkSession::Command command) {
        const auto before = link.commands().size();
        link.command("soak", std::move(command));
        REQUIRE(d.until(9000, [&] {
            return link.commands().size() > before && link.commands().back().state != CommandNote::sent;
        }));
        INFO(link.commands().back().reason.toStdString());
        REQUIRE(link.commands().back().state == CommandNote::accepted);
    };
    REQUIRE(d.until(8000, [&] { return d.child<QPushButton>("hand over")->isEnabled(); }));
    d.press("hand over");
    REQUIRE(d.until(20000, [&] { return !link.busy() && link.seal() == LinkSession::Seal::sealed; }));
    tell([](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); });
    tell([](VehicleLink& l, std::stop_token s) { return commandStart(l, std::move(s)); });
    const double begun_s = d.world->clock.now_s();
    double first_mb = 0, most_mb = 0;
    // Painted as a window is where time passes so quickly: by the real clock.
    constexpr int kPaintEvery_ms = 200;
    QElapsedTimer painted;
    painted.start();
    const auto paint = [&] {
        if (painted.elapsed() < kPaintEvery_ms) return;
        d.window.setUpdatesEnabled(true);
        d.window.repaint();
        d.window.setUpdatesEnabled(false);
        painted.start();
    };
    int cuts = 0;
    for (int minute = 1; minute <= kHours * 60; ++minute) {
        const auto pass = [&](double until_s) {
            REQUIRE(d.until(60000, [&] {
                paint();
                return d.world->clock.now_s() - begun_s >= until_s;
            }));
        };
        pass(minute * 60 - 20);
        (*proxy)->cut(true, true);
        pass(minute * 60 - 12);
        (*proxy)->cut(false, false);
        pass(minute * 60);
        ++cuts;
        REQUIRE(link.vehicle().armed);
        REQUIRE(link.vehicle().heartbeat_age_s < 3);
        if (minute % 10 == 0) {
            link.mark("still at it");
            const double mb = residentMb();
            std::printf("minute %d: %.1f MB, %.2f MB in use\n", minute, mb,
                        static_cast<double>(::mallinfo2().uordblks + ::mallinfo2().hblkhd) / 1e6);
            std::fflush(stdout);
            if (minute == kFrom_min) first_mb = mb;
            if (minute > kFrom_min) most_mb = std::max(most_mb, mb);
        }
    }
    d.window.setUpdatesEnabled(true);
    CHECK(cuts == kHours * 60);
    CHECK(most_mb < first_mb + 5);
}

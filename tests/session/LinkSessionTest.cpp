#include <catch2/catch.hpp>

#include <QDir>
#include <QSignalSpy>

#include "Planned.h"
#include "session/LinkSession.h"
#include "session/Until.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

ToSend sample(int n = 4) {
    return toSend(rowPlan(n));
}

/// A stand-in and a session connected to it.
struct LinkRig {
    explicit LinkRig(const std::string& fault = {}) {
        const int port = world.net.freePort();
        standin = world.standin(port, standInAt({47.31, -20.12}, 0, 1, fault));
        session.setRecordFolder(QString::fromStdString(dir / "recordings"));
        REQUIRE(session.connectTo(QString("udp-listen:%1").arg(port)));
        REQUIRE(until(8000, [&] { return session.vehicle().heard; }));
    }
    TempDir dir;
    PlayedWorld world;
    std::unique_ptr<LinkedStandIn> standin;
    LinkSession session{world.world()};
};

}  // namespace

TEST_CASE("a connection that fails changes nothing", "[session][link]") {
    LinkSession s;
    CHECK_FALSE(s.connectTo("nonsense"));
    CHECK_FALSE(s.connected());
    CHECK_FALSE(s.connectTo("udp-listen:99999"));
    s.disconnectLink();
    s.handOver(sample());  // no link: nothing happens
    CHECK_FALSE(s.busy());
    CHECK(s.seal() == LinkSession::Seal::none);
    s.command("Arm", [](VehicleLink&, std::stop_token) { return Result<void>(); });
    CHECK(s.commands().empty());
}

TEST_CASE("a hand-over seals, reports progress and keeps the fingerprint", "[session][link]") {
    LinkRig rig;
    const ToSend s = sample();
    QSignalSpy states(&rig.session, &LinkSession::stateChanged);
    rig.session.handOver(s);
    CHECK(rig.session.busy());
    rig.session.handOver(s);  // a second press while busy does nothing
    REQUIRE(until(10000, [&] { return !rig.session.busy(); }));
    CHECK(rig.session.seal() == LinkSession::Seal::sealed);
    CHECK(rig.session.sealFingerprint() == planFingerprint(s));
    CHECK(rig.session.progress() == Approx(1));
    CHECK(states.count() >= 3);  // begun, progress, ended
    CHECK(rig.session.sealTime().secsTo(QDateTime::currentDateTime()) < 20);
    CHECK(QDir(QString::fromStdString(rig.dir / "recordings")).entryList(QDir::Files).size() == 1);
}

TEST_CASE("differences are kept for the window and no seal is given", "[session][link][fault]") {
    LinkRig rig("alter-item");
    const ToSend s = sample();
    rig.session.handOver(s);
    REQUIRE(until(10000, [&] { return !rig.session.busy(); }));
    CHECK(rig.session.seal() == LinkSession::Seal::differs);
    REQUIRE(rig.session.differences().size() == 1);
    CHECK(rig.session.differences()[0].seq == 2);
}

TEST_CASE("a silent vehicle ends the hand-over with the reason", "[session][link][fault]") {
    LinkRig rig("silent-transfer");
    const ToSend s = sample();
    rig.session.handOver(s);
    REQUIRE(until(12000, [&] { return !rig.session.busy(); }));
    CHECK(rig.session.seal() == LinkSession::Seal::failed);
    CHECK(rig.session.sealText().contains("not answered"));
}

TEST_CASE("a hand-over is cancelled at once", "[session][link]") {
    LinkRig rig("silent-transfer");
    const ToSend s = sample();
    rig.session.handOver(s);
    QTest::qWait(200);
    rig.session.cancel();
    CHECK(until(1500, [&] { return !rig.session.busy(); }));
    CHECK(rig.session.seal() == LinkSession::Seal::failed);
}

TEST_CASE("commands are noted as sent, then accepted or refused with the reason", "[session][link][command]") {
    LinkRig rig;
    rig.session.command("Start", [](VehicleLink& l, std::stop_token s) { return commandStart(l, std::move(s)); });
    REQUIRE(rig.session.commands().size() == 1);
    CHECK(rig.session.commands()[0].state == CommandNote::sent);
    rig.session.command("Arm", [](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); });
    // One after the other; that the second was not sent is said.
    REQUIRE(rig.session.commands().size() == 2);
    CHECK(rig.session.commands()[1].state == CommandNote::refused);
    CHECK(rig.session.commands()[1].reason == "Arm: not sent, still waiting for the answer to Start");
    REQUIRE(until(6000, [&] { return rig.session.commands()[0].state == CommandNote::refused; }));
    CHECK(rig.session.commands()[0].reason.contains("not armed"));
    rig.session.command("Arm", [](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); });
    REQUIRE(until(6000, [&] { return rig.session.commands()[2].state == CommandNote::accepted; }));
    CHECK(until(3000, [&] { return rig.session.vehicle().armed; }));
}

TEST_CASE("what the aircraft holds is fetched", "[session][link]") {
    LinkRig rig;
    const ToSend s = sample(5);
    rig.session.handOver(s);
    REQUIRE(until(10000, [&] { return !rig.session.busy(); }));
    std::size_t items = 0;
    QObject::connect(&rig.session, &LinkSession::fetched, &rig.session,
                     [&](const HeldPlan& held) { items = held.route(); });
    rig.session.fetch();
    REQUIRE(until(10000, [&] { return items > 0; }));
    CHECK(items == s.program.entries());
}

TEST_CASE("a vehicle that goes away is seen, and connecting again works", "[session][link]") {
    LinkRig rig;
    rig.standin.reset();
    CHECK(until(8000, [&] { return rig.session.vehicle().heartbeat_age_s > 2; }));
    rig.session.disconnectLink();
    CHECK_FALSE(rig.session.connected());
    CHECK(rig.session.connectTo(QString("udp-listen:%1").arg(rig.world.net.freePort())));
    CHECK_FALSE(rig.session.vehicle().heard);
}

// A plan, an aircraft on a played link, and the day in the field between them.
#pragma once

#include <catch2/catch.hpp>

#include "session/FieldSession.h"
#include "session/Until.h"
#include "support.h"

namespace anhinga::testing {

struct Rig {
    TempDir dir;
    PlayedWorld world;
    PlanSession plan;
    LinkSession link{world.world()};
    FieldSession field{&plan, &link};
    std::unique_ptr<LinkedStandIn> standin;
    explicit Rig(const StandInOptions& options = standInAt({47.31, -20.12}, 0), int points = 8) {
        plan.replace("row", rowPlan(points));
        REQUIRE(plan.waitUntilDerived(5000));
        link.setRecordFolder(QString::fromStdString(dir / "recordings"));
        link.setCopyFolder(QString::fromStdString(dir / "copies"));
        const int port = world.net.freePort();
        standin = world.standin(port, options);
        REQUIRE(link.connectTo(QString("udp-listen:%1").arg(port)));
        REQUIRE(until(8000, [&] { return link.vehicle().heard; }));
    }
    void handOver(bool batches = false) {
        REQUIRE(field.handOver(batches));
        REQUIRE(until(12000, [&] { return !link.busy() && link.seal() == LinkSession::Seal::sealed; }));
    }
    bool command(LinkSession::Command c) {
        const auto before = link.commands().size();
        link.command("test", std::move(c));
        return until(8000,
                     [&] {
                         return link.commands().size() > before && link.commands().back().state != CommandNote::sent;
                     }) &&
               link.commands().back().state == CommandNote::accepted;
    }
    void start() {
        REQUIRE(command([](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); }));
        REQUIRE(command([](VehicleLink& l, std::stop_token s) { return commandStart(l, std::move(s)); }));
    }
};

}  // namespace anhinga::testing

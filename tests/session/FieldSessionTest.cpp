// The day in the field without a window: seal and what breaks it, checklist, frozen items, alarms into the recording.
#include <catch2/catch.hpp>

#include <QSignalSpy>

#include "core/logio/LogReader.h"
#include "core/plan/ChecklistTemplates.h"
#include "core/plan/PlanFile.h"
#include "session/FieldRig.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("a seal is noted in the plan, holds over paper edits and not over others", "[session][field]") {
    Rig r;
    CHECK(r.field.sealLine() == "kept here, not sent");
    CHECK_FALSE(r.field.sealHolds());
    r.handOver();
    CHECK(r.field.sealHolds());
    CHECK(r.field.sealLine().startsWith("sealed "));
    REQUIRE(r.field.notedSeal() != nullptr);
    CHECK(r.field.notedSeal()->vehicle == 1);
    CHECK_FALSE(r.field.notedSeal()->stored);
    CHECK(r.field.notedSealFits());
    const double sealed_at = r.field.notedSeal()->time_unix_s;
    // A tick is paper: nothing is worked out anew.
    r.plan.edit("checklist", [](Plan& p) { addChecklist(p, checklistTemplates()[1]); });
    r.field.tick(r.plan.plan()->checklist[0].id, true);
    CHECK(r.field.sealHolds());
    // The same once more: read back, and the time it was sealed stays.
    r.handOver();
    CHECK(r.field.notedSeal()->time_unix_s == sealed_at);
    CHECK(r.plan.plan()->seals.size() == 1);

    r.plan.edit("lift", [](Plan& p) { p.items[3].height = Height::aboveHome(77); });
    REQUIRE(r.plan.waitUntilDerived(5000));
    CHECK_FALSE(r.field.sealHolds());
    CHECK(r.field.sealLine() == "changed since sealed");
    CHECK_FALSE(r.field.notedSealFits());
    // Asked without sending: it differs, in that item.
    r.field.check();
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.seal() == LinkSession::Seal::differs);
    REQUIRE(r.link.differences().size() == 1);
    CHECK(r.link.differences()[0].field == "z");
    r.plan.undo();
    REQUIRE(r.plan.waitUntilDerived(5000));
    r.field.check();
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.field.sealHolds());
}

TEST_CASE("storing for power-off is asked for by itself, and its answer is kept", "[session][field][storage]") {
    Rig r;
    r.link.storeForPowerOff();  // nothing is aboard
    CHECK_FALSE(r.link.busy());
    r.handOver();
    CHECK_FALSE(r.link.sealStored());
    r.link.storeForPowerOff();
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.sealStored());
    CHECK(r.field.notedSeal()->stored);
    r.plan.undo();
    REQUIRE(r.plan.plan()->items.empty());
    r.plan.redo();
    REQUIRE(r.field.notedSeal() != nullptr);
    CHECK(r.field.notedSeal()->stored);
    // Sent anew it is not stored any more, and who does not answer has not stored it.
    REQUIRE(r.plan.edit("lift", [](Plan& p) { p.items[3].height = Height::aboveHome(77); }));
    REQUIRE(r.plan.waitUntilDerived(5000));
    r.handOver();
    CHECK_FALSE(r.link.sealStored());
    CHECK_FALSE(r.field.notedSeal()->stored);
    r.standin.reset();
    r.link.storeForPowerOff();
    REQUIRE(until(20000, [&] { return !r.link.busy(); }));
    CHECK_FALSE(r.link.sealStored());
    CHECK_FALSE(r.link.storeAnswer().isEmpty());
    CHECK_FALSE(r.field.notedSeal()->stored);
}

TEST_CASE("what is watched is what was sealed, not what has become of the plan on screen", "[session][field][watch]") {
    Rig r(standInAt({47.31, -20.12}, 0, 5), 20);
    CHECK(r.field.sealedFlight() == nullptr);
    r.handOver();
    REQUIRE(r.field.sealedFlight() != nullptr);
    const auto rehearsal = r.field.sealedFlight()->rehearsal;
    REQUIRE(rehearsal);
    r.start();
    REQUIRE(until(20000, [&] { return r.field.progress() && r.link.vehicle().mission_item.value_or(0) >= 3; }));
    const double left_before_s = r.field.progress()->left_s;
    // Half of the plan is deleted on screen; the aircraft flies on as it was.
    const std::size_t entries = r.field.sealedFlight()->program.entries();
    REQUIRE(r.plan.edit("cut off", [](Plan& p) { p.items.erase(p.items.begin() + 12, p.items.end() - 1); }));
    REQUIRE(r.plan.waitUntilDerived(5000));
    REQUIRE(until(2000, [&] { return r.field.changeWaits(); }));
    REQUIRE(r.field.sealedFlight() != nullptr);
    CHECK(r.field.sealedFlight()->program.entries() == entries);
    CHECK(r.field.sealedFlight()->rehearsal == rehearsal);
    REQUIRE(r.field.progress());
    CHECK(r.field.progress()->left_s > 0.6 * left_before_s);
    // A change far ahead can wait for a while, and that while is said.
    const auto left = r.field.changeTime_s();
    REQUIRE(left);
    CHECK(*left > 5);
    CHECK(*left < r.field.progress()->left_s);
    CHECK_FALSE(r.field.changeTooLate());
    r.field.takeChangeBack();
    REQUIRE(r.plan.waitUntilDerived(5000));
    CHECK(r.plan.plan()->items.size() == 22);
    CHECK(r.field.sealHolds());
    CHECK_FALSE(r.field.changeWaits());
}

TEST_CASE("a connection anew in flight goes on watching, by the record in the plan, and shows no seal",
          "[session][field][watch]") {
    Rig r(standInAt({47.31, -20.12}, 0, 5), 20);
    r.handOver();
    r.start();
    REQUIRE(until(20000, [&] { return r.link.vehicle().mission_item.value_or(0) >= 3 && r.field.progress(); }));
    const QString address = r.link.address();
    r.link.disconnectLink();
    REQUIRE(until(1000, [&] { return r.field.sealedFlight() == nullptr; }));
    REQUIRE(r.link.connectTo(address));
    REQUIRE(until(8000, [&] { return r.link.vehicle().heard && r.field.progress().has_value(); }));
    CHECK(r.link.seal() == LinkSession::Seal::none);
    CHECK_FALSE(r.field.sealHolds());
    CHECK(r.field.progress()->left_s > 10);
    // Another plan on screen is not what flies, and says nothing about it.
    REQUIRE(r.plan.replace("other", rowPlan(3)));
    REQUIRE(r.plan.waitUntilDerived(5000));
    REQUIRE(r.field.sealedFlight() != nullptr);
    CHECK(r.field.sealedFlight()->plan->items.size() == 22);
    r.link.disconnectLink();
    REQUIRE(r.link.connectTo(address));
    REQUIRE(until(8000, [&] { return r.link.vehicle().heard && r.link.vehicle().mission_item; }));
    CHECK_FALSE(until(2000, [&] { return r.field.progress().has_value(); }));
    CHECK(r.field.sealedFlight() == nullptr);
}

TEST_CASE("a change that came too late says of which item, and can be taken back", "[session][field][watch]") {
    Rig r(standInAt({47.31, -20.12}, 0, 5), 20);
    r.handOver();
    r.start();
    REQUIRE(until(20000, [&] { return r.link.vehicle().mission_item.value_or(0) >= 3; }));
    const ItemId near = r.plan.plan()->items[6].id;
    REQUIRE(r.plan.edit("lift", [&](Plan& p) { p.find(near)->height = Height::aboveHome(90); }));
    REQUIRE(r.plan.waitUntilDerived(5000));
    REQUIRE(until(60000, [&] { return r.field.changeTooLate(); }));
    const auto sent = r.field.handOver(false);
    REQUIRE_FALSE(sent);
    CHECK(sent.error().message.find(itemText(*r.plan.plan(), near)) != std::string::npos);
    CHECK(sent.error().message.find("mission item") == std::string::npos);
    CHECK_FALSE(r.field.changeTime_s().value_or(0) > 0);
    // Frozen by now, and yet it comes back.
    r.field.takeChangeBack();
    REQUIRE(r.plan.waitUntilDerived(5000));
    CHECK(r.field.sealHolds());
    CHECK_FALSE(r.field.changeTooLate());
}

TEST_CASE("a flown mark is of what was sealed, though the plan on screen is another by then",
          "[session][field][seal]") {
    Rig r(standInAt({47.31, -20.12}, 0, 30), 3);
    r.handOver();
    QSignalSpy landed(&r.field, &FieldSession::hasLanded);
    r.start();
    REQUIRE(until(20000, [&] { return r.link.vehicle().mission_item.value_or(0) >= 2; }));
    REQUIRE(r.plan.edit("longer", [](Plan& p) {
        Item w = p.items[3];
        w.id = p.newId();
        w.position = destination(w.position, 90, 500);
        p.items.insert(p.items.end() - 1, w);
    }));
    REQUIRE(until(90000, [&] { return landed.count() == 1; }));
    REQUIRE(r.field.notedSeal() != nullptr);
    CHECK(r.field.notedSeal()->flown_unix_s > 0);
    r.plan.undo();
    CHECK(r.field.notedSeal()->flown_unix_s > 0);
}

TEST_CASE("only the difference is sent when what the aircraft holds is known", "[session][field]") {
    Rig r(standInAt({47.31, -20.12}, 0), 40);
    QSignalSpy sealed(&r.link, &LinkSession::sealed);
    r.handOver();
    REQUIRE(sealed.count() == 1);
    CHECK(sealed[0][0].value<HandOver>().sent == r.plan.flownView().program.entries());
    r.plan.edit("lift", [](Plan& p) { p.items[20].height = Height::aboveHome(66); });
    REQUIRE(r.plan.waitUntilDerived(5000));
    r.handOver();
    REQUIRE(sealed.count() == 2);
    CHECK(sealed[1][0].value<HandOver>().sent == 1);
    CHECK(sealed[1][0].value<HandOver>().verified);
}

TEST_CASE("what an aircraft held is kept before it is overwritten", "[session][field]") {
    Rig r;
    r.handOver();
    CHECK(r.link.copyPath().isEmpty());  // it held nothing
    r.link.disconnectLink();
    const QString address = r.link.address();
    REQUIRE(r.link.connectTo(address));  // a new connection knows nothing of it
    REQUIRE(until(8000, [&] { return r.link.vehicle().heard; }));
    r.plan.replace("other", rowPlan(3));
    REQUIRE(r.plan.waitUntilDerived(5000));
    r.handOver();
    REQUIRE_FALSE(r.link.copyPath().isEmpty());
    const auto copy = loadPlan(r.link.copyPath().toStdString());
    REQUIRE(copy);
    CHECK(copy->items.size() >= 9);
}

TEST_CASE("what is flown or near is frozen, what is further ahead can be sent in flight", "[session][field]") {
    Rig r(standInAt({47.31, -20.12}, 0, 5), 20);
    CHECK(r.field.frozen().empty());
    r.handOver();
    r.start();
    REQUIRE(until(20000, [&] { return r.link.vehicle().mission_item.value_or(0) >= 5; }));
    REQUIRE(until(1000, [&] { return r.plan.isFrozen(r.plan.plan()->items[1].id); }));
    QSignalSpy refused(&r.plan, &PlanSession::refused);
    r.plan.edit("remove", [](Plan& p) { p.items.erase(p.items.begin() + 1); });
    CHECK(r.plan.plan()->items.size() == 22);
    r.plan.edit("slower", [](Plan& p) { p.defaults.speed_mps = 3; });  // would change what is flown
    CHECK(r.plan.plan()->defaults.speed_mps == 8);
    r.plan.edit("home", [](Plan& p) { p.home->position.lat_deg += 0.001; });
    CHECK(refused.count() == 3);
    const ItemId far = r.plan.plan()->items[18].id;
    r.plan.edit("lift", [&](Plan& p) { p.find(far)->height = Height::aboveHome(90); });
    REQUIRE(r.plan.waitUntilDerived(5000));
    CHECK(r.field.changeWaits());
    r.handOver();
    CHECK(r.field.sealHolds());
    CHECK_FALSE(r.field.changeWaits());
    CHECK(modeName(r.link.vehicle()) == "mission");
    REQUIRE(r.field.progress());
    CHECK(r.field.progress()->left_s > 10);
}

TEST_CASE("alarms, commands and marks are in the recording; a landing is told", "[session][field]") {
    Rig r(standInAt({47.31, -20.12}, 0, 20, "compass@40"), 4);
    r.handOver();
    QSignalSpy raised(&r.field, &FieldSession::raised);
    QSignalSpy landed(&r.field, &FieldSession::hasLanded);
    r.start();
    REQUIRE(until(15000, [&] { return raised.count() > 0; }));
    CHECK(raised[0][0].toString().contains("compass"));
    r.field.mark("a word that is longer than the fifty letters a text message holds, by far");
    REQUIRE(until(30000, [&] { return landed.count() == 1; }));
    CHECK(r.field.landed());
    CHECK(r.field.landedText().startsWith("Landed after"));
    r.field.acknowledge("");
    r.link.flushRecording();
    const auto log = openLog(r.link.recordPath().toStdString());
    REQUIRE(log);
    const auto marked = [&](const std::string& part) {
        return std::any_of((*log)->events.begin(), (*log)->events.end(), [&](const LogEvent& e) {
            return e.kind == "mark" && e.text.find(part) != std::string::npos;
        });
    };
    CHECK(marked("alarm The aircraft does not trust its compass"));
    CHECK(marked("command test"));
    CHECK(marked("message holds, by far"));
}

TEST_CASE("a plan too long for the aircraft is flown in batches from the session", "[session][field][batch]") {
    StandInOptions o = standInAt({47.31, -20.12}, 0, 40);
    o.max_items = 24;
    Rig r(o, 40);
    REQUIRE(r.field.handOver(false));  // in one: it does not fit, as the aircraft says
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.seal() == LinkSession::Seal::failed);
    CHECK(r.link.sealText().contains("memory is full"));
    r.plan.edit("limit", [](Plan& p) { p.traits.item_limit = 24; });
    REQUIRE(r.plan.waitUntilDerived(5000));
    REQUIRE(r.field.handOver(false));  // known before: nothing is sent
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.seal() == LinkSession::Seal::failed);
    CHECK(r.link.sealText().contains("the aircraft keeps 24"));
    r.handOver(true);
    CHECK(r.field.sealHolds());
    REQUIRE(r.link.batches() != nullptr);
    r.start();
    REQUIRE(until(45000, [&] { return r.link.batches()->done(); }));
    CHECK(r.link.batchProblem().isEmpty());
    CHECK(r.link.flownItem().value_or(0) > 10);
}

TEST_CASE("parameters and logs come through the session, failures are said", "[session][field]") {
    Rig r;
    QSignalSpy changed(&r.link, &LinkSession::parametersChanged), failed(&r.link, &LinkSession::parametersFailed);
    r.link.readParameters();
    CHECK(r.link.busy());
    r.link.readParameters();  // one after the other
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.parameters().size() > 90);
    r.link.setParameters({{"RETURN_HEIGHT_M", {55, 9}}, {"LEG_SPEED_MPS", {8, 9}}});
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.parameters().at("RETURN_HEIGHT_M").value == 55);
    r.link.setParameters({{"RETURN_HEIGHT_M", {1e9, 9}}});
    REQUIRE(until(8000, [&] { return failed.count() == 1; }));
    CHECK(r.link.parameters().at("RETURN_HEIGHT_M").value == 55);
    QSignalSpy log_failed(&r.link, &LinkSession::logFailed);
    r.link.listLogs();
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.logs().empty());
    r.link.fetchLog({3, 1000, 0}, "/no/such/folder/x.ulg");
    REQUIRE(until(8000, [&] { return log_failed.count() == 1; }));
    r.link.clearAircraft();
    REQUIRE(until(8000, [&] { return !r.link.busy(); }));
    CHECK(r.link.held()->route() == 0);
}

TEST_CASE("two vehicles: what is known of one is not taken for the other", "[session][several]") {
    StandInOptions third = standInAt({47.31, -20.12}, 0);
    third.system = 3;
    Rig r(third);
    const QString address = r.link.address();
    const int port = address.section(':', 1).toInt();
    StandInOptions eighth = standInAt({47.311, -20.12}, 0);
    eighth.system = 8;
    const auto second = r.world.standin(port, eighth);
    r.handOver();
    REQUIRE(until(8000, [&] { return r.link.vehicles().size() == 2; }));
    CHECK(r.link.vehicle().system == 3);
    r.link.choose(8);
    CHECK(r.link.vehicle().system == 8);
    CHECK(r.link.seal() == LinkSession::Seal::none);
    CHECK_FALSE(r.link.held());
    r.handOver();
    CHECK(r.field.notedSeal()->vehicle == 8);
    r.link.choose(3);
    CHECK_FALSE(r.field.sealHolds());
}

// Message signing: by the standard's construction, and what is believed of it.
#include <catch2/catch.hpp>

#include "core/mavlink/Frame.h"
#include "core/mavlink/Signing.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;
using namespace anhinga::mavlink;

namespace {
std::span<const std::uint8_t> bytesOf(const std::string& s) {
    return {reinterpret_cast<const std::uint8_t*>(s.data()), s.size()};
}
std::string signedCommand(const SigningKey& key, std::uint64_t time, double param1 = 1) {
    Message m("COMMAND_LONG");
    m.system = 255;
    m.component = 190;
    m.set("command", 400).set("param1", param1).set("target_system", 1).set("target_component", 1);
    return signFrame(encode(m), m.info->crc_extra, key, 3, time);
}
VehicleLink::Options withKey(const char* passphrase) {
    VehicleLink::Options o;
    o.key = signingKey(passphrase);
    return o;
}
}  // namespace

TEST_CASE("a key is the SHA-256 of its passphrase", "[mavlink][signing]") {
    // FIPS 180-2, appendix B.1.
    const SigningKey key = signingKey("abc");
    CHECK(key[0] == 0xba);
    CHECK(key[1] == 0x78);
    CHECK(key[31] == 0xad);
    CHECK(signingTime(1420070400) == 0);
    CHECK(signingTime(1420070401.5) == 150000);
    CHECK(signingTime(0) == 0);
}

TEST_CASE("a signed frame is still a frame, 13 bytes longer, with time and link in it", "[mavlink][signing]") {
    const SigningKey key = signingKey("heron");
    const std::string frame = signedCommand(key, 0x010203040506);
    Message back;
    const auto found = Parser::look(bytesOf(frame), back);
    REQUIRE(found.look == Parser::Look::message);
    CHECK(found.length == frame.size());
    CHECK(back.integer("command") == 400);
    CHECK(isSigned(bytesOf(frame)));
    const auto at = [&](std::size_t from_end) { return static_cast<std::uint8_t>(frame[frame.size() - from_end]); };
    CHECK(at(13) == 3);
    CHECK(at(12) == 0x06);
    CHECK(at(7) == 0x01);
}

TEST_CASE("what is unsigned, wrongly signed, altered or said before is told apart", "[mavlink][signing]") {
    const SigningKey key = signingKey("heron"), other = signingKey("egret");
    constexpr std::uint64_t kNow = 37000000000000;
    SignatureKeeper keeper;
    const std::string first = signedCommand(key, kNow);
    CHECK(keeper.judge(bytesOf(first), key, kNow) == SignatureJudgement::good);
    CHECK(keeper.judge(bytesOf(first), key, kNow) == SignatureJudgement::old);
    CHECK(keeper.judge(bytesOf(signedCommand(key, kNow - 1)), key, kNow) == SignatureJudgement::old);
    CHECK(keeper.judge(bytesOf(signedCommand(key, kNow + 1)), key, kNow) == SignatureJudgement::good);
    CHECK(keeper.judge(bytesOf(signedCommand(other, kNow + 2)), key, kNow) == SignatureJudgement::wrong);
    Message plain("COMMAND_LONG");
    CHECK(keeper.judge(bytesOf(encode(plain)), key, kNow) == SignatureJudgement::unsigned_frame);
    for (std::size_t i = 1; i < first.size(); ++i) {
        std::string altered = signedCommand(key, kNow + 10 + i);
        altered[i] = static_cast<char>(altered[i] ^ 0x10);
        const auto judged = keeper.judge(bytesOf(altered), key, kNow);
        CHECK(judged != SignatureJudgement::good);
    }
    SignatureKeeper fresh;  // a sender never heard before may not be far behind
    CHECK(fresh.judge(bytesOf(signedCommand(key, kNow - 7000000)), key, kNow) == SignatureJudgement::old);
}

TEST_CASE("a vehicle with a key obeys who has it, and says whom it does not obey", "[link][signing]") {
    StandInOptions o = standInOptions();
    o.key = signingKey("heron");
    SECTION("the same key") {
        Rig rig(o, {}, withKey("heron"));
        REQUIRE(rig.link().waitForVehicle(5));
        REQUIRE(commandArm(rig.link()));
        CHECK(rig.until(3, [](const VehicleSnapshot& v) { return v.armed; }));
        CHECK(rig.link().snapshot().link.not_signed == 0);
        const auto items = rowMission(5);
        const auto h = handOver(rig.link(), {items, {}, {}}, true);
        REQUIRE(h);
        CHECK(h->verified);
    }
    SECTION("no key") {
        Rig rig(o);
        const auto refused = commandArm(rig.link());
        REQUIRE_FALSE(refused);
        CHECK(refused.error().message.find("no answer") != std::string::npos);
        CHECK_FALSE(rig.link().snapshot().armed);
        CHECK(rig.standin().executed().count(400) == 0);
        bool said = false;
        for (const SpokenText& t : *rig.link().snapshot().texts)
            said |= t.text.find("COMMAND_LONG of system 255 is not signed") != std::string::npos;
        CHECK(said);
    }
    SECTION("another key: nothing is believed of it either") {
        Rig rig(o, {}, withKey("egret"));
        CHECK_FALSE(rig.link().waitForVehicle(2));
        CHECK(rig.link().snapshot().link.wrong_signature > 0);
        CHECK(rig.standin().executed().empty());
    }
}

TEST_CASE("without a key signed packets are taken as any others", "[link][signing]") {
    StandInOptions o = standInOptions();
    Rig rig(o, {}, withKey("heron"));
    CHECK_FALSE(rig.link().waitForVehicle(1));
    CHECK(rig.link().snapshot().link.not_signed > 0);
}

TEST_CASE("a key is put aboard, and nobody without it is obeyed or believed from then on", "[link][signing]") {
    TempDir dir;
    StandInOptions o = standInOptions();
    VehicleLink::Options ours;
    ours.record_path = dir / "day.tlog";
    {
        Rig rig(o, {}, ours);
        REQUIRE(rig.link().waitForVehicle(5));
        CHECK_FALSE(rig.link().isSigned());
        const SigningKey key = signingKey("heron");
        // Not in the air, nor armed.
        REQUIRE(commandArm(rig.link()));
        REQUIRE(rig.until(3, [](const VehicleSnapshot& v) { return v.armed; }));
        CHECK_FALSE(commandSetupSigning(rig.link(), key));
        REQUIRE(commandDisarm(rig.link()));
        REQUIRE(rig.until(3, [](const VehicleSnapshot& v) { return !v.armed; }));
        REQUIRE(commandSetupSigning(rig.link(), key));
        CHECK(rig.link().isSigned());
        REQUIRE(commandArm(rig.link()));
        CHECK(rig.until(3, [](const VehicleSnapshot& v) { return v.armed; }));
        CHECK_FALSE(commandSetupSigning(rig.link(), signingKey("egret")));  // there is one already
        // All that it says is signed from then on.
        const auto link = rig.link().snapshot().link;
        CHECK_FALSE(rig.until(3, [](const VehicleSnapshot& v) { return v.heartbeat_age_s > 2.5; }));
        CHECK(rig.link().snapshot().link.not_signed == link.not_signed);
        CHECK(rig.link().snapshot().link.wrong_signature == 0);
    }
    // The key is in no recording.
    const std::string recorded = slurp(dir / "day.tlog");
    REQUIRE(recorded.size() > 1000);
    const SigningKey key = signingKey("heron");
    CHECK(recorded.find(std::string(key.begin(), key.end())) == std::string::npos);
    CHECK(recorded.find(std::string(key.begin(), key.begin() + 8)) == std::string::npos);
}

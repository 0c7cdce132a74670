// Parameters: read over good and bad links, set with read-back, kept in files, compared.
#include <catch2/catch.hpp>

#include "core/link/ParameterRoles.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("all parameters are read, whatever gets lost on the way", "[link][parameters][loss]") {
    ParameterSet calm;
    {
        Rig rig(standInOptions());
        double last = 0;
        TransferOptions watch;
        watch.progress = [&](double share, const std::string&) { last = share; };
        const auto set = readParameters(rig.link(), watch);
        REQUIRE(set);
        calm = *set;
        CHECK(last == Approx(1));
        CHECK(calm.size() > 90);
        CHECK(calm.at("RETURN_HEIGHT_M").value == 60);
    }
    LinkConditions bad;
    bad.loss = 0.15;
    bad.duplicate = 0.05;
    bad.reorder = 0.1;
    bad.latency_ms = 40;
    bad.seed = 5;
    Rig rig(standInOptions(), bad);
    auto set = readParameters(rig.link());
    INFO((set ? "" : set.error().message));
    REQUIRE(set);
    // This one flies on another day, on which the compass is turned by a little more.
    CHECK(set->at("COMPASS_DECL_DEG").value == Approx(calm.at("COMPASS_DECL_DEG").value).margin(0.01));
    calm.erase("COMPASS_DECL_DEG");
    set->erase("COMPASS_DECL_DEG");
    CHECK(set->size() == calm.size());
    CHECK(compareParameters(calm, *set).empty());
}

TEST_CASE("a parameter is set, read back, and one out of range is said to be held otherwise", "[link][parameters]") {
    Rig rig(standInOptions());
    const auto set = setParameter(rig.link(), "RETURN_HEIGHT_M", {45, 9});
    REQUIRE(set);
    CHECK(set->value == 45);
    CHECK(readParameter(rig.link(), "RETURN_HEIGHT_M")->value == 45);
    const auto refused = setParameter(rig.link(), "RETURN_HEIGHT_M", {9e6, 9});
    REQUIRE_FALSE(refused);
    CHECK(refused.error().message == "RETURN_HEIGHT_M: the vehicle holds 45, not 9000000 as it was told");
    CHECK_FALSE(setParameter(rig.link(), "RETURN_HEIGHT_M", {NAN, 9}));
    CHECK_FALSE(setParameter(rig.link(), "A_NAME_THAT_IS_TOO_LONG", {1, 9}));
    TransferOptions short_of_patience;
    short_of_patience.silence_s = 1;
    const auto unknown = setParameter(rig.link(), "NO_SUCH", {1, 9}, short_of_patience);
    REQUIRE_FALSE(unknown);
    CHECK(unknown.error().message.find("NO_SUCH") != std::string::npos);
}

TEST_CASE("a parameter changes what the aircraft does", "[link][parameters]") {
    Rig rig(standInOptions(20));
    REQUIRE(setParameter(rig.link(), "RETURN_HEIGHT_M", {35, 9}));
    REQUIRE(commandArm(rig.link()));
    REQUIRE(commandTakeOff(rig.link(), 10));
    REQUIRE(rig.until(5, [](const VehicleSnapshot& v) { return v.height_home_m.value_or(0) > 9; }));
    REQUIRE(commandReturn(rig.link()));
    double most = 0;
    rig.until(15, [&](const VehicleSnapshot& v) {
        most = std::max(most, v.height_home_m.value_or(0));
        return !v.armed;
    });
    CHECK(most == Approx(35).margin(1.5));
}

TEST_CASE("a parameter file keeps every value, and wrong lines are named", "[parameters][file]") {
    ParameterSet set;
    std::mt19937 random(4);
    for (int i = 0; i < 500; ++i) {
        float value = 0;
        const auto bits = static_cast<std::uint32_t>(random());
        std::memcpy(&value, &bits, sizeof value);
        if (std::isfinite(value)) set[fmt::format("P_{}", i)] = {static_cast<double>(value), 9};
    }
    const auto back = parseParameters(writeParameters(set, "of a test"), "p.csv");
    REQUIRE(back);
    CHECK(compareParameters(set, *back).empty());
    CHECK(back->size() == set.size());

    CHECK(parseParameters("RETURN_HEIGHT_M 60\r\n# note\nFENCE_WATCHED,1\n", "x")->size() == 2);
    CHECK(parseParameters("RETURN_HEIGHT_M,60\nFENCE\n", "x.csv").error().message.find("x.csv: line 2") == 0);
    CHECK_FALSE(parseParameters("", "x"));
    CHECK_FALSE(parseParameters("A,1,99\n", "x"));
    CHECK_FALSE(parseParameters("A,nan\n", "x"));
    int read = 0;
    for (const std::string& text : damaged(writeParameters(set, "damaged"), 400, 9))
        read += parseParameters(text, "x").has_value() ? 1 : 0;  // either way: no crash
    CHECK(read > 0);
    for (unsigned seed = 0; seed < 50; ++seed) (void)parseParameters(rubbish(500, seed), "x");
}

TEST_CASE("two sets are compared by name and value", "[parameters]") {
    const ParameterSet a{{"A", {1, 9}}, {"B", {2, 9}}, {"C", {0.1, 9}}};
    const ParameterSet b{{"B", {3, 9}}, {"C", {static_cast<double>(0.1f), 9}}, {"D", {4, 9}}};
    const auto differences = compareParameters(a, b);
    REQUIRE(differences.size() == 3);
    CHECK(differences[0].name == "A");
    CHECK_FALSE(differences[0].theirs);
    CHECK((differences[1].name == "B" && *differences[1].ours == 2 && *differences[1].theirs == 3));
    CHECK((differences[2].name == "D" && !differences[2].ours));
}

TEST_CASE("the stand-in's own parameters are described, a real family's as far as they are read", "[parameters]") {
    for (const ParameterInfo& p : ownParameters()) {
        INFO(p.name);
        CHECK(p.low < p.high);
        CHECK(p.fits(p.usual));
        CHECK(p.name.size() <= 16);
        CHECK_FALSE(p.subject.empty());
        CHECK_FALSE(p.text.empty());
    }
    CHECK(parameterInfo("PULSE_MID_3")->text == "Pulse of channel 3 at rest, microseconds");
    CHECK(parameterInfo("PULSE_MID_3")->usual == 1500);
    for (const char* name : {"PULSE_MID_", "PULSE_MID_0", "PULSE_MID_17", "PULSE_MID_1.5", "PULSE_MID_x", ""}) {
        INFO(name);
        CHECK_FALSE(parameterInfo(name));
    }
    // Of a real family neither a usual value nor a range is claimed.
    const auto real = parameterInfo("RC4_TRIM");
    REQUIRE(real);
    CHECK(real->text == "Pulse of channel 4 at rest");
    CHECK(std::isnan(real->usual));
    CHECK(real->fits(1e9));
    CHECK_FALSE(real->unlikeUsual(17));
    CHECK_FALSE(parameterInfo("RC_SPEED"));
}

TEST_CASE("what is read of parameters is found under the names of each family", "[parameters]") {
    const ParameterSet own{{"RETURN_HEIGHT_M", {42.5, 9}}, {"PULSE_MOST_2", {1880, 4}}, {"SWITCH_MODE_6", {5, 2}}};
    const ParameterSet three{{"RTL_ALT", {4250, 6}}, {"RC2_MAX", {1880, 4}}, {"FLTMODE6", {5, 2}}};
    for (const ParameterSet* set : {&own, &three}) {
        CHECK(*heldAs(*set, ParameterRole::returnHeight_m) == Approx(42.5));
        CHECK(*heldAs(*set, ParameterRole::pulseHigh, 2) == 1880);
        CHECK(*heldAs(*set, ParameterRole::modeAt, 6) == 5);
        CHECK_FALSE(heldAs(*set, ParameterRole::modeAt, 5));
        CHECK_FALSE(heldAs(*set, ParameterRole::rollChannel));
    }
    CHECK(heldName(own, ParameterRole::returnHeight_m) == "RETURN_HEIGHT_M");
    CHECK(heldName(three, ParameterRole::returnHeight_m) == "RTL_ALT");
    CHECK(heldName({}, ParameterRole::returnHeight_m).empty());
    CHECK_FALSE(heldAs({{"RETURN_HEIGHT_M", {NAN, 9}}}, ParameterRole::returnHeight_m));
}

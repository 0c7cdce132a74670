// An autopilot of the common set: six commands, one list, no modes but the flag of the base mode.
#include <cmath>
#include <set>

#include "standin/families/Family.h"

namespace anhinga::families {

namespace {

class Plain : public Family {
  public:
    using Family::Family;
    int autopilot() const override { return 0; }
    std::uint64_t capabilities() const override { return 8192; }  // places in single precision
    bool homeSlot() const override { return false; }
    bool knows(List list) const override { return list == route; }
    bool takesParts() const override { return false; }
    int judge(List list, const Kept& i) const override {
        static const std::set<int> kKnown = {16, 19, 20, 21, 22, 178};
        if (list != route || !kKnown.contains(i.command)) return badCommand;
        const bool placed = i.command != 20 && i.command != 178;
        const int plain = i.frame == 5 ? 0 : i.frame == 6 ? 3 : i.frame;
        return !placed || plain == 0 || plain == 3 ? taken : badFrame;
    }
    Kept keep(List, const Kept& in) const override {
        Kept i = in;
        if (i.frame == 5) i.frame = 0;
        if (i.frame == 6) i.frame = 3;
        return i;
    }
    std::string objection(const std::vector<Kept>&, GeoPoint) const override { return {}; }
    std::uint32_t number(Does) const override { return 0; }
    std::optional<Does> mode(double, double, double) const override { return std::nullopt; }
    bool armsIn(Does) const override { return true; }
    bool pausesByCommand() const override { return false; }
    bool ordersAmsl() const override { return false; }
    bool startArms() const override { return false; }
    bool knowsCommand(int c) const override { return c == 400 || c == 300 || c == 20 || c == 511 || c == 512; }
    std::map<std::string, Parameter> parameters() const override { return {{"NUMBER", {1, true}}}; }
    bool parametersBytewise() const override { return false; }
};

}  // namespace

std::unique_ptr<Family> familyPlain(Body body) {
    return std::make_unique<Plain>(body);
}

}  // namespace anhinga::families

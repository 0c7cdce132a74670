// Ten thousand random edits: whatever is done, it can be undone, saved and read back.
#include <catch2/catch.hpp>

#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "session/PlanSession.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

class RandomEditor {
  public:
    explicit RandomEditor(unsigned seed) : random_(seed) {}
    int pick(int n) { return static_cast<int>(random_() % static_cast<unsigned>(n)); }
    double value(double low, double high) { return low + (high - low) * static_cast<double>(random_() % 100001) / 1e5; }

    Ids some(const Plan& plan) {
        Ids ids;
        for (const Item& i : plan.items)
            if (pick(4) == 0) ids.insert(i.id);
        for (const Fence& f : plan.fences)
            if (pick(4) == 0) ids.insert(f.id);
        for (const Obstacle& o : plan.obstacles)
            if (pick(4) == 0) ids.insert(o.id);
        if (pick(6) == 0) ids.insert(kHomeId);
        return ids;
    }

    void edit(Plan& plan) {
        const Ids ids = some(plan);
        const GeoPoint near = destination({47.31, -20.12}, value(0, 360), value(0, 900));
        switch (pick(16)) {
            case 0:
            case 1:
            case 2:
                insertWaypoint(plan, near,
                               plan.items.empty()
                                   ? 0
                                   : plan.items[static_cast<std::size_t>(pick(static_cast<int>(plan.items.size())))].id,
                               3.5);
                break;
            case 3:
                if (plan.items.size() > 60) remove(plan, ids);
                break;
            case 4:
                moveBy(plan, ids, value(0, 360), value(0, 50));
                break;
            case 5:
                rotateBy(plan, ids, near, value(-180, 180));
                break;
            case 6:
                scaleBy(plan, ids, near, value(0.5, 2));
                break;
            case 7:
                if (plan.items.size() < 120) duplicate(plan, ids, 45, 12);
                break;
            case 8:
                reverse(plan, ids);
                break;
            case 9:
                shift(plan, ids, pick(2) == 0 ? -1 : 1);
                break;
            case 10:
                changeHeights(plan, ids, static_cast<Bulk>(pick(3)), value(0.5, 1.5));
                break;
            case 11:
                if (!plan.items.empty()) {
                    // A repeat to any item that is there now.
                    Item& item = plan.items[static_cast<std::size_t>(pick(static_cast<int>(plan.items.size())))];
                    item.actions.push_back(
                        Repeat{plan.items[static_cast<std::size_t>(pick(static_cast<int>(plan.items.size())))].id,
                               1 + pick(3)});
                    if (item.actions.size() > 3) item.actions.erase(item.actions.begin());
                }
                break;
            case 12: {
                Fence f;
                f.id = plan.newId();
                f.kind = static_cast<FenceKind>(pick(2));
                f.outline = {near, destination(near, 90, 80), destination(near, 30, 90)};
                if (plan.fences.size() < 12) plan.fences.push_back(f);
                break;
            }
            case 13: {
                Obstacle o;
                o.id = plan.newId();
                o.points = {near};
                if (plan.obstacles.size() < 12) plan.obstacles.push_back(o);
                break;
            }
            case 14:
                setSection(plan, ids, pick(3) == 0 ? "" : "part " + std::to_string(pick(4)));
                break;
            default:
                moveHome(plan, near, value(0, 60));
        }
    }

  private:
    std::mt19937 random_;
};

/// For every repeat: the item it hangs on and the one it goes to, by what they were made as.
std::vector<std::pair<ItemId, ItemId>> repeats(const Plan& plan) {
    std::vector<std::pair<ItemId, ItemId>> out;
    for (const Item& i : plan.items)
        for (const Action& a : i.actions)
            if (const auto* r = std::get_if<Repeat>(&a)) out.emplace_back(i.id, r->target);
    std::sort(out.begin(), out.end());
    return out;
}

}  // namespace

TEST_CASE("random edits are undone to the first state, and every state is sound", "[session][property][deep]") {
    PlanSession s;
    s.replace("row", rowPlan(5));
    const PlanPtr first = s.plan();
    RandomEditor editor(20261125);
    const int edits = 4000 * testDepth();
    std::vector<PlanPtr> states{first};
    for (int i = 0; i < edits; ++i) {
        const Plan before = *s.plan();
        const bool reorders = i % 7 == 0;
        if (reorders) {
            // Order alone: repeats must go to the very same items.
            const auto was = repeats(before);
            const Ids ids = editor.some(before);
            s.edit("reorder", [&](Plan& p) {
                moveTo(p, ids, static_cast<std::size_t>(editor.pick(static_cast<int>(p.items.size()) + 1)));
            });
            REQUIRE(repeats(*s.plan()) == was);
        } else {
            s.edit("edit", [&](Plan& p) { editor.edit(p); });
        }
        s.select(editor.some(*s.plan()));
        switch (editor.pick(5)) {
            case 0: {
                const PlanPtr now = s.plan();
                if (s.canUndo()) {
                    s.undo();
                    s.redo();
                }
                REQUIRE(*s.plan() == *now);
                break;
            }
            case 1:
                if (s.canUndo()) s.undo();
                break;
            default:
                break;
        }
        for (const ItemId id : s.selection()) REQUIRE(s.plan()->holds(id));
        std::set<ItemId> ids;
        for (const Item& item : s.plan()->items) REQUIRE(ids.insert(item.id).second);
        if (i % 100 == 0) {
            const auto back = readPlanText(writePlanText(*s.plan()), "t");
            REQUIRE(back);
            REQUIRE(*back == *s.plan());
        }
    }
    const PlanPtr last = s.plan();
    int steps = 0;
    while (s.canUndo() && steps < 2 * edits) {
        s.undo();
        ++steps;
    }
    CHECK(*s.plan() == Plan{});
    for (int i = 0; i < steps; ++i) s.redo();
    CHECK(*s.plan() == *last);
    CHECK(steps > edits / 2);
}

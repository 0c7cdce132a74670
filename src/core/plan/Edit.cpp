#include "core/plan/Edit.h"

#include <algorithm>
#include <unordered_map>

#include "core/geo/Polygon.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {

template <class I, class Act>
void eachPatternPlace(I& item, const Act& act) {
    auto& pattern = [&]() -> auto& {
        if constexpr (std::is_const_v<I>)
            return *item.pattern;
        else
            return item.pattern.edit();
    }
    ();
    for (auto& p : pattern.outline) act(p);
    for (auto& hole : pattern.holes)
        for (auto& p : hole) act(p);
}

/// Calls `act` with every place of the selected things.
template <class P, class Act>
void eachPlace(P& plan, const Ids& ids, const Act& act) {
    for (auto& item : plan.items) {
        if (!ids.contains(item.id)) continue;
        if (hasPosition(item.kind)) act(item.position);
        if (isPattern(item.kind)) eachPatternPlace(item, act);
    }
    for (auto& f : plan.fences)
        if (ids.contains(f.id))
            for (auto& p : f.outline) act(p);
    for (auto& r : plan.rally)
        if (ids.contains(r.id)) act(r.position);
    for (auto& o : plan.obstacles)
        if (ids.contains(o.id))
            for (auto& p : o.points) act(p);
    for (auto& z : plan.zones)
        if (ids.contains(z.id))
            for (auto& p : z.outline) act(p);
    for (auto& c : plan.covers)
        if (ids.contains(c.id))
            for (auto& p : c.outline) act(p);
    if (plan.home && ids.contains(kHomeId)) act(plan.home->position);
}

bool endsFlight(const Item& item) {
    return item.kind == ItemKind::returnHome || item.kind == ItemKind::land;
}

/// New ids for copies; repeats among them follow, others are kept or (drop_foreign) left out.
void renumber(Plan& plan, std::vector<Item>& items, bool drop_foreign) {
    std::unordered_map<ItemId, ItemId> now;
    for (Item& i : items) {
        const ItemId id = plan.newId();
        now[i.id] = id;
        i.id = id;
    }
    for (Item& i : items) {
        if (drop_foreign)
            std::erase_if(i.actions, [&](const Action& a) {
                const auto* r = std::get_if<Repeat>(&a);
                return r != nullptr && !now.contains(r->target);
            });
        for (Action& a : i.actions)
            if (auto* r = std::get_if<Repeat>(&a))
                if (const auto at = now.find(r->target); at != now.end()) r->target = at->second;
    }
}

template <class List>
void copyOthers(Plan& plan, List& list, const Ids& ids, Ids& made,
                const std::function<void(typename List::value_type&)>& change) {
    const std::size_t n = list.size();
    for (std::size_t i = 0; i < n; ++i) {
        if (!ids.contains(list[i].id)) continue;
        auto copy = list[i];
        copy.id = plan.newId();
        change(copy);
        made.insert(copy.id);
        list.push_back(std::move(copy));
    }
}

double changed(double now, Bulk how, double value) {
    return how == Bulk::set ? value : how == Bulk::add ? now + value : now * value;
}

}  // namespace

void mapPlaces(Plan& plan, const Ids& ids, const std::function<GeoPoint(GeoPoint)>& map) {
    eachPlace(plan, ids, [&](GeoPoint& p) { p = map(p); });
}

std::vector<GeoPoint> placesOf(const Plan& plan, const Ids& ids) {
    std::vector<GeoPoint> places;
    eachPlace(plan, ids, [&](const GeoPoint& p) { places.push_back(p); });
    return places;
}

std::vector<GeoPoint> placesOfWhole(const Plan& plan) {
    std::vector<GeoPoint> all;
    if (plan.home) all.push_back(plan.home->position);
    for (const Item& item : plan.items) {
        if (hasPosition(item.kind)) all.push_back(item.position);
        all.insert(all.end(), item.pattern->outline.begin(), item.pattern->outline.end());
        if (item.kind == ItemKind::rings && !item.pattern->outline.empty()) {
            const auto ring = circleOutline(item.pattern->outline.front(), item.pattern->radius_m, 8);
            all.insert(all.end(), ring.begin(), ring.end());
        }
    }
    for (const Fence& f : plan.fences) {
        const auto outline = f.isCircle() ? circleOutline(f.outline.front(), f.radius_m, 8) : f.outline;
        all.insert(all.end(), outline.begin(), outline.end());
    }
    for (const RallyPoint& r : plan.rally) all.push_back(r.position);
    if (all.empty())
        for (const Obstacle& o : plan.obstacles) all.insert(all.end(), o.points.begin(), o.points.end());
    return all;
}

GeoPoint pivotOf(const Plan& plan, const Ids& ids) {
    const std::vector<GeoPoint> places = placesOf(plan, ids);
    if (places.empty()) return {};
    // Twice: a plane about a better middle bends less.
    GeoPoint pivot = middleOf(places);
    for (int i = 0; i < 2; ++i) {
        const LocalFrame frame(pivot);
        Vec2 sum;
        for (const GeoPoint& p : places) sum = sum + frame.toLocal(p);
        pivot = frame.toGeo(sum * (1.0 / static_cast<double>(places.size())));
    }
    return pivot;
}

void moveBy(Plan& plan, const Ids& ids, double bearing_deg, double distance_m) {
    mapPlaces(plan, ids, [&](GeoPoint p) { return destination(p, bearing_deg, distance_m); });
}

void rotateBy(Plan& plan, const Ids& ids, GeoPoint about, double angle_deg) {
    mapPlaces(plan, ids, [&](GeoPoint p) {
        const double d = distance_m(about, p);
        return d < 1e-6 ? p : destination(about, bearing_deg(about, p) + angle_deg, d);
    });
    for (Item& item : plan.items)
        if (ids.contains(item.id) && isPattern(item.kind)) {
            Pattern& pattern = item.pattern.edit();
            pattern.heading_deg = std::fmod(pattern.heading_deg + angle_deg + 720, 360);
            pattern.start_deg = std::fmod(pattern.start_deg + angle_deg + 720, 360);
        }
}

void scaleBy(Plan& plan, const Ids& ids, GeoPoint about, double factor) {
    if (!(factor > 1e-6 && factor < 1e6)) return;
    mapPlaces(plan, ids, [&](GeoPoint p) {
        const double d = distance_m(about, p);
        return d < 1e-6 ? p : destination(about, bearing_deg(about, p), d * factor);
    });
    for (Fence& f : plan.fences)
        if (ids.contains(f.id) && f.isCircle()) f.radius_m *= factor;
    for (Item& item : plan.items)
        if (ids.contains(item.id) && item.kind == ItemKind::rings) item.pattern.edit().radius_m *= factor;
    for (Item& item : plan.items)
        if (ids.contains(item.id) && item.kind == ItemKind::holdTurns) item.radius_m *= factor;
}

void moveHome(Plan& plan, GeoPoint place, std::optional<double> amsl_m) {
    const bool measured_from_home = std::any_of(plan.items.begin(), plan.items.end(), [&](const Item& i) {
        return i.kind != ItemKind::takeOff && i.kind != ItemKind::returnHome &&
               effectiveHeight(plan, i).ref == HeightRef::home;
    });
    if (measured_from_home && !plan.heights_set_at_amsl_m && plan.home) plan.heights_set_at_amsl_m = plan.home->amsl_m;
    plan.home = Home{place, amsl_m};
    if (!measured_from_home) plan.heights_set_at_amsl_m = amsl_m;
}

void moveWholePlan(Plan& plan, double bearing_deg, double distance_m) {
    Ids all{kHomeId};
    for (const Item& i : plan.items) all.insert(i.id);
    for (const Fence& f : plan.fences) all.insert(f.id);
    for (const RallyPoint& r : plan.rally) all.insert(r.id);
    moveBy(plan, all, bearing_deg, distance_m);
    for (Item& i : plan.items)
        for (Action& a : i.actions)
            if (auto* look = std::get_if<LookAt>(&a)) look->place = destination(look->place, bearing_deg, distance_m);
}

ItemId insertWaypoint(Plan& plan, GeoPoint place, ItemId before, std::optional<double> ground_amsl_m) {
    if (!plan.home) moveHome(plan, place, ground_amsl_m);
    if (plan.items.empty()) {
        Item up;
        up.id = plan.newId();
        up.kind = ItemKind::takeOff;
        up.height = Height::aboveHome(30);
        plan.items.push_back(up);
    }
    Item item;
    item.id = plan.newId();
    item.position = place;
    const int found = before != 0 ? plan.indexOf(before) : -1;
    const std::size_t at = found >= 0 ? static_cast<std::size_t>(found) : endOfRoute(plan);
    // A point between two of one section belongs to it.
    if (at > 0 && at < plan.items.size() && plan.items[at - 1].section == plan.items[at].section)
        item.section = plan.items[at].section;
    const ItemId id = item.id;
    plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(at), std::move(item));
    return id;
}

std::optional<ItemId> addLapAround(Plan& plan, ItemId block) {
    const int at = plan.indexOf(block);
    if (at < 0 || plan.items[static_cast<std::size_t>(at)].kind != ItemKind::block) return std::nullopt;
    const Item& around = plan.items[static_cast<std::size_t>(at)];
    Item lap = patternItem(ItemKind::lap, around.pattern->outline);
    // A height above ground is one above the ground below: along the edge of a followed Block as over it.
    lap.height = effectiveHeight(plan, around);
    lap.speed_mps = around.speed_mps;
    lap.section = around.section;
    lap.id = plan.newId();
    plan.items.insert(plan.items.begin() + at + 1, lap);
    return lap.id;
}

void remove(Plan& plan, const Ids& ids) {
    const auto gone = [&](const auto& each) { return ids.contains(each.id); };
    std::erase_if(plan.items, gone);
    std::erase_if(plan.fences, gone);
    std::erase_if(plan.rally, gone);
    std::erase_if(plan.obstacles, gone);
    std::erase_if(plan.zones, gone);
    std::erase_if(plan.covers, gone);
    std::erase_if(plan.cuts, [&](const Cut& cut) { return ids.contains(cut.item); });
}

Ids duplicate(Plan& plan, const Ids& ids, double bearing_deg, double distance_m) {
    Ids made;
    std::vector<Item> copies;
    std::size_t after = 0;
    for (std::size_t i = 0; i < plan.items.size(); ++i)
        if (ids.contains(plan.items[i].id)) {
            copies.push_back(plan.items[i]);
            after = i + 1;
        }
    renumber(plan, copies, false);
    for (const Item& c : copies) made.insert(c.id);
    if (!copies.empty())
        plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(after), copies.begin(), copies.end());
    copyOthers<std::vector<Fence>>(plan, plan.fences, ids, made, [](Fence&) {});
    copyOthers<std::vector<RallyPoint>>(plan, plan.rally, ids, made, [](RallyPoint&) {});
    copyOthers<std::vector<Obstacle>>(plan, plan.obstacles, ids, made, [](Obstacle&) {});
    if (distance_m != 0) moveBy(plan, made, bearing_deg, distance_m);
    return made;
}

void reverse(Plan& plan, const Ids& ids) {
    std::vector<std::size_t> at;
    for (std::size_t i = 0; i < plan.items.size(); ++i)
        if (ids.contains(plan.items[i].id) && !endsFlight(plan.items[i]) && plan.items[i].kind != ItemKind::takeOff)
            at.push_back(i);
    for (std::size_t a = 0, b = at.size(); a + 1 < b; ++a) {
        --b;
        std::swap(plan.items[at[a]], plan.items[at[b]]);
    }
}

void shift(Plan& plan, const Ids& ids, int by) {
    const auto chosen = [&](std::size_t i) { return ids.contains(plan.items[i].id); };
    if (by < 0) {
        for (std::size_t i = 1; i < plan.items.size(); ++i)
            if (chosen(i) && !chosen(i - 1)) std::swap(plan.items[i], plan.items[i - 1]);
    } else if (by > 0) {
        for (std::size_t i = plan.items.size(); i-- > 1;)
            if (chosen(i - 1) && !chosen(i)) std::swap(plan.items[i], plan.items[i - 1]);
    }
}

void moveTo(Plan& plan, const Ids& ids, std::size_t index) {
    std::vector<Item> kept, moved;
    std::size_t at = 0;
    for (std::size_t i = 0; i < plan.items.size(); ++i) {
        const bool chosen = ids.contains(plan.items[i].id);
        if (!chosen && i < index) ++at;
        (chosen ? moved : kept).push_back(std::move(plan.items[i]));
    }
    kept.insert(kept.begin() + static_cast<std::ptrdiff_t>(at), std::make_move_iterator(moved.begin()),
                std::make_move_iterator(moved.end()));
    plan.items = std::move(kept);
}

void changeHeights(Plan& plan, const Ids& ids, Bulk how, double value) {
    for (Item& item : plan.items) {
        if (!ids.contains(item.id) || item.kind == ItemKind::returnHome) continue;
        Height h = effectiveHeight(plan, item);
        h.value_m = changed(h.value_m, how, value);
        item.height = h;
    }
    for (RallyPoint& r : plan.rally)
        if (ids.contains(r.id)) r.height.value_m = changed(r.height.value_m, how, value);
}

void changeSpeeds(Plan& plan, const Ids& ids, Bulk how, double value) {
    for (Item& item : plan.items) {
        if (!ids.contains(item.id) || item.kind == ItemKind::returnHome || item.kind == ItemKind::takeOff) continue;
        item.speed_mps = std::clamp(changed(effectiveSpeed(plan, item), how, value), 0.1, 150.0);
    }
}

std::string copyText(const Plan& plan, const Ids& ids) {
    Plan part;
    part.title = "clipboard";
    const auto take = [&](const auto& from, auto& to) {
        for (const auto& each : from)
            if (ids.contains(each.id)) to.push_back(each);
    };
    take(plan.items, part.items);
    take(plan.fences, part.fences);
    take(plan.rally, part.rally);
    take(plan.obstacles, part.obstacles);
    for (Item& i : part.items) {
        // The clipboard may go to a plan with other defaults: what was inherited goes along as it is.
        if (i.kind != ItemKind::returnHome) i.height = effectiveHeight(plan, i);
        i.section = 0;
    }
    part.next_id = plan.next_id;
    return writePlanText(part);
}

Result<Ids> pasteText(Plan& plan, const std::string& text, const Ids& after) {
    auto part = readPlanText(text, "clipboard");
    if (!part) return fail("the clipboard holds nothing of a plan");
    renumber(plan, part->items, true);
    Ids made;
    std::size_t at = 0;
    for (std::size_t i = 0; i < plan.items.size(); ++i)
        if (after.contains(plan.items[i].id) && !endsFlight(plan.items[i])) at = i + 1;
    if (at == 0) at = endOfRoute(plan);
    for (const Item& i : part->items) made.insert(i.id);
    plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(at), part->items.begin(), part->items.end());
    const auto add = [&](auto& from, auto& to) {
        for (auto& each : from) {
            each.id = plan.newId();
            made.insert(each.id);
            to.push_back(each);
        }
    };
    add(part->fences, plan.fences);
    add(part->rally, plan.rally);
    add(part->obstacles, plan.obstacles);
    return made;
}

void setSection(Plan& plan, const Ids& ids, const std::string& name) {
    ItemId id = 0;
    if (!name.empty()) {
        for (const Section& s : plan.sections)
            if (s.name == name) id = s.id;
        if (id == 0) {
            id = plan.newId();
            plan.sections.push_back({id, name});
        }
    }
    for (Item& item : plan.items)
        if (ids.contains(item.id)) item.section = id;
    std::erase_if(plan.sections, [&](const Section& s) {
        return std::none_of(plan.items.begin(), plan.items.end(), [&](const Item& i) { return i.section == s.id; });
    });
}

std::size_t endOfRoute(const Plan& plan) {
    std::size_t at = plan.items.size();
    while (at > 0 && endsFlight(plan.items[at - 1])) --at;
    return at;
}

Item patternItem(ItemKind kind, std::vector<GeoPoint> outline) {
    Item item;
    item.kind = kind;
    Pattern& p = item.pattern.edit();
    p.outline = std::move(outline);
    switch (kind) {
        case ItemKind::rings:
            item.height = Height::aboveGround(30);
            p.low_m = 20;
            p.high_m = 40;
            p.step_up_m = 10;
            break;
        case ItemKind::face:
            item.height = Height::aboveGround(20);
            p.when = PhotoWhen::standing;
            p.low_m = 10;
            p.high_m = 30;
            p.step_up_m = 0;
            break;
        case ItemKind::lap:
            item.height = Height::aboveGround(40);
            p.makes = CameraMakes::film;
            break;
        default:
            item.height = Height::aboveGround(60);
            p.whole_photos = true;
    }
    return item;
}

}  // namespace anhinga

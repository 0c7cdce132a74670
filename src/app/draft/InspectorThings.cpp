// The Inspector's pages of everything that is not one itinerary item: plan, home, several things, fences, obstacles,
// rally points, airspace.
#include <QtWidgets>

#include "app/draft/Inspector.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/geo/Polygon.h"
#include "core/plan/Edit.h"

namespace anhinga {

void Inspector::buildPlan() {
    title("Plan", [](const Plan& p) { return Shown{QString("%1 items").arg(p.items.size())}; });
    textField(
        "Title", [](const Plan& p) { return Shown{QString::fromStdString(p.title)}; },
        [](Plan& p, const QString& t) { p.title = t.toStdString(); }, "Rename plan");
    textField(
        "Notes", [](const Plan& p) { return Shown{QString::fromStdString(p.notes)}; },
        [](Plan& p, const QString& t) { p.notes = t.toStdString(); }, "Change notes");
    const auto field = [&](const char* label, const char* unit, double low, double high, auto member) {
        number(
            label, unit, low, high, [member](const Plan& p) { return Shown{num(const_cast<Plan&>(p).*member)}; },
            [member](Plan& p, std::optional<double> v) {
                if (v) p.*member = *v;
            },
            QString("Change %1").arg(QString(label).toLower()));
    };
    number(
        "New points", kHeightUnit, -500, 9000, [](const Plan& p) { return Shown{num(p.defaults.height.value_m)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.height.value_m = *v;
        },
        "Change default height");
    note([](const Plan& p) {
        return Shown{
            QString("above %1, for every point without a height of its own").arg(refText(p.defaults.height.ref))};
    });
    number(
        "Speed", "m/s", 0.5, 60, [](const Plan& p) { return Shown{num(p.defaults.speed_mps)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.speed_mps = *v;
        },
        "Change default speed");
    number(
        "Pass within", "m", 0.5, 200, [](const Plan& p) { return Shown{num(p.defaults.acceptance_m)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.acceptance_m = *v;
        },
        "Change default acceptance");
    number(
        "Hold", "s", 0, 36000, [](const Plan& p) { return Shown{num(p.defaults.hold_s)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.hold_s = *v;
        },
        "Change default hold");
    number(
        "Follow within", kHeightUnit, 0.5, 100, [](const Plan& p) { return Shown{num(p.defaults.follow_tolerance_m)}; },
        [](Plan& p, std::optional<double> v) {
            if (v) p.defaults.follow_tolerance_m = *v;
        },
        "Change following");
    number(
        "Ceiling", kHeightUnit, 0, 9000,
        [](const Plan& p) { return Shown{p.ceiling_m ? num(*p.ceiling_m) : QString()}; },
        [](Plan& p, std::optional<double> v) { p.ceiling_m = v; }, "Change ceiling");
    number(
        "Floor", kHeightUnit, -500, 9000, [](const Plan& p) { return Shown{p.floor_m ? num(*p.floor_m) : QString()}; },
        [](Plan& p, std::optional<double> v) { p.floor_m = v; }, "Change floor");
    note([](const Plan&) { return Shown{"above home; empty for none"}; });
    field("Min. clear", kHeightUnit, 0, 1000, &Plan::clearance_min_m);
    field("Margin", kHeightUnit, 0, 1000, &Plan::clearance_margin_m);
    field("Return at", kHeightUnit, 0, 5000, &Plan::return_height_m);
    const auto action = [this](const QString& label, const std::vector<SafetyAction>& offered,
                               SafetyAction Plan::*field_of) {
        QStringList names;
        for (const SafetyAction a : offered) names << actionText(a);
        choice(
            label, names,
            [offered, field_of](const Plan& p) {
                return static_cast<int>(std::find(offered.begin(), offered.end(), p.*field_of) - offered.begin());
            },
            [offered, field_of](Plan& p, int k) { p.*field_of = offered[static_cast<std::size_t>(k)]; },
            "Change " + label.toLower());
    };
    using enum SafetyAction;
    choice(
        "At the end",
        {"not chosen", endText(AtEnd::returnAndLand), endText(AtEnd::returnAndWait), endText(AtEnd::landThere),
         endText(AtEnd::waitThere)},
        [](const Plan& p) { return static_cast<int>(p.at_end); },
        [](Plan& p, int k) { p.at_end = static_cast<AtEnd>(k); }, "Change the end");
    note([](const Plan& p) {
        return Shown{endsOpen(p) ? "after the last item, sent with the plan"
                                 : "the last item ends it: this is not used"};
    });
    action("Link lost", {returnHome, land, hold, carryOn}, &Plan::lost_link);
    action("Battery low", {returnHome, land, carryOn}, &Plan::low_battery);
    note([](const Plan&) { return Shown{"rehearsed so; the aircraft does what it is set to"}; });
    note([](const Plan& p) {
        return Shown{QString("%1, %5, %2 Wh, reserve %3 %\n%4")
                         .arg(QString::fromStdString(p.vehicle.name))
                         .arg(p.vehicle.battery_wh)
                         .arg(p.vehicle.reserve_percent)
                         .arg(QString::fromStdString(p.camera.name))
                         .arg(vehicleText(p.vehicle.kind))};
    });
}

void Inspector::buildHome() {
    title("Home", [](const Plan&) { return Shown{"where it takes off and returns"}; });
    if (!session_->plan()->home) {
        note([](const Plan&) { return Shown{"Not set. Press H and click the place where the aircraft will start."}; });
        return;
    }
    positionField([](const Plan& p) { return p.home ? std::optional(p.home->position) : std::nullopt; },
                  [this](Plan& p, GeoPoint to) { moveHome(p, to, session_->terrain()->sample(to)); });
    number(
        "Ground", kHeightUnit, -500, 9000,
        [](const Plan& p) { return Shown{p.home && p.home->amsl_m ? num(*p.home->amsl_m) : QString()}; },
        [](Plan& p, std::optional<double> v) {
            if (p.home) p.home->amsl_m = v;
        },
        "Change home height");
    note([this](const Plan& p) {
        const auto t = p.home ? session_->terrain()->sample(p.home->position) : std::nullopt;
        return Shown{t ? QString("AMSL; terrain says %1 m").arg(*t, 0, 'f', 1) : QString("AMSL; terrain unknown here")};
    });
}

void Inspector::buildSeveral(const std::vector<ItemId>& ids, const std::vector<ItemId>& all) {
    title(QString(all.size() == ids.size() ? "%1 items" : "%1 things").arg(all.size()),
          [](const Plan&) { return Shown{}; });
    const Ids things(all.begin(), all.end()), items(ids.begin(), ids.end());
    if (ids.empty()) return buildTransform(things);
    heightField(ids);
    number(
        "Add height", kHeightUnit, -9000, 9000, [](const Plan&) { return Shown{}; },
        [items](Plan& p, std::optional<double> v) {
            if (v) changeHeights(p, items, Bulk::add, *v);
        },
        "Add height");
    number(
        "Scale height", "%", 1, 1000, [](const Plan&) { return Shown{}; },
        [items](Plan& p, std::optional<double> v) {
            if (v) changeHeights(p, items, Bulk::scale, *v / 100);
        },
        "Scale heights");
    number(
        "Speed", "m/s", 0.5, 60,
        [ids](const Plan& p) {
            std::optional<double> same;
            for (const ItemId id : ids)
                if (const Item* i = p.find(id)) {
                    if (same && *same != effectiveSpeed(p, *i)) return Shown{"several"};
                    same = effectiveSpeed(p, *i);
                }
            return Shown{same ? num(*same) : QString()};
        },
        [ids](Plan& p, std::optional<double> v) {
            for (const ItemId id : ids)
                if (Item* i = p.find(id)) i->speed_mps = v;
        },
        "Change speed");
    number(
        "Scale speed", "%", 1, 1000, [](const Plan&) { return Shown{}; },
        [items](Plan& p, std::optional<double> v) {
            if (v) changeSpeeds(p, items, Bulk::scale, *v / 100);
        },
        "Scale speeds");
    textField(
        "Section", [](const Plan&) { return Shown{}; },
        [items](Plan& p, const QString& t) { setSection(p, items, t.trimmed().toStdString()); }, "Change section");
    note([](const Plan&) { return Shown{"What is typed here is set on all of them."}; });
    buildTransform(things);
}

void Inspector::buildTransform(const Ids& ids) {
    textField(
        "Move by", [](const Plan&) { return Shown{}; },
        [ids](Plan& p, const QString& t) {
            // "25 m 90": distance, then bearing.
            const QStringList parts = t.trimmed().split(QRegularExpression("[\\s,;@]+"), Qt::SkipEmptyParts);
            if (parts.size() < 2) return;
            const auto bearing = typedNumber(parts.back(), "°");
            const auto distance = typedNumber(QStringList(parts.mid(0, parts.size() - 1)).join(""), "m");
            if (bearing && distance && std::abs(*distance) < 1e6) moveBy(p, ids, *bearing, *distance);
        },
        "Move by a step");
    fields_.back().edit->setPlaceholderText("25 m 90°");
    number(
        "Rotate by", "°", -360, 360, [](const Plan&) { return Shown{}; },
        [ids](Plan& p, std::optional<double> v) {
            if (v) rotateBy(p, ids, pivotOf(p, ids), *v);
        },
        "Rotate");
    number(
        "Scale size", "%", 1, 10000, [](const Plan&) { return Shown{}; },
        [ids](Plan& p, std::optional<double> v) {
            if (v) scaleBy(p, ids, pivotOf(p, ids), *v / 100);
        },
        "Scale");
    note([](const Plan&) {
        return Shown{"Rotates clockwise and scales about the middle. Arrow keys nudge by 1 m, with Shift 10 m."};
    });
}

void Inspector::buildOther(ItemId id) {
    const Plan& plan = *session_->plan();
    if (plan.findFence(id) != nullptr)
        buildFence(id);
    else if (plan.findObstacle(id) != nullptr)
        buildObstacle(id);
    else if (plan.findRally(id) != nullptr)
        buildRally(id);
    else if (plan.findZone(id) != nullptr)
        buildZone(id);
    else
        buildPlan();
}

void Inspector::buildFence(ItemId id) {
    const Fence* fence = session_->plan()->findFence(id);
    title(fence->kind == FenceKind::keepIn ? "Keep-in fence" : "Keep-out fence", [id](const Plan& p) {
        const Fence* f = p.findFence(id);
        return Shown{f == nullptr    ? QString()
                     : f->isCircle() ? QString("circle")
                                     : QString("%1 corners").arg(f->outline.size())};
    });
    if (fence->isCircle())
        number(
            "Radius", "m", 1, 100000,
            [id](const Plan& p) { return p.findFence(id) ? Shown{num(p.findFence(id)->radius_m)} : Shown{}; },
            [id](Plan& p, std::optional<double> v) {
                if (Fence* f = p.findFence(id); f != nullptr && v) f->radius_m = *v;
            },
            "Change radius");
    textField(
        "Name",
        [id](const Plan& p) {
            return Shown{p.findFence(id) ? QString::fromStdString(p.findFence(id)->name) : QString()};
        },
        [id](Plan& p, const QString& t) {
            if (Fence* f = p.findFence(id)) f->name = t.toStdString();
        },
        "Rename fence");
    auto* turn = new QPushButton("Make it the other kind");
    connect(turn, &QPushButton::clicked, this, [this, id] {
        session_->edit("Change fence kind", [&](Plan& p) {
            if (Fence* f = p.findFence(id))
                f->kind = f->kind == FenceKind::keepIn ? FenceKind::keepOut : FenceKind::keepIn;
        });
        built_.clear();
        refresh();
    });
    column_->addWidget(turn);
    note([](const Plan&) { return Shown{"Drag a corner to move it, the dot between two corners to add one."}; });
}

template <class T>
void Inspector::nameField(T* (Plan::*lookup)(ItemId), ItemId id) {
    textField(
        "Name",
        [lookup, id](const Plan& p) {
            const T* t = (const_cast<Plan&>(p).*lookup)(id);
            return Shown{t != nullptr ? QString::fromStdString(t->name) : QString()};
        },
        [lookup, id](Plan& p, const QString& text) {
            if (T* t = (p.*lookup)(id)) t->name = text.toStdString();
        },
        "Rename");
}

void Inspector::buildObstacle(ItemId id) {
    const Obstacle& o = *session_->plan()->findObstacle(id);
    title(QString("Obstacle: %1").arg(obstacleText(o.kind)), [](const Plan&) { return Shown{}; });
    nameField<Obstacle>(&Plan::findObstacle, id);
    const auto field = [&](const char* label, const char* unit, double high, double Obstacle::*member) {
        number(
            label, unit, 0, high,
            [id, member](const Plan& p) {
                const Obstacle* each = p.findObstacle(id);
                return each != nullptr ? Shown{num(each->*member)} : Shown{};
            },
            [id, member](Plan& p, std::optional<double> v) {
                if (Obstacle* each = p.findObstacle(id); each != nullptr && v) each->*member = *v;
            },
            QString("Change %1").arg(QString(label).toLower()));
    };
    field("Height", kHeightUnit, 2000, &Obstacle::height_m);
    if (o.kind == ObstacleKind::mast) field("Radius", "m", 1000, &Obstacle::radius_m);
    field("Margin", "m", 1000, &Obstacle::margin_m);
    note([this, id](const Plan& p) {
        const Obstacle* each = p.findObstacle(id);
        const auto ground = each != nullptr ? session_->terrain()->sample(each->points.front()) : std::nullopt;
        return Shown{ground && each != nullptr
                         ? QString("Height stands on the ground; top %1 m AMSL. The margin is kept to the side.")
                               .arg(*ground + each->height_m, 0, 'f', 0)
                         : QString("Height stands on the ground, which is unknown here")};
    });
    if (o.kind == ObstacleKind::mast)
        positionField(
            [id](const Plan& p) {
                return p.findObstacle(id) ? std::optional(p.findObstacle(id)->points.front()) : std::nullopt;
            },
            [id](Plan& p, GeoPoint to) {
                if (Obstacle* each = p.findObstacle(id)) each->points.front() = to;
            });
}

void Inspector::buildRally(ItemId id) {
    title("Rally point", [](const Plan&) { return Shown{"flown to instead of home"}; });
    nameField<RallyPoint>(&Plan::findRally, id);
    number(
        "Height", kHeightUnit, -500, 9000,
        [id](const Plan& p) { return p.findRally(id) ? Shown{num(p.findRally(id)->height.value_m)} : Shown{}; },
        [id](Plan& p, std::optional<double> v) {
            if (RallyPoint* r = p.findRally(id); r != nullptr && v) r->height.value_m = *v;
        },
        "Change height");
    note([id](const Plan& p) {
        const RallyPoint* r = p.findRally(id);
        return Shown{r != nullptr ? QString("above %1").arg(refText(r->height.ref)) : QString()};
    });
    positionField(
        [id](const Plan& p) { return p.findRally(id) ? std::optional(p.findRally(id)->position) : std::nullopt; },
        [id](Plan& p, GeoPoint to) {
            if (RallyPoint* r = p.findRally(id)) r->position = to;
        });
}

void Inspector::buildZone(ItemId id) {
    title("Airspace", [id](const Plan& p) {
        const Zone* z = p.findZone(id);
        return Shown{z != nullptr ? "class " + QString::fromStdString(z->zone_class) : QString()};
    });
    nameField<Zone>(&Plan::findZone, id);
    note([id](const Plan& p) {
        const Zone* z = p.findZone(id);
        if (z == nullptr) return Shown{};
        return Shown{QString("from %1 to %2")
                         .arg(QString::fromStdString(heightText(z->floor)),
                              z->ceiling ? QString::fromStdString(heightText(*z->ceiling)) : "unlimited")};
    });
    textField(
        "Authorised",
        [id](const Plan& p) {
            return Shown{p.findZone(id) ? QString::fromStdString(p.findZone(id)->authorisation) : QString()};
        },
        [id](Plan& p, const QString& t) {
            if (Zone* z = p.findZone(id)) z->authorisation = t.trimmed().toStdString();
        },
        "Note authorisation");
    fields_.back().edit->setPlaceholderText("who, number, dates");
    note([](const Plan&) {
        return Shown{"Empty: flying in here is a finding. What is noted is printed with the plan."};
    });
}

}  // namespace anhinga

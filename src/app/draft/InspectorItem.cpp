// The Inspector's page of one itinerary item.
#include <QtWidgets>

#include "app/draft/Inspector.h"
#include "app/draft/Itinerary.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/plan/Edit.h"

namespace anhinga {

namespace {

/// The number an action has, if it has one: label, unit, limits and how to get at it.
struct ActionNumber {
    const char *label, *unit;
    double low, high;
    std::function<double*(Action&)> at;
};
std::optional<ActionNumber> numberOf(const Action& action) {
    if (std::holds_alternative<PhotoEvery>(action))
        return ActionNumber{"Photo every", "m", 0, 10000,
                            [](Action& a) { return &std::get<PhotoEvery>(a).distance_m; }};
    if (std::holds_alternative<PhotoInterval>(action))
        return ActionNumber{"Photo every", "s", 0, 86400,
                            [](Action& a) { return &std::get<PhotoInterval>(a).interval_s; }};
    if (std::holds_alternative<Delay>(action))
        return ActionNumber{"Wait", "s", 0, 86400, [](Action& a) { return &std::get<Delay>(a).delay_s; }};
    if (std::holds_alternative<SetHeading>(action))
        return ActionNumber{"Nose to", "°", 0, 360, [](Action& a) { return &std::get<SetHeading>(a).heading_deg; }};
    if (std::holds_alternative<GimbalPitch>(action))
        return ActionNumber{"Gimbal pitch", "°", -180, 180,
                            [](Action& a) { return &std::get<GimbalPitch>(a).pitch_deg; }};
    return std::nullopt;
}

}  // namespace

void Inspector::buildItem(ItemId id) {
    const Item& item = *session_->plan()->find(id);
    title(QString::fromStdString(itemText(*session_->plan(), id)), [this, id](const Plan&) {
        const auto visits = visitsOf(*session_->derived(), id);
        return Shown{!visits ? QString() : *visits == 1 ? QString("flown once") : visitsText(*visits)};
    });
    const auto of = [id](const Plan& p) { return p.find(id); };
    if (item.kind == ItemKind::returnHome) {
        note([](const Plan& p) {
            return Shown{QString("Climbs to %1 m above home first, flies home, lands.").arg(p.return_height_m)};
        });
        return;
    }
    textField(
        "Name", [of](const Plan& p) { return Shown{of(p) ? QString::fromStdString(of(p)->name) : QString()}; },
        [id](Plan& p, const QString& t) {
            if (Item* i = p.find(id)) i->name = t.toStdString();
        },
        "Rename item");
    if (hasPosition(item.kind)) kindField(id);
    const bool levels = item.kind == ItemKind::rings || item.kind == ItemKind::face;
    if (!levels && item.kind != ItemKind::land) heightField({id});
    if (item.kind == ItemKind::land) note([](const Plan&) { return Shown{"Arrives as high as it comes, then down"}; });
    if (item.kind != ItemKind::land)
        note([this, id](const Plan& p) {
            const Item* i = p.find(id);
            if (i == nullptr || !hasPosition(i->kind)) return Shown{};
            const auto amsl = amslOf(p, session_->terrain().get(), i->position, effectiveHeight(p, *i));
            const auto ground = session_->terrain()->sample(i->position);
            return Shown{
                QString("%1 · %2").arg(amsl ? QString("%1 m AMSL").arg(*amsl, 0, 'f', 0) : QString("AMSL unknown"),
                                       amsl && ground ? QString("%1 m over ground here").arg(*amsl - *ground, 0, 'f', 0)
                                                      : QString("ground unknown"))};
        });
    if (item.kind != ItemKind::takeOff) {
        number(
            "Speed", "m/s", 0.5, 60,
            [of](const Plan& p) {
                return of(p) ? Shown{num(effectiveSpeed(p, *of(p))), !of(p)->speed_mps} : Shown{};
            },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id)) i->speed_mps = v;
            },
            "Change speed");
    }
    if (item.kind == ItemKind::waypoint && !item.spline) {
        number(
            "Pass within", "m", 0.5, 200,
            [of](const Plan& p) {
                return of(p) ? Shown{num(of(p)->acceptance_m.value_or(p.defaults.acceptance_m)), !of(p)->acceptance_m}
                             : Shown{};
            },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id)) i->acceptance_m = v;
            },
            "Change acceptance");
    }
    const bool leads = (item.kind == ItemKind::waypoint && !item.spline) || item.kind == ItemKind::hold;
    if (leads && effectiveHeight(*session_->plan(), item).ref == HeightRef::ground)
        toggle(
            "Follows the ground on the way here", [of](const Plan& p) { return of(p) != nullptr && !of(p)->straight; },
            [id](Plan& p, bool on) {
                if (Item* i = p.find(id)) i->straight = !on;
            },
            "Change following");
    if (item.kind == ItemKind::hold)
        number(
            "Hold", "s", 0, 36000,
            [of](const Plan& p) {
                return of(p) ? Shown{num(effectiveHold_s(p, *of(p))), !of(p)->hold_s} : Shown{};
            },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id)) i->hold_s = v;
            },
            "Change hold");
    if (item.kind == ItemKind::holdTurns) {
        number(
            "Turns", "", -1000, 1000, [of](const Plan& p) { return of(p) ? Shown{num(of(p)->turns, 2)} : Shown{}; },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id); i != nullptr && v) i->turns = *v;
            },
            "Change turns");
        number(
            "Radius", "m", 1, 10000, [of](const Plan& p) { return of(p) ? Shown{num(of(p)->radius_m)} : Shown{}; },
            [id](Plan& p, std::optional<double> v) {
                if (Item* i = p.find(id); i != nullptr && v) i->radius_m = *v;
            },
            "Change radius");
        note([](const Plan&) { return Shown{"Turns count clockwise; a minus sign turns the other way"}; });
    }
    if (isPattern(item.kind)) buildPattern(id);
    if (hasPosition(item.kind))
        positionField([id](const Plan& p) { return p.find(id) ? std::optional(p.find(id)->position) : std::nullopt; },
                      [id](Plan& p, GeoPoint to) {
                          if (Item* i = p.find(id)) i->position = to;
                      });
    textField(
        "Section",
        [of](const Plan& p) {
            const Section* s = of(p) ? p.findSection(of(p)->section) : nullptr;
            return Shown{s != nullptr ? QString::fromStdString(s->name) : QString()};
        },
        [id](Plan& p, const QString& t) { setSection(p, {id}, t.trimmed().toStdString()); }, "Change section");
    textField(
        "Note", [of](const Plan& p) { return Shown{of(p) ? QString::fromStdString(of(p)->notes) : QString()}; },
        [id](Plan& p, const QString& t) {
            if (Item* i = p.find(id)) i->notes = t.toStdString();
        },
        "Change note");
    actionRows(item);
    if (item.kind != ItemKind::land) chips(id);
}

void Inspector::kindField(ItemId id) {
    struct Kind {
        const char* text;
        ItemKind kind;
        bool spline;
    };
    static constexpr Kind kKinds[] = {{"waypoint", ItemKind::waypoint, false},
                                      {"waypoint, flown in a curve", ItemKind::waypoint, true},
                                      {"hold", ItemKind::hold, false},
                                      {"circle", ItemKind::holdTurns, false},
                                      {"change height here", ItemKind::loiterToHeight, false},
                                      {"land", ItemKind::land, false}};
    auto* row = new QHBoxLayout;
    auto* name = new QLabel("Kind");
    name->setFixedWidth(98);
    name->setProperty("quiet", true);
    auto* box = new QComboBox;
    box->setObjectName("field Kind");
    const Item& item = *session_->plan()->find(id);
    const bool wing = !hovers(session_->plan()->vehicle.kind);
    for (const Kind& k : kKinds) {
        box->addItem(wing && k.kind == ItemKind::hold   ? "hold, circling"
                     : wing && k.kind == ItemKind::land ? "land, with an approach"
                                                        : k.text);
        if (k.kind == item.kind && k.spline == item.spline) box->setCurrentIndex(box->count() - 1);
    }
    connect(box, &QComboBox::activated, this, [this, id](int index) {
        const Kind& k = kKinds[index];
        session_->edit("Change kind", [&](Plan& p) {
            if (Item* i = p.find(id)) {
                i->kind = k.kind;
                i->spline = k.spline;
            }
        });
    });
    row->addWidget(name);
    row->addWidget(box, 1);
    column_->addLayout(row);
}

void Inspector::repeatRow(ItemId id, std::size_t k) {
    const Plan& plan = *session_->plan();
    auto* row = new QHBoxLayout;
    auto* label = new QLabel("Repeat from");
    label->setFixedWidth(98);
    label->setProperty("quiet", true);
    auto* target = new QComboBox;
    target->setObjectName("repeat target");
    const ItemId now = std::get<Repeat>(plan.find(id)->actions[k]).target;
    for (const Item& other : plan.items) {
        target->addItem(QString::fromStdString(itemText(plan, other.id)), other.id);
        if (other.id == now) target->setCurrentIndex(target->count() - 1);
    }
    if (plan.find(now) == nullptr) {
        target->insertItem(0, "choose an item", 0);
        target->setCurrentIndex(0);
    }
    connect(target, &QComboBox::activated, this, [this, id, k, target] {
        session_->edit("Change repeat target", [&](Plan& p) {
            if (Item* i = p.find(id)) std::get<Repeat>(i->actions[k]).target = target->currentData().value<ItemId>();
        });
    });
    row->addWidget(label);
    row->addWidget(target, 1);
    column_->addLayout(row);
    number(
        "Extra passes", "", -1, 32767,
        [id, k](const Plan& p) {
            const Item* i = p.find(id);
            if (i == nullptr || k >= i->actions.size()) return Shown{};
            const auto* r = std::get_if<Repeat>(&i->actions[k]);
            return Shown{r != nullptr ? num(r->count, 0) : QString()};
        },
        [id, k](Plan& p, std::optional<double> v) {
            if (Item* i = p.find(id); i != nullptr && v) std::get<Repeat>(i->actions[k]).count = static_cast<int>(*v);
        },
        "Change repeat count");
    const auto repeatIn = [id, k](const Plan& p) -> const Repeat* {
        const Item* i = p.find(id);
        return i != nullptr && k < i->actions.size() ? std::get_if<Repeat>(&i->actions[k]) : nullptr;
    };
    choice(
        "If without end", {"not said", "ended by an order", "ended at the reserve"},
        [repeatIn](const Plan& p) {
            const Repeat* r = repeatIn(p);
            return r != nullptr ? static_cast<int>(r->leave) : 0;
        },
        [id, k](Plan& p, int n) {
            Item* i = p.find(id);
            if (i != nullptr && k < i->actions.size())
                if (auto* r = std::get_if<Repeat>(&i->actions[k])) r->leave = static_cast<Leave>(n);
        },
        "Change how the repeat is left");
    note([](const Plan&) { return Shown{"−1 extra passes repeat without an end"}; });
}

void Inspector::actionRows(const Item& item) {
    const ItemId id = item.id;
    for (std::size_t k = 0; k < item.actions.size(); ++k) {
        const auto remove = [this, id, k] {
            session_->edit("Remove action", [&](Plan& p) {
                if (Item* i = p.find(id); i != nullptr && k < i->actions.size())
                    i->actions.erase(i->actions.begin() + static_cast<std::ptrdiff_t>(k));
            });
        };
        if (std::holds_alternative<Repeat>(item.actions[k])) repeatRow(id, k);
        if (const auto n = numberOf(item.actions[k])) {
            const auto at = n->at;
            const std::size_t kind = item.actions[k].index();
            number(
                n->label, n->unit, n->low, n->high,
                [id, k, at, kind](const Plan& p) {
                    const Item* i = p.find(id);
                    if (i == nullptr || k >= i->actions.size() || i->actions[k].index() != kind) return Shown{};
                    Action copy = i->actions[k];
                    return Shown{num(*at(copy))};
                },
                [id, k, at, kind](Plan& p, std::optional<double> v) {
                    Item* i = p.find(id);
                    if (i != nullptr && v && k < i->actions.size() && i->actions[k].index() == kind)
                        *at(i->actions[k]) = *v;
                },
                "Change action");
        }
        Item alone = item;
        alone.actions = {item.actions[k]};
        alone.speed_mps.reset();
        alone.kind = ItemKind::waypoint;
        alone.spline = false;
        auto* row = new QHBoxLayout;
        auto* label = new QLabel(actionLine(*session_->plan(), alone));
        label->setWordWrap(true);
        auto* button = new QPushButton(std::holds_alternative<Repeat>(item.actions[k]) ? "Remove repeat" : "Remove");
        button->setProperty("chip", true);
        connect(button, &QPushButton::clicked, this, remove);
        row->addWidget(label, 1);
        row->addWidget(button);
        column_->addLayout(row);
    }
}

void Inspector::chips(ItemId id) {
    auto* grid = new QGridLayout;
    grid->setSpacing(5);
    int n = 0;
    const auto place = [&](QPushButton* b) {
        b->setProperty("chip", true);
        grid->addWidget(b, n / 3, n % 3);
        ++n;
    };
    const auto chip = [&](const QString& text, const std::function<void()>& act) {
        auto* b = new QPushButton(text);
        b->setObjectName("chip " + text.mid(2));
        connect(b, &QPushButton::clicked, this, act);
        place(b);
    };
    const auto add = [this, id](const QString& name, const Action& action) {
        session_->edit(name, [&](Plan& p) {
            if (Item* i = p.find(id)) i->actions.push_back(action);
        });
    };
    if (session_->plan()->find(id)->kind == ItemKind::waypoint)
        chip("+ hold", [this, id] {
            session_->edit("Add hold", [&](Plan& p) {
                if (Item* i = p.find(id)) {
                    i->kind = ItemKind::hold;
                    i->spline = false;
                }
            });
        });
    if (session_->plan()->find(id)->kind == ItemKind::hold)
        chip("− hold", [this, id] {
            session_->edit("Remove hold", [&](Plan& p) {
                if (Item* i = p.find(id)) {
                    i->kind = ItemKind::waypoint;
                    i->hold_s.reset();
                }
            });
        });
    chip("+ photo", [add] { add("Add photo", PhotoNow{}); });
    chip("+ repeat", [this, id, add] {
        // Back to the item before, the commonest wish; the target is then chosen in its field.
        const int index = session_->plan()->indexOf(id);
        add("Add repeat", Repeat{session_->plan()->items[static_cast<std::size_t>(std::max(0, index - 1))].id, 1});
    });
    // The nose of a fixed wing points where it flies: what turns it is not offered.
    const bool wing = !hovers(session_->plan()->vehicle.kind);
    if (!wing) chip("+ look-at", [this] { emit lookAtWanted(); });
    chip("+ look-at end", [add] { add("End look-at", LookAtStop{}); });
    auto* more = new QPushButton("more …");
    more->setObjectName("chip more");
    auto* menu = new QMenu(more);
    const std::pair<const char*, Action> others[] = {{"Photos by distance", PhotoEvery{20}},
                                                     {"Photos by time", PhotoInterval{5}},
                                                     {"Stop photos by distance", PhotoEvery{0}},
                                                     {"Stop photos by time", PhotoInterval{0}},
                                                     {"Start video", Video{true}},
                                                     {"Stop video", Video{false}},
                                                     {"Wait", Delay{5}},
                                                     {"Nose to a heading", SetHeading{0}},
                                                     {"Gimbal pitch", GimbalPitch{-45}},
                                                     {"Drive a servo", Servo{}},
                                                     {"Close a relay", Relay{0, true}},
                                                     {"Open a relay", Relay{0, false}}};
    for (const auto& [text, action] : others)
        if (!wing || !std::holds_alternative<SetHeading>(action))
            menu->addAction(text, [add, text = QString(text), action = action] { add(text, action); });
    more->setMenu(menu);
    place(more);
    column_->addLayout(grid);
}

}  // namespace anhinga

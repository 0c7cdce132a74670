// The Inspector's page of a survey pattern: what it is told, and the numbers that follow from it.
#include <QtWidgets>

#include "app/draft/Inspector.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/flight/Power.h"

namespace anhinga {

namespace {

struct PatternField {
    ItemKind kind;
    const char *label, *unit;
    double low, high;
    double Pattern::*value;
};
constexpr PatternField kFields[] = {
    {ItemKind::block, "Overlap", "%", 0, 99, &Pattern::overlap_percent},
    {ItemKind::block, "Sidelap", "%", 0, 99, &Pattern::sidelap_percent},
    {ItemKind::block, "Heading", "°", -360, 360, &Pattern::heading_deg},
    {ItemKind::block, "Beyond edge", "m", 0, 1000, &Pattern::margin_m},
    {ItemKind::block, "Run in, out", "m", 0, 2000, &Pattern::lead_m},
    {ItemKind::block, "Within", "m", 0.2, 50, &Pattern::tolerance_m},
    {ItemKind::block, "Nudge east", "m", -1000, 1000, &Pattern::nudge_east_m},
    {ItemKind::block, "Nudge north", "m", -1000, 1000, &Pattern::nudge_north_m},
    {ItemKind::corridor, "Width", "m", 0.1, 5000, &Pattern::width_m},
    {ItemKind::corridor, "Right of line", "m", -5000, 5000, &Pattern::offset_m},
    {ItemKind::corridor, "Overlap", "%", 0, 99, &Pattern::overlap_percent},
    {ItemKind::corridor, "Sidelap", "%", 0, 99, &Pattern::sidelap_percent},
    {ItemKind::corridor, "Beyond edge", "m", 0, 1000, &Pattern::margin_m},
    {ItemKind::corridor, "Run in, out", "m", 0, 2000, &Pattern::lead_m},
    {ItemKind::corridor, "Within", "m", 0.2, 50, &Pattern::tolerance_m},
    {ItemKind::rings, "Radius", "m", 1, 5000, &Pattern::radius_m},
    {ItemKind::rings, "Lowest ring", "m", -500, 5000, &Pattern::low_m},
    {ItemKind::rings, "Highest ring", "m", -500, 5000, &Pattern::high_m},
    {ItemKind::rings, "Rings apart", "m", 0.5, 500, &Pattern::step_up_m},
    {ItemKind::rings, "Wider by", "m", -500, 500, &Pattern::radius_step_m},
    {ItemKind::rings, "Begins at", "°", -360, 360, &Pattern::start_deg},
    {ItemKind::face, "Stand-off", "m", 1, 500, &Pattern::stand_off_m},
    {ItemKind::face, "Lowest row", "m", -500, 5000, &Pattern::low_m},
    {ItemKind::face, "Highest row", "m", -500, 5000, &Pattern::high_m},
    {ItemKind::face, "Rows apart", "m", 0, 500, &Pattern::step_up_m},
    {ItemKind::face, "Overlap on wall", "%", 0, 99, &Pattern::overlap_percent},
    {ItemKind::face, "Row overlap", "%", 0, 99, &Pattern::sidelap_percent},
};

struct Count {
    ItemKind kind;
    const char* label;
    int low, high;
    int Pattern::*value;
};
constexpr Count kCounts[] = {
    {ItemKind::block, "Start corner", 0, 3, &Pattern::start_corner},
    {ItemKind::corridor, "Strips", 0, 1000, &Pattern::strips},
    {ItemKind::rings, "Photos a ring", 3, 2000, &Pattern::per_ring},
    {ItemKind::face, "Shots each", 1, 50, &Pattern::shots},
};

struct Switch {
    ItemKind kind;
    const char* label;
    bool Pattern::*value;
};
constexpr Switch kSwitches[] = {
    {ItemKind::block, "Best heading", &Pattern::best_heading},
    {ItemKind::block, "Follow the terrain", &Pattern::follow},
    {ItemKind::block, "Every photo that shows the area", &Pattern::whole_photos},
    {ItemKind::block, "Second pass across", &Pattern::crossing},
    {ItemKind::block, "Reverse", &Pattern::reverse},
    {ItemKind::corridor, "Follow the terrain", &Pattern::follow},
    {ItemKind::corridor, "Every photo that shows the strip", &Pattern::whole_photos},
    {ItemKind::corridor, "Reverse", &Pattern::reverse},
    {ItemKind::rings, "Anticlockwise", &Pattern::anticlockwise},
    {ItemKind::face, "Up and down", &Pattern::columns},
    {ItemKind::face, "Reverse", &Pattern::reverse},
    {ItemKind::lap, "Reverse", &Pattern::reverse},
};

QString centimetres(double m) {
    return QString::number(m * 100, 'f', m < 0.1 ? 2 : 1);
}

/// The overlap that follows where the spacing is said instead.
QString overlapText(const Item& item, const PatternFlight& flight) {
    const Pattern& p = *item.pattern;
    const bool said = p.spacing_m > 0 || (p.when == PhotoWhen::time && p.every_s > 0);
    const double along = item.kind == ItemKind::face ? flight.footprint.across_m : flight.footprint.along_m;
    if (!said || along <= 0 || item.kind == ItemKind::rings || item.kind == ItemKind::lap) return {};
    return QString(", overlap %1 %").arg(100 * (1 - flight.photo_spacing_m / along), 0, 'f', 0);
}

/// Angles one after the other: "-30, 0, 30". Nothing when it is no such list.
std::optional<std::vector<double>> anglesOf(const QString& text, double low, double high) {
    constexpr qsizetype kMost = 50;
    static const QRegularExpression kBetween("[,;\\s]+");
    const QStringList parts = QString(text).remove(QChar(0x00b0)).split(kBetween, Qt::SkipEmptyParts);
    if (parts.isEmpty() || parts.size() > kMost) return std::nullopt;
    std::vector<double> out;
    for (const QString& part : parts) {
        const auto v = parseNumber(part.toStdString());
        if (!v || *v < low || *v > high) return std::nullopt;
        out.push_back(*v);
    }
    return out;
}

/// What follows from a pattern, line by line.
QString numbersOf(const Plan& plan, const Item& item, const PatternFlight& flight) {
    if (!flight.problem.empty()) return "Nothing to fly: " + QString::fromStdString(flight.problem);
    const CameraProfile& camera = plan.camera;
    const double speed = effectiveSpeed(plan, item);
    const char* lines = item.kind == ItemKind::rings                           ? "rings"
                        : item.kind == ItemKind::face && item.pattern->columns ? "columns"
                        : item.kind == ItemKind::face                          ? "rows"
                        : item.kind == ItemKind::lap                           ? "lap"
                                                                               : "lines";
    QStringList out;
    QString first = QString("%1 %2 · %3 photos").arg(flight.lines).arg(lines).arg(flight.photos.size());
    if (item.kind == ItemKind::block || item.kind == ItemKind::corridor)
        first = QString("%1 ha · ").arg(flight.area_m2 / 1e4, 0, 'f', 2) + first;
    out << first;
    // Stops cost time beside the way: braking, standing and speeding up again.
    const double stops =
        item.pattern->stands() ? static_cast<double>(flight.points.size()) * (1 + speed / plan.vehicle.accel_mps2) : 0;
    const double duration = flight.distance_m / std::max(0.1, speed) + stops;
    out << QString("%1 · about %2 at %3 m/s")
               .arg(QString::fromStdString(distanceText(flight.distance_m)),
                    QString::fromStdString(durationText(duration)))
               .arg(speed, 0, 'f', 1);
    out << QString("%1 batteries in the pattern").arg(batteriesFor(plan.vehicle, duration, speed), 0, 'f', 1);
    if (flight.gsd_most_m > 0)
        out << (flight.gsd_most_m - flight.gsd_least_m < 0.0005
                    ? QString("ground sample %1 cm").arg(centimetres(flight.gsd_mean_m))
                    : QString("ground sample %1 to %2 cm, mean %3")
                          .arg(centimetres(flight.gsd_least_m), centimetres(flight.gsd_most_m),
                               centimetres(flight.gsd_mean_m)));
    if (flight.photo_spacing_m > 0 && !flight.photos.empty())
        out << QString("photos %1 m apart%2").arg(flight.photo_spacing_m, 0, 'f', 1).arg(overlapText(item, flight)) +
                   (flight.line_spacing_m > 0 ? QString(", %1 %2 m").arg(lines).arg(flight.line_spacing_m, 0, 'f', 1)
                                              : QString());
    if (!flight.photos.empty()) {
        QString last =
            QString("%1 GB").arg(static_cast<double>(flight.photos.size()) * camera.photo_mb / 1000, 0, 'f', 1);
        if (!item.pattern->stands()) {
            if (const auto most = largestSpeed_mps(flight, camera))
                last += QString(" · at most %1 m/s").arg(*most, 0, 'f', 1);
            if (flight.gsd_mean_m > 0)
                last += QString(" · blur %1 px").arg(speed * camera.shutter_s / flight.gsd_mean_m, 0, 'f', 2);
        }
        out << last;
    }
    if (!camera.triggered && item.pattern->makes != CameraMakes::nothing)
        out << "This camera is not triggered by the plan: start it by hand before take-off";
    return out.join("\n");
}

const Pattern* patternIn(const Plan& p, ItemId id) {
    const Item* i = p.find(id);
    return i != nullptr ? &*i->pattern : nullptr;
}

}  // namespace

/// Two questions: what the camera makes, and when.
void Inspector::buildCamera(ItemId id) {
    const auto change = [id](Plan& p, const std::function<void(Pattern&)>& act) {
        if (Item* i = p.find(id)) act(i->pattern.edit());
    };
    choice(
        "Camera makes", {"photos", "film", "nothing"},
        [id](const Plan& p) { return patternIn(p, id) != nullptr ? static_cast<int>(patternIn(p, id)->makes) : 0; },
        [change](Plan& p, int v) { change(p, [&](Pattern& t) { t.makes = static_cast<CameraMakes>(v); }); },
        "Change what the camera makes");
    const Pattern* now = patternIn(*session_->plan(), id);
    if (now == nullptr || !now->takesPhotos()) return;
    choice(
        "Photos", {"every so many metres", "every so many seconds", "standing still at each point"},
        [id](const Plan& p) { return patternIn(p, id) != nullptr ? static_cast<int>(patternIn(p, id)->when) : 0; },
        [change](Plan& p, int v) { change(p, [&](Pattern& t) { t.when = static_cast<PhotoWhen>(v); }); },
        "Change when photos are taken");
    const bool by_time = now->when == PhotoWhen::time;
    double Pattern::*const value = by_time ? &Pattern::every_s : &Pattern::spacing_m;
    number(
        "every", by_time ? "s" : "m", 0, by_time ? 3600 : 5000,
        [id, value](const Plan& p) {
            const Pattern* t = patternIn(p, id);
            return t != nullptr && t->*value > 0 ? Shown{QString::number(t->*value, 'g', 7)} : Shown{};
        },
        [change, value](Plan& p, std::optional<double> v) { change(p, [&](Pattern& t) { t.*value = v.value_or(0); }); },
        "Change how often photos are taken");
    const ItemKind kind = session_->plan()->find(id)->kind;
    fields_.back().edit->setPlaceholderText(kind == ItemKind::rings ? "as the ring's photos need"
                                            : kind == ItemKind::lap ? "10 m"
                                                                    : "as the overlap needs");
    fields_.back().edit->setToolTip("Empty: as often as the rest of the pattern needs");
}

/// The camera's angles at each point of a Face, and from which side it is flown.
void Inspector::buildFaceAngles(ItemId id) {
    struct Angles {
        const char* label;
        std::vector<double> Pattern::*value;
        double most;
        const char* tip;
    };
    for (const Angles& a :
         {Angles{"Tilts", &Pattern::tilts_deg, 90, "Of the camera at each point, up is positive: -30, 0, 30"},
          Angles{"Turns", &Pattern::turns_deg, 180, "Of the nose away from the wall's normal: -20, 0, 20"}}) {
        textField(
            a.label,
            [id, value = a.value](const Plan& p) {
                QStringList out;
                if (const Pattern* t = patternIn(p, id))
                    for (const double v : t->*value) out << QString::number(v, 'g', 6);
                return Shown{out.join(", ") + "°"};
            },
            [id, value = a.value, most = a.most](Plan& p, const QString& text) {
                const auto angles = anglesOf(text, -most, most);
                if (Item* i = p.find(id); i != nullptr && angles) i->pattern.edit().*value = *angles;
            },
            QString("Change %1").arg(QString(a.label).toLower()));
        fields_.back().edit->setToolTip(QString("%1. One photo for each, from -%2° to %2°").arg(a.tip).arg(a.most));
    }
    auto* row = new QHBoxLayout;
    auto* side = new QLabel;
    side->setProperty("quiet", true);
    notes_.push_back({side, [id](const Plan& p) {
                          const Pattern* t = patternIn(p, id);
                          return Shown{t == nullptr   ? QString()
                                       : t->left_side ? "Flown left of its line"
                                                      : "Flown right of its line"};
                      }});
    auto* other = new QPushButton("Click the side …");
    other->setObjectName("face side");
    other->setProperty("link", true);
    other->setToolTip(
        "The next click on the map is the side it is flown on; the camera looks across the line from there");
    connect(other, &QPushButton::clicked, this, &Inspector::sideWanted);
    row->addWidget(side, 1);
    row->addWidget(other);
    column_->addLayout(row);
}

void Inspector::choice(const QString& label, const QStringList& names, const std::function<int(const Plan&)>& get,
                       const std::function<void(Plan&, int)>& set, const QString& undo_name) {
    auto* row = new QHBoxLayout;
    auto* name = new QLabel(label);
    name->setFixedWidth(98);
    name->setProperty("quiet", true);
    auto* box = new QComboBox;
    box->setObjectName("field " + label);
    box->addItems(names);
    row->addWidget(name);
    row->addWidget(box, 1);
    column_->addLayout(row);
    choices_.push_back({box, get});
    connect(box, &QComboBox::activated, this,
            [this, set, undo_name](int index) { session_->edit(undo_name, [&](Plan& plan) { set(plan, index); }); });
}

void Inspector::toggle(const QString& label, const std::function<bool(const Plan&)>& get,
                       const std::function<void(Plan&, bool)>& set, const QString& undo_name) {
    auto* box = new QCheckBox(label);
    box->setObjectName("field " + label);
    column_->addWidget(box);
    toggles_.push_back({box, get});
    connect(box, &QCheckBox::clicked, this,
            [this, set, undo_name](bool on) { session_->edit(undo_name, [&](Plan& plan) { set(plan, on); }); });
}

void Inspector::buildPattern(ItemId id) {
    const Item& item = *session_->plan()->find(id);
    const ItemKind kind = item.kind;
    const auto patternOf = [id](const Plan& p) -> const Pattern* {
        const Item* i = p.find(id);
        return i != nullptr ? &*i->pattern : nullptr;
    };
    const auto change = [id](Plan& p, const std::function<void(Pattern&)>& act) {
        if (Item* i = p.find(id)) act(i->pattern.edit());
    };
    note([this, id](const Plan& p) {
        const Item* i = p.find(id);
        const PatternFlight* flight = session_->derived()->view.route.flightOf(id);
        return i != nullptr && flight != nullptr ? Shown{numbersOf(p, *i, *flight)} : Shown{};
    });
    buildCamera(id);
    const auto optional = [&](const char* label, const char* unit, double low, double high,
                              std::optional<double> Pattern::*value) {
        number(
            label, unit, low, high,
            [patternOf, value](const Plan& p) {
                const Pattern* t = patternOf(p);
                return t != nullptr && (t->*value).has_value() ? Shown{QString::number(*(t->*value), 'g', 6)} : Shown{};
            },
            [change, value](Plan& p, std::optional<double> v) { change(p, [&](Pattern& t) { t.*value = v; }); },
            QString("Change %1").arg(QString(label).toLower()));
    };
    if (kind == ItemKind::rings || kind == ItemKind::face)
        choice(
            "Heights above", {"home", "AMSL", "ground there"},
            [id](const Plan& p) {
                return p.find(id) != nullptr ? static_cast<int>(effectiveHeight(p, *p.find(id)).ref) : 0;
            },
            [this, id](Plan& p, int v) {
                Item* i = p.find(id);
                if (i == nullptr || i->pattern->outline.empty()) return;
                // The aircraft stays where it is: the numbers are converted where that can be told.
                Pattern& t = i->pattern.edit();
                const HeightRef from = effectiveHeight(p, *i).ref, to = static_cast<HeightRef>(v);
                for (double* level : {&t.low_m, &t.high_m})
                    if (const auto same =
                            converted(p, session_->terrain().get(), t.outline.front(), Height{*level, from}, to))
                        *level = std::round(same->value_m * 10) / 10;
                i->height = Height{t.low_m, to};
            },
            "Change height reference");
    if (kind == ItemKind::block || kind == ItemKind::corridor)
        optional("Ground sample", "cm", 0.05, 200, &Pattern::gsd_cm);
    for (const PatternField& f : kFields) {
        if (f.kind != kind) continue;
        number(
            f.label, f.unit, f.low, f.high,
            [patternOf, value = f.value](const Plan& p) {
                return patternOf(p) != nullptr ? Shown{QString::number(patternOf(p)->*value, 'g', 7)} : Shown{};
            },
            [change, value = f.value](Plan& p, std::optional<double> v) {
                const Pattern usual;
                change(p, [&](Pattern& t) { t.*value = v.value_or(usual.*value); });
            },
            QString("Change %1").arg(QString(f.label).toLower()));
    }
    if (kind == ItemKind::face) buildFaceAngles(id);
    for (const Count& c : kCounts) {
        if (c.kind != kind) continue;
        number(
            c.label, "", c.low, c.high,
            [patternOf, value = c.value](const Plan& p) {
                return patternOf(p) != nullptr ? Shown{QString::number(patternOf(p)->*value)} : Shown{};
            },
            [change, value = c.value](Plan& p, std::optional<double> v) {
                const Pattern usual;
                change(p, [&](Pattern& t) { t.*value = v ? static_cast<int>(std::lround(*v)) : usual.*value; });
            },
            QString("Change %1").arg(QString(c.label).toLower()));
    }
    if (kind != ItemKind::lap && kind != ItemKind::face) optional("Camera pitch", "°", -180, 90, &Pattern::pitch_deg);
    if (kind == ItemKind::rings || kind == ItemKind::lap) {
        number(
            "Middle at", "m", -500, 5000,
            [patternOf](const Plan& p) {
                return patternOf(p) != nullptr ? Shown{QString::number(patternOf(p)->target.value_m, 'g', 6)} : Shown{};
            },
            [change](Plan& p, std::optional<double> v) {
                change(p, [&](Pattern& t) { t.target.value_m = v.value_or(10); });
            },
            "Change middle");
        choice(
            "measured from", {"home", "AMSL", "ground"},
            [patternOf](const Plan& p) {
                return patternOf(p) != nullptr ? static_cast<int>(patternOf(p)->target.ref) : 2;
            },
            [change](Plan& p, int v) { change(p, [&](Pattern& t) { t.target.ref = static_cast<HeightRef>(v); }); },
            "Change middle's reference");
    }
    for (const Switch& s : kSwitches) {
        if (s.kind != kind) continue;
        toggle(
            s.label,
            [patternOf, value = s.value](const Plan& p) { return patternOf(p) != nullptr && patternOf(p)->*value; },
            [this, id, change, value = s.value](Plan& p, bool on) {
                change(p, [&](Pattern& t) { t.*value = on; });
                // Followed terrain is a height above ground: the number is converted where it was another.
                Item* i = p.find(id);
                if (value != &Pattern::follow || !on || i == nullptr) return;
                const PatternFlight* flight = session_->derived()->view.route.flightOf(id);
                if (effectiveHeight(p, *i).ref != HeightRef::ground && flight != nullptr &&
                    flight->height_above_ground_m > 0)
                    i->height = Height::aboveGround(std::round(flight->height_above_ground_m * 10) / 10);
            },
            QString(s.label));
    }
}

}  // namespace anhinga

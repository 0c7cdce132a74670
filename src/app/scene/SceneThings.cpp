#include "app/scene/SceneThings.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/pattern/Coverage.h"

namespace anhinga {

namespace {

QColor clear(QColor c, double a) {
    c.setAlphaF(static_cast<float>(a));
    return c;
}

/// What both builders need: heights of the ground, and places for lines and faces.
class ShapeBuilder {
  public:
    ShapeBuilder(const Plan& plan, const Terrain* terrain, const SceneSpace& space, const Theme& theme,
                 const std::set<ItemId>& selected)
        : plan_(plan), terrain_(terrain), space_(space), theme_(theme), selected_(selected) {}

  protected:
    double ground(GeoPoint p) const {
        const auto g = terrain_ != nullptr ? terrain_->sample(p) : std::nullopt;
        return g.value_or(space_.base_amsl_m);
    }
    void line(const QVector3D& a, const QVector3D& b, const QColor& c, float width, ItemId id = 0) {
        out_.lines.push_back({a, b, c, width, id});
    }
    void quad(const QVector3D& a, const QVector3D& b, const QVector3D& c, const QVector3D& d, const QColor& colour) {
        out_.faces.push_back({a, b, c, colour});
        out_.faces.push_back({a, c, d, colour});
    }

    const Plan& plan_;
    const Terrain* terrain_;
    const SceneSpace& space_;
    const Theme& theme_;
    const std::set<ItemId>& selected_;
    SceneShapes out_;
};

class ObstacleBuilder : public ShapeBuilder {
  public:
    using ShapeBuilder::ShapeBuilder;
    SceneShapes run() {
        obstacles();
        return std::move(out_);
    }

  private:
    void obstacles() {
        for (const Obstacle& o : plan_.obstacles) {
            if (o.points.empty()) continue;
            const QColor c = theme_.vermilion;
            const float width = selected_.contains(o.id) ? 4.5f : 3.0f;
            const auto post = [&](GeoPoint p, double radius) {
                const double g = ground(p);
                const Vec2 at = space_.frame.toLocal(p);
                const double r = std::max(0.6, radius);
                constexpr int kSides = 8;
                for (int i = 0; i < kSides; ++i) {
                    const double f = i * 2 * M_PI / kSides, t = (i + 1) * 2 * M_PI / kSides;
                    const Vec2 u = at + Vec2{std::sin(f), std::cos(f)} * r, v = at + Vec2{std::sin(t), std::cos(t)} * r;
                    quad(space_.of(u, g), space_.of(v, g), space_.of(v, g + o.height_m), space_.of(u, g + o.height_m),
                         i % 2 == 0 ? c : c.darker(125));
                }
                line(space_.of(at, g), space_.of(at, g + o.height_m), c, width, o.id);
                return space_.of(at, g + o.height_m);
            };
            const QString name = o.name.empty() ? QString(obstacleText(o.kind)) : QString::fromStdString(o.name);
            const QString text = QString("%1 · %2 m").arg(name).arg(o.height_m, 0, 'f', 0);
            if (o.kind == ObstacleKind::mast) {
                out_.labels.push_back({post(o.points.front(), o.radius_m), text, o.id, SceneLabel::thing});
            } else if (o.kind == ObstacleKind::wire) {
                QVector3D before;
                for (std::size_t i = 0; i < o.points.size(); ++i) {
                    const QVector3D top = post(o.points[i], 0.4);
                    if (i > 0) line(before, top, c, width, o.id);
                    before = top;
                    if (i == o.points.size() / 2) out_.labels.push_back({top, text, o.id, SceneLabel::thing});
                }
            } else {
                trees(o, text);
            }
        }
    }

    void trees(const Obstacle& o, const QString& text) {
        const QColor face = clear(theme_.vermilion, 0.22), edge = clear(theme_.vermilion, 0.9);
        QVector3D middle;
        for (std::size_t i = 0; i < o.points.size(); ++i) {
            const GeoPoint a = o.points[i], b = o.points[(i + 1) % o.points.size()];
            const double ga = ground(a), gb = ground(b);
            quad(space_.of(a, ga), space_.of(b, gb), space_.of(b, gb + o.height_m), space_.of(a, ga + o.height_m),
                 face);
            line(space_.of(a, ga + o.height_m), space_.of(b, gb + o.height_m), edge, 2, o.id);
            middle += space_.of(a, ga + o.height_m) / static_cast<float>(o.points.size());
        }
        out_.labels.push_back({middle, text, o.id, SceneLabel::thing});
    }
};

class PlanBuilder : public ShapeBuilder {
  public:
    PlanBuilder(const Plan& plan, const PlanView& view, const Terrain* terrain, const SceneSpace& space,
                const Theme& theme, const std::set<ItemId>& selected)
        : ShapeBuilder(plan, terrain, space, theme, selected), view_(view) {}

    SceneShapes run() {
        fences();
        route();
        items();
        return std::move(out_);
    }

  private:
    // ---- fences

    void fences() {
        for (const Fence& f : plan_.fences) {
            std::vector<GeoPoint> ring = f.outline;
            if (f.isCircle()) {
                ring.clear();
                for (int i = 0; i < 48; ++i) ring.push_back(destination(f.outline.front(), i * 7.5, f.radius_m));
            }
            if (ring.size() < 3) continue;
            const bool in = f.kind == FenceKind::keepIn;
            const bool chosen = selected_.contains(f.id);
            const QColor c = theme_.plum;  // as on the map
            // Keep-in ends at the ceiling where there is one; keep-out has no top and is drawn a little over it.
            const double top = space_.base_amsl_m + (plan_.ceiling_m ? *plan_.ceiling_m : 120.0) + (in ? 0 : 10);
            wall(ring, top, clear(c, in ? 0.13 : 0.30), clear(c, 0.9), chosen ? 3.5f : 2.0f, f.id);
        }
    }

    void wall(const std::vector<GeoPoint>& ring, double top_amsl, const QColor& face, const QColor& edge, float width,
              ItemId id) {
        constexpr double kStep_m = 60;  // the foot follows the ground
        for (std::size_t i = 0; i < ring.size(); ++i) {
            const Vec2 a = space_.frame.toLocal(ring[i]), b = space_.frame.toLocal(ring[(i + 1) % ring.size()]);
            const int n = std::clamp(static_cast<int>(length(b - a) / kStep_m), 1, 200);
            for (int k = 0; k < n; ++k) {
                const Vec2 p = a + (b - a) * (static_cast<double>(k) / n), q = a + (b - a) * ((k + 1.0) / n);
                const double gp = ground(space_.frame.toGeo(p)), gq = ground(space_.frame.toGeo(q));
                quad(space_.of(p, gp), space_.of(q, gq), space_.of(q, std::max(gq, top_amsl)),
                     space_.of(p, std::max(gp, top_amsl)), face);
                line(space_.of(p, gp + 0.5), space_.of(q, gq + 0.5), edge, width, id);
                line(space_.of(p, std::max(gp, top_amsl)), space_.of(q, std::max(gq, top_amsl)), edge, width, id);
            }
            line(space_.of(a, ground(ring[i])), space_.of(a, std::max(ground(ring[i]), top_amsl)), clear(edge, 0.5), 1,
                 id);
        }
    }

    // ---- the route

    QColor sampleColour(const ProfileSample& s) const {
        const auto c = s.clearance();
        if (!c) return theme_.quiet;
        if (*c < plan_.clearance_min_m) return theme_.vermilion;
        if (*c < plan_.clearance_margin_m) return theme_.marigold;
        return theme_.lagoon;
    }

    void route() {
        const Path& path = view_.path;
        for (std::size_t k = 0; k < path.legs.size(); ++k) {
            const PathLeg& leg = path.legs[k];
            const bool chosen = selected_.contains(leg.source) || selected_.contains(leg.item_from);
            for (std::size_t i = leg.line_from + 1; i < leg.line_to; ++i) {
                const LinePoint &a = path.line[i - 1], &b = path.line[i];
                if (!a.amsl_m || !b.amsl_m) continue;  // unknown heights are not drawn at a guess
                line(space_.of(a.local, *a.amsl_m), space_.of(b.local, *b.amsl_m), theme_.ink, chosen ? 7.0f : 5.0f,
                     leg.source);
            }
        }
        coloured(view_.clearance.profile);
        coloured(view_.clearance.repeats);
        drops();
    }

    /// The core of the route, coloured by clearance, with as few pieces as colours and bends ask for.
    void coloured(const std::vector<ProfileSample>& samples) {
        const double straight = 0.3;
        for (std::size_t i = 0; i + 1 < samples.size();) {
            const ProfileSample& first = samples[i];
            std::size_t last = i + 1;
            if (samples[last].leg != first.leg || !first.amsl_m || !samples[last].amsl_m) {
                ++i;
                continue;
            }
            const bool climb = view_.path.legs[first.leg].climb;
            const QColor colour = climb ? theme_.raised : sampleColour(samples[last]);
            const Vec2 from = space_.frame.toLocal(first.place);
            Vec2 to = space_.frame.toLocal(samples[last].place);
            while (last + 1 < samples.size() && samples[last + 1].leg == first.leg && samples[last + 1].amsl_m) {
                const QColor next = climb ? theme_.raised : sampleColour(samples[last + 1]);
                if (next != colour) break;
                const Vec2 there = space_.frame.toLocal(samples[last + 1].place);
                const Vec2 along = there - from;
                const double run = length(along);
                const double share = run > 0 ? dot(to - from, along) / (run * run) : 0;
                const double off = run > 0 ? std::abs(cross(to - from, along)) / run : 0;
                const double bent =
                    *samples[last].amsl_m - *first.amsl_m - (*samples[last + 1].amsl_m - *first.amsl_m) * share;
                if (off > straight || std::abs(bent) > straight || run > 400) break;
                to = there;
                ++last;
            }
            line(space_.of(from, *first.amsl_m), space_.of(to, *samples[last].amsl_m), colour, 3);
            i = last;
        }
    }

    /// To the ground, at every point of the route and every so many metres between.
    void drops() {
        const auto& samples = view_.clearance.profile;
        double last = -INFINITY;
        std::size_t leg = static_cast<std::size_t>(-1);
        const double every = std::max(40.0, view_.path.length_m / 400);
        for (const ProfileSample& s : samples) {
            const bool corner = s.leg != leg;
            leg = s.leg;
            if (!s.amsl_m || !s.ground_m || (!corner && s.along_m - last < every)) continue;
            if (corner && s.along_m - last < every / 4) continue;
            last = s.along_m;
            line(space_.of(s.place, *s.amsl_m), space_.of(s.place, *s.ground_m),
                 clear(theme_.ink, corner ? 0.75 : 0.35), corner ? 1.6f : 1.0f);
        }
    }

    void items() {
        const std::vector<int> numbers = itemNumbers(plan_);
        if (plan_.home) {
            const double g = plan_.home->amsl_m.value_or(ground(plan_.home->position));
            out_.labels.push_back({space_.of(plan_.home->position, g), "home", kHomeId, SceneLabel::home});
        }
        for (std::size_t i = 0; i < plan_.items.size(); ++i) {
            const Item& item = plan_.items[i];
            std::optional<QVector3D> at;
            for (const PathPoint& p : view_.path.points)
                if (p.source == item.id && p.amsl_m && !p.on_the_way) {
                    at = space_.of(p.position, *p.amsl_m);
                    break;
                }
            if (!at || item.kind == ItemKind::returnHome || item.kind == ItemKind::takeOff) continue;
            QString text = QString::number(numbers[i]);
            if (isPattern(item.kind) && !item.name.empty()) text += " " + QString::fromStdString(item.name);
            out_.labels.push_back({*at, text, item.id, SceneLabel::item});
            for (const Action& a : item.actions)
                if (const auto* look = std::get_if<LookAt>(&a)) {
                    const auto amsl = amslOf(plan_, terrain_, look->place, look->height);
                    if (!amsl) continue;
                    const QVector3D there = space_.of(look->place, *amsl);
                    line(*at, there, clear(theme_.plum, 0.7), 1.2f, item.id);
                    out_.labels.push_back({there,
                                           look->name.empty() ? QString("look-at") : QString::fromStdString(look->name),
                                           item.id, SceneLabel::thing});
                }
        }
        for (const RallyPoint& r : plan_.rally) {
            const auto amsl = amslOf(plan_, terrain_, r.position, r.height);
            if (!amsl) continue;
            const QVector3D at = space_.of(r.position, *amsl);
            line(at, space_.of(r.position, ground(r.position)), clear(theme_.lagoon, 0.8), 1.5f, r.id);
            out_.labels.push_back({at, "rally " + QString::fromStdString(r.name), r.id, SceneLabel::thing});
        }
    }

    const PlanView& view_;
};

/// The four corners of a photo's pyramid, `deep_m` away from the lens.
std::array<QVector3D, 4> pyramid(const QVector3D& tip, double yaw_deg, double pitch_deg, const CameraProfile& camera,
                                 double deep_m, double exaggeration) {
    const double across = (camera.portrait ? camera.sensor_h_mm : camera.sensor_w_mm) / camera.focal_mm / 2;
    const double along = (camera.portrait ? camera.sensor_w_mm : camera.sensor_h_mm) / camera.focal_mm / 2;
    const double y = yaw_deg * kDeg, p = pitch_deg * kDeg;
    const auto vec = [](double a, double b, double c) {
        return QVector3D(static_cast<float>(a), static_cast<float>(b), static_cast<float>(c));
    };
    const QVector3D ahead = vec(std::sin(y) * std::cos(p), std::cos(y) * std::cos(p), std::sin(p));
    const QVector3D right = vec(std::cos(y), -std::sin(y), 0);
    const QVector3D up = QVector3D::crossProduct(right, ahead);
    std::array<QVector3D, 4> out;
    const float xs[] = {-1, 1, 1, -1}, ys[] = {1, 1, -1, -1};
    for (std::size_t i = 0; i < 4; ++i) {
        QVector3D ray = ahead + right * static_cast<float>(across) * xs[i] + up * static_cast<float>(along) * ys[i];
        ray *= static_cast<float>(deep_m);
        ray.setZ(ray.z() * static_cast<float>(exaggeration));
        out[i] = tip + ray;
    }
    return out;
}

}  // namespace

SceneShapes planShapes(const Plan& plan, const PlanView& view, const Terrain* terrain, const SceneSpace& space,
                       const Theme& theme, const std::set<ItemId>& selected) {
    return PlanBuilder(plan, view, terrain, space, theme, selected).run();
}

SceneShapes obstacleShapes(const Plan& plan, const Terrain* terrain, const SceneSpace& space, const Theme& theme,
                           const std::set<ItemId>& selected) {
    return ObstacleBuilder(plan, terrain, space, theme, selected).run();
}

SceneShapes photoShapes(const PlanView& view, const CameraProfile& camera, const SceneSpace& space, const Theme& theme,
                        const QVector3D& eye, std::size_t most) {
    std::vector<std::pair<float, const PlannedPhoto*>> near;
    for (const OpenedPattern& o : view.route.patterns)
        for (const PlannedPhoto& p : o.flight->photos)
            if (p.amsl_m) near.emplace_back((space.of(p.place, *p.amsl_m) - eye).lengthSquared(), &p);
    if (near.size() > most) {
        std::nth_element(near.begin(), near.begin() + static_cast<std::ptrdiff_t>(most), near.end());
        near.resize(most);
    }
    SceneShapes out;
    const QColor c = clear(theme.fuchsia, 0.85);
    for (const auto& [distance, photo] : near) {
        const QVector3D tip = space.of(photo->place, *photo->amsl_m);
        const auto corners = pyramid(tip, photo->yaw_deg, photo->pitch_deg, camera, 7, space.exaggeration);
        for (std::size_t i = 0; i < 4; ++i) {
            out.lines.push_back({tip, corners[i], c, 1, 0});
            out.lines.push_back({corners[i], corners[(i + 1) % 4], c, 1, 0});
        }
    }
    return out;
}

SceneShapes flashShapes(const PlannedPhoto& photo, const CameraProfile& camera, const Terrain* terrain,
                        const SceneSpace& space, const Theme& theme) {
    SceneShapes out;
    if (!photo.amsl_m) return out;
    const QVector3D tip = space.of(photo.place, *photo.amsl_m);
    const auto ring = photoOnGround(photo, camera, terrain, space.base_amsl_m);
    std::vector<QVector3D> feet;
    for (const GeoPoint& p : ring) {
        const auto g = terrain != nullptr ? terrain->sample(p) : std::nullopt;
        feet.push_back(space.of(p, g.value_or(space.base_amsl_m) + 0.8));
    }
    for (std::size_t i = 0; i < feet.size(); ++i) {
        const QVector3D &a = feet[i], &b = feet[(i + 1) % feet.size()];
        out.faces.push_back({tip, a, b, clear(theme.fuchsia, 0.16)});
        out.lines.push_back({a, b, theme.fuchsia, 2.5f, 0});
        out.lines.push_back({tip, a, clear(theme.fuchsia, 0.8), 1.2f, 0});
    }
    return out;
}

SceneShapes aircraftShapes(const SceneAircraft& aircraft, const SceneSpace& space, const Theme& theme, double size_m) {
    SceneShapes out;
    const QVector3D at = space.of(aircraft.place, aircraft.amsl_m);
    QMatrix4x4 m;
    m.translate(at);
    m.rotate(static_cast<float>(-aircraft.heading_deg), 0, 0, 1);
    m.rotate(static_cast<float>(aircraft.pitch_deg), 1, 0, 0);
    m.rotate(static_cast<float>(aircraft.roll_deg), 0, 1, 0);
    const auto s = static_cast<float>(size_m / 2);
    const auto p = [&](float right, float ahead, float up) { return m.map(QVector3D(right, ahead, up) * s); };
    const auto face = [&](const QVector3D& a, const QVector3D& b, const QVector3D& c, const QColor& colour) {
        out.faces.push_back({a, b, c, colour});
    };
    const QColor body = theme.ink, light = theme.raised;
    if (aircraft.wing) {
        face(p(0, 1, 0), p(-0.12f, -0.8f, 0), p(0.12f, -0.8f, 0), body);
        face(p(-1.3f, -0.1f, 0.05f), p(1.3f, -0.1f, 0.05f), p(0, 0.35f, 0.02f), light);
        face(p(-0.4f, -0.9f, 0.02f), p(0.4f, -0.9f, 0.02f), p(0, -0.6f, 0.02f), light);
        face(p(0, -0.9f, 0.4f), p(0, -0.9f, 0), p(0, -0.55f, 0), theme.vermilion);
    } else {
        face(p(0, 0.75f, 0.02f), p(-0.3f, -0.4f, 0.02f), p(0.3f, -0.4f, 0.02f), body);
        face(p(0, 0.75f, 0.03f), p(-0.12f, 0.3f, 0.05f), p(0.12f, 0.3f, 0.05f), theme.vermilion);
        for (const float x : {-1.0f, 1.0f})
            for (const float y : {-1.0f, 1.0f}) {
                const float cx = 0.62f * x, cy = 0.62f * y;
                out.lines.push_back({p(0, 0, 0), p(cx, cy, 0.05f), body, 3, 0});
                for (int i = 0; i < 10; ++i) {
                    const double f = i * 0.2 * M_PI, t = (i + 1) * 0.2 * M_PI;
                    const auto on = [&](double angle) {
                        return p(cx + 0.36f * static_cast<float>(std::sin(angle)),
                                 cy + 0.36f * static_cast<float>(std::cos(angle)), 0.08f);
                    };
                    face(p(cx, cy, 0.08f), on(f), on(t), clear(light, 0.75));
                }
            }
    }
    return out;
}

SceneShapes trackShapes(const std::vector<TrackPoint>& track, const SceneSpace& space, const Theme& theme) {
    SceneShapes out;
    // A point a metre apart is enough of a track; fewer of a long one.
    const double least = track.size() > 20000 ? 5 : 1;
    Vec2 before;
    double height = 0;
    for (std::size_t i = 0; i < track.size(); ++i) {
        const Vec2 at = space.frame.toLocal(track[i].place);
        if (i > 0) {
            if (length(at - before) < least && std::abs(track[i].amsl_m - height) < least && i + 1 < track.size())
                continue;
            out.lines.push_back({space.of(before, height), space.of(at, track[i].amsl_m),
                                 track[i].colour.isValid() ? track[i].colour : theme.reed, 4, 0});
        }
        before = at;
        height = track[i].amsl_m;
    }
    return out;
}

}  // namespace anhinga

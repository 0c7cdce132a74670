#include "app/scene/SceneView.h"

#include <QtWidgets>

#include "app/map/MapPens.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/pattern/Heights.h"

namespace anhinga {

namespace {
constexpr int kGroundCells = 1100;
constexpr double kAboveGround_m = 2, kAircraftLeast_px = 26;
constexpr std::size_t kMostPhotos = 250;
constexpr double kPickReach_px = 12;
constexpr double kSlowFrame_ms = 40, kCoarse = 0.34;

std::vector<std::string> picturesOf(const PlanSession& session) {
    std::vector<std::string> files;
    const QDir folder = QFileInfo(session.path()).dir();
    for (const std::string& f : session.plan()->imagery_files) {
        const QString name = QString::fromStdString(f);
        files.push_back(
            (QFileInfo(name).isAbsolute() || session.path().isEmpty() ? name : folder.filePath(name)).toStdString());
    }
    return files;
}

double distanceToLine(QPointF p, QPointF a, QPointF b) {
    const QPointF d = b - a;
    const double squared = QPointF::dotProduct(d, d);
    const double share = squared > 0 ? std::clamp(QPointF::dotProduct(p - a, d) / squared, 0.0, 1.0) : 0;
    const QPointF off = p - (a + d * share);
    return std::hypot(off.x(), off.y());
}
}  // namespace

QString sceneProblem() {
    // These may have a context to give and still cannot show an OpenGL widget.
    for (const char* platform : {"offscreen", "minimal", "linuxfb", "vnc"})
        if (QGuiApplication::platformName() == platform) return "this display has no OpenGL";
    QOpenGLContext context;
    QSurfaceFormat format = QSurfaceFormat::defaultFormat();
    if (format.renderableType() != QSurfaceFormat::OpenGLES) {
        format.setVersion(3, 3);
        format.setProfile(QSurfaceFormat::CoreProfile);
    }
    context.setFormat(format);
    QOffscreenSurface surface;
    surface.setFormat(format);
    surface.create();
    if (!context.create() || !surface.isValid() || !context.makeCurrent(&surface)) return "this display has no OpenGL";
    const QSurfaceFormat have = context.format();
    context.doneCurrent();
    const bool enough =
        context.isOpenGLES() ? have.majorVersion() >= 3 : have.majorVersion() * 10 + have.minorVersion() >= 33;
    return enough ? QString()
                  : QString("OpenGL %1.%2 is all this display has; 3.3 is needed")
                        .arg(have.majorVersion())
                        .arg(have.minorVersion());
}

SceneView::SceneView(PlanSession* session, QWidget* parent) : QOpenGLWidget(parent), session_(session) {
    setObjectName("scene");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(300, 200);
    QSurfaceFormat format = QSurfaceFormat::defaultFormat();
    format.setDepthBufferSize(24);
    if (format.renderableType() != QSurfaceFormat::OpenGLES) {
        format.setVersion(3, 3);
        format.setProfile(QSurfaceFormat::CoreProfile);
    }
    setFormat(format);
    bar_ = new QWidget(this);
    bar_->setObjectName("scene bar");
    auto* row = new QHBoxLayout(bar_);
    row->setContentsMargins(4, 4, 4, 4);
    row->setSpacing(4);
    const auto button = [&](const QString& name, const QString& tip, auto act) {
        auto* b = new QPushButton;
        b->setObjectName(name);
        b->setToolTip(tip);
        b->setFocusPolicy(Qt::NoFocus);
        b->setStyleSheet("padding: 3px 6px;");
        connect(b, &QPushButton::clicked, this, act);
        row->addWidget(b);
        return b;
    };
    map_ = button("to map", "Back to the map (S)", [this] { emit mapWanted(); });
    above_ = button("from above", "Looks straight down, north up (Home)", [this] { fromAbove(); });
    exaggerate_ = button("exaggerate", "Heights drawn larger than they are: 1, 2 or 3 times",
                         [this] { setExaggeration(space_.exaggeration >= 3 ? 1 : space_.exaggeration + 1); });
    eye_button_ = button("camera eye", "What the camera sees at the play head: as an inset, or full", [this] {
        setEye(eye_ == EyeMode::off ? EyeMode::inset : eye_ == EyeMode::inset ? EyeMode::full : EyeMode::off);
    });
    add_view_ =
        button("add view",
               "A waypoint where this view is, with its height, heading and gimbal pitch, after the selected item "
               "(Shift+W)",
               [this] { (void)takeView(ViewTo::newPoint); });
    move_view_ = button("move to view", "The selected point is moved to this view (Ctrl+Alt+W)",
                        [this] { (void)takeView(ViewTo::selectedPoint); });
    refusal_ = new QLabel(this);
    refusal_->setWordWrap(true);
    refusal_->setAlignment(Qt::AlignCenter);
    refusal_->hide();
    connect(session_, &PlanSession::derivedChanged, this, &SceneView::planChanged);
    connect(session_, &PlanSession::selectionChanged, this, &SceneView::planChanged);
    connect(session_, &PlanSession::terrainChanged, this, [this] { requestGround(); });
    connect(session_, &PlanSession::opened, this, [this] {
        placed_ = false;
        planChanged();
    });
    settle_.setSingleShot(true);
    settle_.setInterval(220);
    connect(&settle_, &QTimer::timeout, this, [this] {
        coarse_ = false;
        update();
    });
    connect(this, &QOpenGLWidget::frameSwapped, this, [this] {
        // Of a frame with all its pixels: what a slow machine takes for it decides how it moves.
        if (!coarse_ && paint_began_ms_ > 0) slow_ = monotonicMs() - paint_began_ms_ > kSlowFrame_ms;
        paint_began_ms_ = 0;
    });
    updateButtons();
}

SceneView::~SceneView() {
    if (context() != nullptr) {
        makeCurrent();
        gl_.end();
        doneCurrent();
    }
}

void SceneView::setTheme(const Theme& theme) {
    theme_ = theme;
    tabs_.clear();
    bar_->setStyleSheet(
        QString("#scene\\ bar { background: transparent; } QPushButton { background: %1; color: %2; "
                "border: 1px solid %3; border-radius: 3px; padding: 3px 10px; } QPushButton:disabled { "
                "color: %4; }")
            .arg(theme_.panel.name(), theme_.ink.name(), theme_.hairline().name(), theme_.quiet.name()));
    planChanged();
}

void SceneView::setFlown(bool on) {
    flown_ = on;
    planChanged();
}

const PlanView& SceneView::shownView() const {
    return flown_ ? session_->flownView() : session_->derived()->view;
}

void SceneView::planChanged() {
    plan_dirty_ = moving_dirty_ = photos_dirty_ = track_dirty_ = true;
    const Plan& plan = *session_->plan();
    const auto home = homeAmsl(plan, session_->terrain().get());
    const GeoPoint origin = shownView().path.frame.origin();
    // Until a plan has a place, the ground's own middle is one.
    GeoPoint about = origin;
    if (!plan.home && shownView().path.points.empty() && !session_->terrain()->empty()) {
        const auto& r = *session_->terrain()->rasters().front();
        about = {r.north_deg() - std::abs(r.stepLat_deg()) * r.height() / 2,
                 r.west_deg() + r.stepLon_deg() * r.width() / 2};
    }
    if (!(about == space_.frame.origin())) {
        space_.frame = LocalFrame(about);
        placed_ = false;
    }
    space_.base_amsl_m = home.value_or(0);
    requestGround();
    updateButtons();
    update();
}

void SceneView::requestGround() {
    if (!isVisible()) return;
    GroundKey key{session_->terrain().get(), picturesOf(*session_), space_.frame.origin()};
    if (key == ground_of_) return;
    ground_of_ = key;
    ground_maker_.begin(
        [key, terrain = session_->terrain(), frame = space_.frame](const LatestTask::Run& run) {
            return makeGround(frame, *terrain, key.pictures, kGroundCells, run.stop);
        },
        [this](const auto& ground) {
            if (!ground) return;
            ground_ = ground;
            gl_.setGround(ground);
            if (!ground->problem.isEmpty()) emit message("Scene: " + ground->problem);
            if (!placed_) showWholePlan();
            update();
        });
}

void SceneView::setOverlay(SceneOverlay overlay) {
    track_dirty_ |= overlay.track != overlay_.track;
    overlay_ = std::move(overlay);
    moving_dirty_ = true;
    if (follow_ && overlay_.aircraft) camera_.pivot = space_.of(overlay_.aircraft->place, overlay_.aircraft->amsl_m);
    updateButtons();
    moved();
}

// ---- where from

void SceneView::moved() {
    if (slow_) {
        coarse_ = true;
        settle_.start();
    }
    update();
}

void SceneView::turn(double yaw_deg, double pitch_deg) {
    camera_.orbit(yaw_deg, pitch_deg);
    keepAboveGround();
    moved();
}

void SceneView::fromAbove() {
    camera_.pitch_deg = -90;
    camera_.yaw_deg = 0;
    update();
}

void SceneView::showWholePlan() {
    std::vector<QVector3D> points;
    for (const PathPoint& p : shownView().path.points)
        points.push_back(space_.of(p.local, p.amsl_m.value_or(space_.base_amsl_m)));
    if (points.size() < 2 && ground_)
        for (const GroundPiece& piece : ground_->pieces)
            for (const QVector3D& corner : {piece.low, piece.high})
                points.push_back(space_.of(Vec2{static_cast<double>(corner.x()), static_cast<double>(corner.y())}, 0));
    if (points.empty()) return;
    placed_ = true;
    camera_.yaw_deg = 0;
    camera_.pitch_deg = -38;
    showAll(points);
}

void SceneView::showPlaces(const std::vector<std::pair<GeoPoint, double>>& places) {
    std::vector<QVector3D> points;
    for (const auto& [place, amsl_m] : places) points.push_back(space_.of(place, amsl_m));
    if (points.empty()) return;
    placed_ = true;
    showAll(points);
}

void SceneView::showSelection() {
    std::vector<QVector3D> points;
    const Plan& plan = *session_->plan();
    for (const PathPoint& p : shownView().path.points)
        if (session_->isSelected(p.source)) points.push_back(space_.of(p.local, p.amsl_m.value_or(space_.base_amsl_m)));
    const auto outline = [&](const std::vector<GeoPoint>& places) {
        for (const GeoPoint& g : places)
            points.push_back(space_.of(g, session_->terrain()->sample(g).value_or(space_.base_amsl_m)));
    };
    for (const Fence& f : plan.fences)
        if (session_->isSelected(f.id)) outline(f.outline);
    for (const Obstacle& o : plan.obstacles)
        if (session_->isSelected(o.id)) outline(o.points);
    if (!points.empty()) showAll(points);
}

/// From the present direction, as near as has all of them in the picture.
void SceneView::showAll(const std::vector<QVector3D>& points) {
    QVector3D low(1e9f, 1e9f, 1e9f), high(-1e9f, -1e9f, -1e9f);
    for (const QVector3D& p : points) {
        low = {std::min(low.x(), p.x()), std::min(low.y(), p.y()), std::min(low.z(), p.z())};
        high = {std::max(high.x(), p.x()), std::max(high.y(), p.y()), std::max(high.z(), p.z())};
    }
    camera_.pivot = (low + high) / 2;
    const QRectF inside = QRectF(rect()).adjusted(width() * 0.08, height() * 0.14, -width() * 0.08, -height() * 0.08);
    for (camera_.distance_m = 120; camera_.distance_m < 20000; camera_.distance_m *= 1.1) {
        bool all = true;
        for (int i = 0; i < 8 && all; ++i) {
            const auto at = camera_.project(
                {i & 1 ? high.x() : low.x(), i & 2 ? high.y() : low.y(), i & 4 ? high.z() : low.z()}, size());
            all = at && inside.contains(*at);
        }
        if (all) break;
    }
    keepAboveGround();
    update();
}

void SceneView::showPlace(GeoPoint place) {
    const double ground = session_->terrain()->sample(place).value_or(space_.base_amsl_m);
    camera_.pivot = space_.of(place, ground);
    camera_.distance_m = std::min(camera_.distance_m, 400.0);
    placed_ = true;
    keepAboveGround();
    update();
}

void SceneView::setExaggeration(double k) {
    const double amsl = space_.amslOf(camera_.pivot);
    space_.exaggeration = std::clamp(k, 1.0, 5.0);
    camera_.pivot =
        space_.of(Vec2{static_cast<double>(camera_.pivot.x()), static_cast<double>(camera_.pivot.y())}, amsl);
    plan_dirty_ = moving_dirty_ = photos_dirty_ = track_dirty_ = true;
    updateButtons();
    update();
}

void SceneView::setEye(EyeMode mode) {
    eye_ = mode;
    updateButtons();
    update();
    emit eyeChanged(mode);
}

double SceneView::groundAmsl(const QVector3D& at) const {
    return session_->terrain()->sample(space_.placeOf(at)).value_or(-1e9);
}

void SceneView::keepAboveGround() {
    const QVector3D eye = camera_.eye();
    const double least = groundAmsl(eye) + kAboveGround_m;
    const double missing = least - space_.amslOf(eye);
    if (missing > 0 && missing < 1e6)
        camera_.pivot.setZ(camera_.pivot.z() + static_cast<float>(missing * space_.exaggeration));
}

std::optional<QPointF> SceneView::onScreen(GeoPoint place, double amsl_m) const {
    return camera_.project(space_.of(place, amsl_m), size());
}

std::optional<GeoPoint> SceneView::groundAt(QPointF at) const {
    const QVector3D eye = camera_.eye(), ray = camera_.ray(at, size());
    // In steps of half a cell, so that no ridge is stepped over; longer only far away. Then the crossing is halved
    // down.
    const double cell = std::max(1.0, session_->terrain()->cell_m() / 2);
    double near = 0, far = 1;
    const auto below = [&](double d) {
        const QVector3D p = eye + ray * static_cast<float>(d);
        const auto g = session_->terrain()->sample(space_.placeOf(p));
        return g ? space_.amslOf(p) <= *g : space_.amslOf(p) <= 0;
    };
    for (int i = 0; i < 6000 && far < 40000; ++i) {
        if (below(far)) {
            for (int k = 0; k < 24; ++k) {
                const double half = (near + far) / 2;
                (below(half) ? far : near) = half;
            }
            return space_.placeOf(eye + ray * static_cast<float>(far));
        }
        near = far;
        far += std::max(std::min(cell, 1 + far * 0.01), (far - 8000) * 0.01);
    }
    return std::nullopt;
}

QVector3D SceneView::underPointer(QPointF at) const {
    if (const auto p = groundAt(at)) return space_.of(*p, session_->terrain()->sample(*p).value_or(0));
    return camera_.eye() + camera_.ray(at, size()) * static_cast<float>(camera_.distance_m);
}

// ---- set a waypoint from here

bool SceneView::takeView(ViewTo to) {
    if (!editable_) {
        emit message("Points are set in Draft (F1)");
        return false;
    }
    const QVector3D eye = camera_.eye();
    const GeoPoint place = space_.placeOf(eye);
    const double amsl = space_.amslOf(eye);
    const Terrain* terrain = session_->terrain().get();
    const auto ground = terrain->sample(place);
    if (ground && amsl < *ground + 1) {
        emit message("This view is inside the ground; no aircraft can be there");
        return false;
    }
    const double heading = std::round(camera_.yaw_deg * 10) / 10, pitch = std::round(camera_.pitch_deg * 10) / 10;
    const bool wing = !hovers(session_->plan()->vehicle.kind);
    const auto& chosen = session_->selection();
    const Item* selected = chosen.size() == 1 ? session_->plan()->find(*chosen.begin()) : nullptr;
    if (selected != nullptr && !hasPosition(selected->kind)) selected = nullptr;
    if (to == ViewTo::selectedPoint && selected == nullptr) {
        emit message("Select the one point that is to be moved to this view");
        return false;
    }
    ItemId id = to == ViewTo::selectedPoint ? selected->id : 0;
    QString done;
    session_->edit(id == 0 ? "Add a point with this view" : "Move point to this view", [&](Plan& plan) {
        if (id == 0) {
            Item item;
            item.id = id = plan.newId();
            // Before the way home, after what is selected.
            std::size_t at = plan.items.size();
            while (at > 0 &&
                   (plan.items[at - 1].kind == ItemKind::returnHome || plan.items[at - 1].kind == ItemKind::land))
                --at;
            if (chosen.size() == 1 && plan.indexOf(*chosen.begin()) >= 0)
                at = static_cast<std::size_t>(plan.indexOf(*chosen.begin())) + 1;
            plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(at), item);
        }
        Item& item = *plan.find(id);
        item.position = place;
        const HeightRef ref = effectiveHeight(plan, item).ref;
        Height height = Height::amsl(amsl);
        if (const auto wanted = converted(plan, terrain, place, height, ref)) height = *wanted;
        height.value_m = std::round(height.value_m * 10) / 10;
        item.height = height;
        std::erase_if(item.actions, [](const Action& a) {
            return std::holds_alternative<SetHeading>(a) || std::holds_alternative<GimbalPitch>(a);
        });
        // A look-at still held would turn the camera away again.
        std::vector<Action> first;
        if (!wing) first.push_back(SetHeading{heading});
        first.push_back(GimbalPitch{pitch});
        item.actions.insert(item.actions.begin(), first.begin(), first.end());
        done = QString::fromStdString(itemText(plan, id) + ": " + heightText(height));
    });
    session_->select({id});
    emit message(
        inUnits(done) +
        QString(", heading %1°, camera %2°. Undo brings it back").arg(heading, 0, 'f', 0).arg(pitch, 0, 'f', 0));
    return true;
}

// ---- drawing

void SceneView::initializeGL() {
    problem_ = gl_.begin();
    if (problem_.isEmpty() && ground_) gl_.setGround(ground_);
    plan_dirty_ = moving_dirty_ = photos_dirty_ = track_dirty_ = true;
    connect(context(), &QOpenGLContext::aboutToBeDestroyed, this, [this] {
        makeCurrent();
        gl_.end();
        doneCurrent();
    });
    updateButtons();
}

void SceneView::rebuildPlan() {
    plan_dirty_ = false;
    const DerivedPtr derived = session_->derived();
    const Plan& plan = *derived->plan;
    const SceneShapes standing = obstacleShapes(plan, derived->terrain.get(), space_, theme_, session_->selection());
    SceneShapes planned = planShapes(plan, shownView(), derived->terrain.get(), space_, theme_, session_->selection());
    labels_ = planned.labels;
    labels_.insert(labels_.end(), standing.labels.begin(), standing.labels.end());
    pickable_.clear();
    for (const SceneShapes* s : {&standing, static_cast<const SceneShapes*>(&planned)})
        for (const SceneLine& l : s->lines)
            if (l.id != 0) pickable_.push_back(l);
    gl_.setShapes(SceneGl::standing, standing);
    gl_.setShapes(SceneGl::planned, planned);
}

void SceneView::rebuildPhotos() {
    photos_dirty_ = false;
    photos_for_ = camera_.eye();
    gl_.setShapes(SceneGl::photos, photoShapes(shownView(), session_->derived()->plan->camera, space_, theme_,
                                               photos_for_, kMostPhotos));
}

void SceneView::rebuildMoving() {
    moving_dirty_ = false;
    const DerivedPtr derived = session_->derived();
    SceneShapes moving;
    const auto add = [&](const SceneShapes& more) {
        moving.lines.insert(moving.lines.end(), more.lines.begin(), more.lines.end());
        moving.faces.insert(moving.faces.end(), more.faces.begin(), more.faces.end());
    };
    if (overlay_.flash)
        add(flashShapes(*overlay_.flash, derived->plan->camera, derived->terrain.get(), space_, theme_));
    if (overlay_.aircraft) {
        const QVector3D at = space_.of(overlay_.aircraft->place, overlay_.aircraft->amsl_m);
        const double px = camera_.pixelsPerMetre(at, size());
        add(aircraftShapes(*overlay_.aircraft, space_, theme_, std::max(2.0, px > 0 ? kAircraftLeast_px / px : 2.0)));
        const auto ground = derived->terrain->sample(overlay_.aircraft->place);
        if (ground) moving.lines.push_back({at, space_.of(overlay_.aircraft->place, *ground), theme_.plum, 1.5f, 0});
    }
    gl_.setShapes(SceneGl::moving, moving);
}

SceneGl::Look SceneView::lookFrom(const SceneCamera& camera, QRect screen) const {
    SceneGl::Look look;
    look.camera = camera;
    look.space = space_;
    look.viewport = screen;
    look.sky_high = theme_.night ? QColor(14, 22, 34) : QColor(126, 172, 206);
    look.sky_low = theme_.night ? QColor(52, 62, 70) : QColor(214, 224, 226);
    look.measure = measuring_;
    return look;
}

SceneCamera SceneView::eyeCamera() const {
    SceneCamera eye;
    const SceneAircraft& a = *overlay_.aircraft;
    const CameraProfile& c = session_->plan()->camera;
    eye.yaw_deg = a.heading_deg;
    eye.pitch_deg = std::clamp(a.gimbal_pitch_deg, -90.0, 60.0);
    eye.fov_deg = 2 * std::atan((c.portrait ? c.sensor_w_mm : c.sensor_h_mm) / c.focal_mm / 2) * 180 / M_PI;
    eye.distance_m = 25;  // decides how near something may be and still be seen
    eye.setEye(space_.of(a.place, a.amsl_m));
    return eye;
}

QRect SceneView::insetRect() const {
    const CameraProfile& c = session_->plan()->camera;
    const double wide = c.portrait ? c.sensor_h_mm : c.sensor_w_mm, high = c.portrait ? c.sensor_w_mm : c.sensor_h_mm;
    if (eye_ == EyeMode::full) {
        const double k = std::min(width() / wide, height() / high);
        const QSize s(static_cast<int>(wide * k), static_cast<int>(high * k));
        return {(width() - s.width()) / 2, (height() - s.height()) / 2, s.width(), s.height()};
    }
    const double k = std::min(std::min(320.0, width() * 0.42) / wide, std::min(240.0, height() * 0.42) / high);
    const QSize s(static_cast<int>(wide * k), static_cast<int>(high * k));
    return {width() - s.width() - 10, height() - s.height() - 10, s.width(), s.height()};
}

void SceneView::drawViews(double scale, int target_height) {
    // Pixels of the target, counted from below.
    const auto onTarget = [&](const QRect& r) {
        const int high = static_cast<int>(r.height() * scale);
        return QRect(static_cast<int>(r.x() * scale), target_height - static_cast<int>(r.y() * scale) - high,
                     static_cast<int>(r.width() * scale), high);
    };
    const bool eye = eye_ != EyeMode::off && overlay_.aircraft;
    if (eye && eye_ == EyeMode::full) {
        QOpenGLFunctions* f = context()->functions();
        f->glClearColor(0.06f, 0.07f, 0.08f, 1);
        f->glClear(GL_COLOR_BUFFER_BIT);
    } else {
        SceneGl::Look look = lookFrom(camera_, onTarget(rect()));
        look.line_scale = scale;
        gl_.draw(look, cost_);
    }
    if (!eye) return;
    SceneGl::Look look = lookFrom(eyeCamera(), onTarget(insetRect()));
    look.line_scale = scale;
    look.eye = true;
    gl_.draw(look, cost_);
}

void SceneView::paintGL() {
    const double started = monotonicMs();
    paint_began_ms_ = started;
    cost_ = {};
    if (!problem_.isEmpty()) return;
    if (!placed_) showWholePlan();
    if (plan_dirty_) rebuildPlan();
    constexpr float kChosenAnew_m = 30;
    const float moved = (photos_for_ - camera_.eye()).length();
    if (photos_dirty_ || (moved > kChosenAnew_m && !coarse_)) rebuildPhotos();
    if (track_dirty_) {
        track_dirty_ = false;
        gl_.setShapes(SceneGl::track, overlay_.track ? trackShapes(*overlay_.track, space_, theme_) : SceneShapes{});
    }
    if (moving_dirty_ || overlay_.aircraft) rebuildMoving();
    const double k = devicePixelRatioF();
    if (coarse_) {
        const QSize small(std::max(1, static_cast<int>(width() * k * kCoarse)),
                          std::max(1, static_cast<int>(height() * k * kCoarse)));
        if (!small_ || small_->size() != small)
            small_ = std::make_unique<QOpenGLFramebufferObject>(small, QOpenGLFramebufferObject::Depth);
        small_->bind();
        drawViews(k * kCoarse, small.height());
        QOpenGLExtraFunctions* f = context()->extraFunctions();
        f->glBindFramebuffer(GL_READ_FRAMEBUFFER, small_->handle());
        f->glBindFramebuffer(GL_DRAW_FRAMEBUFFER, defaultFramebufferObject());
        f->glBlitFramebuffer(0, 0, small.width(), small.height(), 0, 0, static_cast<int>(width() * k),
                             static_cast<int>(height() * k), GL_COLOR_BUFFER_BIT, GL_NEAREST);
        f->glBindFramebuffer(GL_FRAMEBUFFER, defaultFramebufferObject());
        f->glViewport(0, 0, static_cast<int>(width() * k), static_cast<int>(height() * k));
    } else {
        drawViews(k, static_cast<int>(height() * k));
    }
    const double drawn = monotonicMs();
    paintLabels();
    cost_.labels_ms = monotonicMs() - drawn;
    cost_.all_ms = monotonicMs() - started;
}

void SceneView::paintLabels() {
    QPainter p(this);
    const bool eye_full = eye_ == EyeMode::full && overlay_.aircraft;
    if (!eye_full) {
        std::vector<QRectF> taken;
        p.setFont(uiFont(8.5, true));
        const QFontMetricsF metrics(p.font());
        // The selected first, then items, then things: what finds no room is left out.
        std::vector<const SceneLabel*> order;
        for (const SceneLabel& l : labels_) order.push_back(&l);
        std::stable_sort(order.begin(), order.end(), [&](const SceneLabel* a, const SceneLabel* b) {
            const auto rank = [&](const SceneLabel* l) {
                return session_->isSelected(l->id) ? -1 : static_cast<int>(l->kind);
            };
            return rank(a) < rank(b);
        });
        for (const SceneLabel* l : order) {
            const auto at = camera_.project(l->at, size());
            if (!at || !rect().contains(at->toPoint())) continue;
            const double wide = metrics.horizontalAdvance(l->text);
            const QRectF tab(at->x() - wide / 2 - 5, at->y() - 24, wide + 10, 17);
            if (std::any_of(taken.begin(), taken.end(), [&](const QRectF& r) { return r.intersects(tab); })) continue;
            taken.push_back(tab);
            const bool chosen = session_->isSelected(l->id);
            if (l->kind != SceneLabel::thing) {
                p.setPen(pen(chosen ? theme_.lagoon : theme_.ink, 1.5));
                p.drawLine(*at, QPointF(at->x(), tab.bottom()));
            }
            p.drawPixmap(QPointF(std::round(tab.left()), std::round(tab.top())), tabOf(*l, chosen));
        }
    }
    paintFurniture(p);
}

/// A label's tab as a picture: letters and round corners are costly where OpenGL is software.
const QPixmap& SceneView::tabOf(const SceneLabel& label, bool chosen) {
    constexpr int kMostKept = 2000;
    const QString key = QString("%1%2%3").arg(chosen ? 1 : 0).arg(static_cast<int>(label.kind)).arg(label.text);
    const auto known = tabs_.constFind(key);
    if (known != tabs_.constEnd()) return *known;
    if (tabs_.size() > kMostKept) tabs_.clear();
    const QFont font = uiFont(8.5, true);
    const double wide = QFontMetricsF(font).horizontalAdvance(label.text), k = devicePixelRatioF();
    QPixmap picture((QSizeF(wide + 11, 18) * k).toSize());
    picture.setDevicePixelRatio(k);
    picture.fill(Qt::transparent);
    QPainter p(&picture);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(font);
    const QRectF tab(0.5, 0.5, wide + 10, 17);
    if (label.kind == SceneLabel::thing) {
        haloText(p, {tab.left() + 5, tab.bottom() - 4}, label.text, theme_.ink, theme_.raised);
    } else {
        p.setPen(pen(chosen ? theme_.lagoon : theme_.ink, chosen ? 2 : 1));
        p.setBrush(chosen ? theme_.ink : theme_.raised);
        p.drawRoundedRect(tab, 3, 3);
        p.setPen(chosen ? theme_.raised : theme_.ink);
        p.drawText(tab, Qt::AlignCenter, label.text);
    }
    return *tabs_.insert(key, picture);
}

void SceneView::paintFurniture(QPainter& p) {
    p.setFont(uiFont(8.5));
    const bool eye = eye_ != EyeMode::off && overlay_.aircraft;
    if (eye) {
        const QRect r = insetRect();
        p.setPen(pen(theme_.ink, 1.5));
        p.setBrush(Qt::NoBrush);
        p.drawRect(r);
        const SceneAircraft& a = *overlay_.aircraft;
        haloText(p, QPointF(r.left() + 8, r.bottom() - 8),
                 QString("%1 · %2° · camera %3°")
                     .arg(inUnits(QString("%1 m AMSL").arg(a.amsl_m, 0, 'f', 0)))
                     .arg(std::fmod(a.heading_deg + 360, 360), 0, 'f', 0)
                     .arg(a.gimbal_pitch_deg, 0, 'f', 0),
                 theme_.ink, theme_.raised);
    } else if (eye_ != EyeMode::off) {
        haloText(p, QPointF(14, height() - 34), "camera eye: needs a play head, in Rehearse or Debrief", theme_.ink,
                 theme_.raised);
    }
    if (eye_ == EyeMode::full && eye) return;
    // North, and how much of it is guessed.
    p.setRenderHint(QPainter::Antialiasing);
    const QPointF middle(width() - 34, 66);
    const double turn = -camera_.yaw_deg * M_PI / 180;
    const QPointF north(std::sin(turn), -std::cos(turn)), east(-north.y(), north.x());
    p.setPen(pen(theme_.ink, 1));
    p.setBrush(theme_.raised);
    p.drawPolygon(QPolygonF({middle + north * 15 + east * 1.2, middle + north * 15 - east * 1.2,
                             middle - north * 11 - east * 1.2, middle - north * 11 + east * 1.2}));
    for (const double side : {-1.0, 1.0})  // a bar across: a cross of the compass, no pointer
        p.drawLine(middle, middle + east * side * 7);
    haloText(p, middle + north * 24 + QPointF(-4, 4), "N", theme_.ink, theme_.raised);
    QString text = QString("looking %1°, %2° down").arg(camera_.yaw_deg, 0, 'f', 0).arg(-camera_.pitch_deg, 0, 'f', 0);
    text += " · eye " + inUnits(QString("%1 m AMSL").arg(space_.amslOf(camera_.eye()), 0, 'f', 0));
    if (space_.exaggeration != 1) text += QString(" · heights × %1").arg(space_.exaggeration, 0, 'f', 0);
    if (!ground_)
        text += " · ground is being made";
    else if (session_->terrain()->empty())
        text += " · no terrain: the ground is unknown";
    const QRectF strip(8, height() - 28, p.fontMetrics().horizontalAdvance(text) + 14, 20);
    p.fillRect(strip, alpha(theme_.panel, 215));
    p.setPen(theme_.ink);
    p.drawText(strip, Qt::AlignCenter, text);
}

// ---- by hand

ItemId SceneView::itemAt(QPointF at) const {
    ItemId best = 0;
    double reach = 16;
    for (const SceneLabel& l : labels_) {
        const auto p = camera_.project(l.at, size());
        if (!p || l.id == 0) continue;
        // The tab above the place is part of it.
        const double d =
            std::min(std::hypot(p->x() - at.x(), p->y() - at.y()), std::hypot(p->x() - at.x(), p->y() - 16 - at.y()));
        if (d < reach) {
            reach = d;
            best = l.id;
        }
    }
    if (best != 0) return best;
    reach = kPickReach_px;
    for (const SceneLine& l : pickable_) {
        const auto a = camera_.project(l.a, size()), b = camera_.project(l.b, size());
        if (!a || !b) continue;
        const double d = distanceToLine(at, *a, *b);
        if (d < reach) {
            reach = d;
            best = l.id;
        }
    }
    return best;
}

void SceneView::mousePressEvent(QMouseEvent* e) {
    pressed_ = last_ = e->position();
    dragged_ = false;
    setFocus();
}

void SceneView::mouseMoveEvent(QMouseEvent* e) {
    if (e->buttons() == Qt::NoButton) return;
    const QPointF by = e->position() - last_;
    if ((e->position() - pressed_).manhattanLength() > 4) dragged_ = true;
    if (!dragged_) return;
    last_ = e->position();
    if (e->buttons() & Qt::LeftButton && !(e->modifiers() & Qt::ShiftModifier))
        camera_.pan(by, size());
    else
        camera_.orbit(by.x() * 0.3, -by.y() * 0.3);
    keepAboveGround();
    moved();
}

void SceneView::mouseReleaseEvent(QMouseEvent* e) {
    if (dragged_ || e->button() != Qt::LeftButton) return;
    if (overlay_.can_scrub && overlay_.track) {
        // On the screen, not on the ground: the track is in the air.
        double reach = kPickReach_px;
        std::optional<GeoPoint> place;
        for (const TrackPoint& t : *overlay_.track) {
            const auto p = camera_.project(space_.of(t.place, t.amsl_m), size());
            const double d = p ? std::hypot(p->x() - e->position().x(), p->y() - e->position().y()) : 1e9;
            if (d < reach) {
                reach = d;
                place = t.place;
            }
        }
        if (place) {
            emit clicked(*place);
            return;
        }
    }
    const ItemId id = itemAt(e->position());
    if (id == 0)
        session_->select({});
    else if (e->modifiers() & Qt::ControlModifier) {
        auto ids = session_->selection();
        if (!ids.erase(id)) ids.insert(id);
        session_->select(ids);
    } else {
        session_->select({id});
    }
}

void SceneView::mouseDoubleClickEvent(QMouseEvent* e) {
    if (const auto p = groundAt(e->position())) {
        camera_.pivot = space_.of(*p, session_->terrain()->sample(*p).value_or(0));
        camera_.distance_m = std::max(60.0, camera_.distance_m * 0.5);
        keepAboveGround();
        update();
    }
}

void SceneView::wheelEvent(QWheelEvent* e) {
    const double steps = e->angleDelta().y() / 120.0;
    camera_.zoom(std::pow(0.85, steps), underPointer(e->position()));
    keepAboveGround();
    moved();
    e->accept();
}

void SceneView::keyPressEvent(QKeyEvent* e) {
    const double step = std::max(1.0, camera_.distance_m * 0.06);
    const bool turn = e->modifiers() & Qt::ControlModifier;
    switch (e->key()) {
        case Qt::Key_Left:
            turn ? camera_.orbit(-5, 0) : camera_.move(0, -step, 0);
            break;
        case Qt::Key_Right:
            turn ? camera_.orbit(5, 0) : camera_.move(0, step, 0);
            break;
        case Qt::Key_Up:
            turn ? camera_.orbit(0, 4) : camera_.move(step, 0, 0);
            break;
        case Qt::Key_Down:
            turn ? camera_.orbit(0, -4) : camera_.move(-step, 0, 0);
            break;
        case Qt::Key_PageUp:
            camera_.move(0, 0, step);
            break;
        case Qt::Key_PageDown:
            camera_.move(0, 0, -step);
            break;
        case Qt::Key_Plus:
        case Qt::Key_Equal:
            camera_.zoom(0.85, camera_.pivot);
            break;
        case Qt::Key_Minus:
            camera_.zoom(1 / 0.85, camera_.pivot);
            break;
        case Qt::Key_Home:
            return fromAbove();
        case Qt::Key_Escape:
            if (eye_ != EyeMode::off) return setEye(EyeMode::off);
            session_->select({});
            break;
        default:
            return QOpenGLWidget::keyPressEvent(e);
    }
    keepAboveGround();
    moved();
}

void SceneView::showEvent(QShowEvent* e) {
    QOpenGLWidget::showEvent(e);
    planChanged();
}

void SceneView::resizeEvent(QResizeEvent* e) {
    QOpenGLWidget::resizeEvent(e);
    placeButtons();
}

void SceneView::placeButtons() {
    bar_->adjustSize();
    bar_->move(8, 8);
    refusal_->setGeometry(40, height() / 2 - 60, std::max(60, width() - 80), 120);
}

void SceneView::updateButtons() {
    map_->setText("Map   S");
    above_->setText("From above");
    exaggerate_->setText(QString("Heights × %1").arg(space_.exaggeration, 0, 'f', 0));
    eye_button_->setText(eye_ == EyeMode::off ? "Eye: off" : eye_ == EyeMode::inset ? "Eye: inset" : "Eye: full");
    add_view_->setText("Add a point with this view");
    move_view_->setText("Move point here");
    for (QPushButton* b : {add_view_, move_view_}) b->setVisible(editable_);
    bar_->setVisible(problem_.isEmpty());
    refusal_->setVisible(!problem_.isEmpty());
    if (!problem_.isEmpty())
        refusal_->setText("The Scene cannot be drawn: " + problem_ +
                          ".\nEverything else works; the map shows the same plan.");
    placeButtons();
}

}  // namespace anhinga

#include "app/widgets/Instrument.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"

namespace anhinga {

namespace {
constexpr double kPixelsPerDegree = 1.6;  // of pitch
constexpr double kTraces_s = 30;
constexpr double kEdge = 8, kLadder = 74, kHeading = 40;  // pixels

/// Value as shown, without its unit.
QString bare(std::optional<double> si, const QString& unit, int decimals) {
    if (!si) return "–";
    const QString text = shownNumber(*si, unit, decimals);
    return text.section(' ', 0, 0);
}
}  // namespace

Instrument::Instrument(QWidget* parent) : QWidget(parent) {
    setObjectName("instrument");
    setMinimumSize(300, 168);
    typing_ = new QLineEdit(this);
    typing_->setObjectName("tape value");
    typing_->setAlignment(Qt::AlignCenter);
    typing_->setFont(uiFont(11, true));
    typing_->hide();
    typing_->installEventFilter(this);
    connect(typing_, &QLineEdit::returnPressed, this, [this] { endTyping(true); });
    order_ = new QPushButton(this);
    order_->setObjectName("command Fly so");
    order_->setProperty("primary", true);
    order_->setFocusPolicy(Qt::NoFocus);
    order_->setFont(uiFont(8.5, true));
    order_->setToolTip("Orders the speed and height that are set on the tapes");
    forget_ = new QPushButton("×", this);
    forget_->setObjectName("forget tapes");
    forget_->setFocusPolicy(Qt::NoFocus);
    forget_->setToolTip("Takes back what is set and not ordered");
    connect(order_, &QPushButton::clicked, this, [this] {
        const auto speed = speed_.wish, height = height_.wish;
        wish(speed_, {});
        wish(height_, {});
        if (flies_) emit flySo(speed, height);
    });
    connect(forget_, &QPushButton::clicked, this, [this] {
        wish(speed_, {});
        wish(height_, {});
    });
    placeOrders();
}

// ---- what is wished

QRectF Instrument::tape(const Tape& t) const {
    const double h = height() - 2 * kEdge - kHeading - 6;
    return {t.left ? kEdge : width() - kEdge - kLadder, kEdge, kLadder, h};
}

std::optional<double> Instrument::now(const Tape& t) const {
    if (!t.left) return vehicle_.height_home_m;
    return wing_ && vehicle_.air_mps ? vehicle_.air_mps : vehicle_.ground_mps;
}

QString Instrument::unitOf(const Tape& t) const {
    return t.left ? QString("m/s") : QString(kHeightUnit);
}

void Instrument::wish(Tape& t, std::optional<double> si) {
    if (si) {
        const double shown = anhinga::unitOf(t.left ? UnitKind::speed : UnitKind::height).si;
        si = std::clamp(std::round(*si / shown / t.step) * t.step * shown, t.least, t.most);
    }
    t.wish = si;
    placeOrders();
    update();
}

void Instrument::placeOrders() {
    const bool some = flies_ && (speed_.wish || height_.wish);
    order_->setVisible(some);
    forget_->setVisible(some);
    if (!some) return;
    QStringList parts;
    if (speed_.wish) parts << shownNumber(*speed_.wish, "m/s", 1);
    if (height_.wish) parts << shownNumber(*height_.wish, kHeightUnit, 0);
    order_->setText("Fly so: " + parts.join(", "));
    const QRectF left = tape(speed_), right = tape(height_);
    const int w = static_cast<int>(right.left() - left.right()) - 8 - 26;
    const int y = static_cast<int>(left.bottom()) - 26;
    order_->setGeometry(static_cast<int>(left.right()) + 4, y, w, 26);
    forget_->setGeometry(static_cast<int>(left.right()) + 4 + w + 2, y, 24, 26);
}

void Instrument::resizeEvent(QResizeEvent*) {
    placeOrders();
}

void Instrument::mousePressEvent(QMouseEvent* e) {
    if (typed_ != nullptr) endTyping(false);
    dragged_ = nullptr;
    if (e->button() != Qt::LeftButton || !flies_) return;
    for (Tape* t : {&speed_, &height_}) {
        const auto value = now(*t);
        if (!tape(*t).contains(e->position()) || !value) continue;
        dragged_ = t;
        drag_from_ = t->wish.value_or(*value);
        press_y_ = e->position().y();
        drag_moved_ = false;
    }
}

void Instrument::mouseMoveEvent(QMouseEvent* e) {
    if (dragged_ == nullptr) return;
    constexpr double kSlack = 4;  // a click is not a drag
    const double up = press_y_ - e->position().y();
    if (std::abs(up) > kSlack) drag_moved_ = true;
    if (drag_moved_) wish(*dragged_, drag_from_ + up * 2 * dragged_->span / (tape(*dragged_).height() - 30));
}

void Instrument::mouseReleaseEvent(QMouseEvent*) {
    Tape* t = std::exchange(dragged_, nullptr);
    if (t != nullptr && !drag_moved_) beginTyping(*t);
}

void Instrument::beginTyping(Tape& t) {
    typed_ = &t;
    const QRectF box = tape(t);
    typing_->setGeometry(QRectF(box.left(), box.center().y() - 15, box.width(), 30).toRect());
    typing_->setText(shownNumber(t.wish.value_or(now(t).value_or(0)), unitOf(t), t.left ? 1 : 0));
    typing_->selectAll();
    typing_->show();
    typing_->setFocus();
}

void Instrument::endTyping(bool take) {
    Tape* t = std::exchange(typed_, nullptr);
    if (t == nullptr) return;
    const auto value = typedNumber(typing_->text(), unitOf(*t));
    typing_->hide();
    if (!take) return;
    if (value && *value >= t->least && *value <= t->most) return wish(*t, *value);
    QToolTip::showText(mapToGlobal(tape(*t).center().toPoint()),
                       QString("from %1 to %2 is possible")
                           .arg(shownNumber(t->least, unitOf(*t), 1), shownNumber(t->most, unitOf(*t), 0)),
                       this);
}

bool Instrument::eventFilter(QObject* watched, QEvent* event) {
    if (watched == typing_) {
        if (event->type() == QEvent::FocusOut) endTyping(false);
        const bool key = event->type() == QEvent::KeyPress || event->type() == QEvent::ShortcutOverride;
        if (key && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
            endTyping(false);
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

// ---- drawing

void Instrument::setTheme(const Theme& theme) {
    theme_ = theme;
    update();
}

void Instrument::show(const VehicleSnapshot& vehicle, const std::optional<FlightProgress>& progress, bool wing,
                      bool alive, std::optional<double> over_ground_m) {
    over_ground_m_ = over_ground_m;
    vehicle_ = vehicle;
    progress_ = progress;
    wing_ = wing;
    alive_ = alive;
    flies_ = alive && vehicle.armed;
    if (!flies_) {
        speed_.wish = height_.wish = std::nullopt;
        endTyping(false);
    }
    placeOrders();
    setToolTip(flies_ ? "Drag on a tape, or click it and type: another speed or height, ordered by Fly so" : "");
    update();
}

void Instrument::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme_.panel);
    if (!alive_) p.setOpacity(0.45);
    const double w = width() - 2 * kEdge, h = height() - 2 * kEdge - kHeading - 6;
    const bool air = wing_ && vehicle_.air_mps;
    paintLadder(p, tape(speed_), speed_, air ? vehicle_.air_mps : vehicle_.ground_mps, std::nullopt,
                air ? "air speed" : "ground speed",
                air && vehicle_.ground_mps ? "ground " + shownNumber(*vehicle_.ground_mps, "m/s", 0) : QString());
    const QString climb = vehicle_.climb_mps
                              ? QString("%1 %2").arg(*vehicle_.climb_mps >= 0 ? "up" : "down",
                                                     shownNumber(std::abs(*vehicle_.climb_mps), "m/s", 1))
                              : QString();
    paintLadder(p, tape(height_), height_, vehicle_.height_home_m, progress_ ? progress_->height_home_m : std::nullopt,
                "over home", climb);
    paintAttitude(p, {kEdge + kLadder + 4, kEdge, w - 2 * kLadder - 8, h});
    paintHeading(p, {kEdge, height() - kEdge - kHeading, w, kHeading});
}

void Instrument::paintAttitude(QPainter& p, const QRectF& box) const {
    p.save();
    p.setClipRect(box);
    const QPointF c = box.center();
    QColor sky = theme_.lagoon, ground = theme_.reed;
    sky.setAlphaF(0.22f);
    ground.setAlphaF(0.32f);
    p.fillRect(QRectF(box.left(), box.top(), box.width(), box.height() / 2), sky);
    p.fillRect(QRectF(box.left(), c.y(), box.width(), box.height() / 2), ground);
    p.setPen(QPen(theme_.ink, 1.6));
    p.drawLine(QPointF(box.left(), c.y()), QPointF(box.right(), c.y()));
    p.setFont(uiFont(7));
    for (const int tick : {-30, -15, 15}) {
        const double y = c.y() - tick * kPixelsPerDegree;
        p.setPen(QPen(theme_.quiet, 1));
        p.drawLine(QPointF(box.left(), y), QPointF(box.left() + 7, y));
        p.drawText(QRectF(box.left() + 9, y - 7, 22, 14), Qt::AlignVCenter, QString::number(tick));
    }
    if (!vehicle_.roll_deg || !vehicle_.pitch_deg) {
        p.setPen(theme_.ink);
        p.setFont(uiFont(9));
        p.drawText(box, Qt::AlignCenter, "no attitude heard");
        paintOverGround(p, box);
        p.restore();
        return;
    }
    const auto aircraft = [&](double roll, double pitch, const QPen& pen, bool filled) {
        p.save();
        p.translate(c.x(), c.y() - std::clamp(pitch, -40.0, 40.0) * kPixelsPerDegree);
        p.rotate(roll);
        p.setPen(pen);
        if (wing_) {
            p.drawLine(QPointF(-52, 2), QPointF(52, 2));
            p.drawLine(QPointF(-16, -9), QPointF(16, -9));
            p.drawLine(QPointF(0, -14), QPointF(0, 0));
        } else {
            p.drawLine(QPointF(-46, -4), QPointF(46, -4));
            for (const double x : {-46.0, 46.0}) {
                p.drawLine(QPointF(x, -4), QPointF(x, -10));
                p.drawLine(QPointF(x - 15, -10), QPointF(x + 15, -10));
            }
        }
        if (filled) {
            p.setBrush(pen.color());
            p.drawEllipse(QPointF(0, 0), 7, 6);
        }
        p.restore();
    };
    if (vehicle_.desired_roll_deg && vehicle_.desired_pitch_deg) {
        QPen wanted(theme_.quiet, 2, Qt::DashLine);
        aircraft(*vehicle_.desired_roll_deg, *vehicle_.desired_pitch_deg, wanted, false);
    }
    aircraft(*vehicle_.roll_deg, *vehicle_.pitch_deg, QPen(theme_.ink, 4, Qt::SolidLine, Qt::RoundCap), true);
    p.setPen(theme_.ink);
    p.setFont(uiFont(8));
    if (!order_->isVisible())
        p.drawText(
            box.adjusted(0, 0, -4, -2), Qt::AlignRight | Qt::AlignBottom,
            QString("roll %1°  pitch %2°").arg(std::lround(*vehicle_.roll_deg)).arg(std::lround(*vehicle_.pitch_deg)));
    p.drawText(box.adjusted(0, 2, -4, 0), Qt::AlignRight | Qt::AlignTop, "from behind");
    paintOverGround(p, box);
    p.restore();
}

/// What it may fall on: large, because it is asked for most when it is least.
void Instrument::paintOverGround(QPainter& p, const QRectF& box) const {
    const QRectF place(box.left() + 3, box.top() + 1, box.width() - 70, 34);
    p.setPen(theme_.ink);
    p.setFont(uiFont(14, true));
    const QString text = over_ground_m_ ? shownNumber(std::round(*over_ground_m_) + 0.0, kHeightUnit, 0) : QString("–");
    p.drawText(place, Qt::AlignLeft | Qt::AlignTop, text);
    p.setFont(uiFont(7));
    p.drawText(QRectF(place.left(), place.top() + 20, 80, 12), Qt::AlignLeft | Qt::AlignTop,
               over_ground_m_ ? "over ground" : "ground unknown");
}

/// A scale that moves past the value; `wanted` is marked on it.
void Instrument::paintLadder(QPainter& p, const QRectF& box, const Tape& tape, std::optional<double> value,
                             std::optional<double> wanted, const QString& title, const QString& below) const {
    p.save();
    p.setClipRect(box);
    const bool left = tape.left;
    const double span = tape.span;
    const QString unit = unitOf(tape);
    const double si = anhinga::unitOf(left ? UnitKind::speed : UnitKind::height).si;
    const QRectF scale = box.adjusted(0, 14, 0, -16);
    p.setFont(uiFont(7.5));
    p.setPen(theme_.quiet);
    p.drawText(QRectF(box.left(), box.top(), box.width(), 13), Qt::AlignCenter, title);
    p.setPen(theme_.ink);
    p.drawText(QRectF(box.left(), box.bottom() - 14, box.width(), 14), Qt::AlignCenter, below);
    if (value) {
        const double shown = *value / si, step = span / si > 20 ? 10 : span / si > 8 ? 5 : 2;
        const double pixels = scale.height() / (2 * span / si);
        p.setClipRect(scale);
        const double edge = left ? box.right() : box.left();
        for (double mark = std::ceil((shown - span / si) / step) * step; mark <= shown + span / si; mark += step) {
            const double y = scale.center().y() - (mark - shown) * pixels;
            constexpr double kLetter = 7;
            if (y < scale.top() + kLetter || y > scale.bottom() - kLetter) continue;
            p.setPen(QPen(theme_.quiet, 1));
            p.drawLine(QPointF(edge, y), QPointF(edge + (left ? -6 : 6), y));
            p.setFont(uiFont(7.5));
            const QRectF text(left ? box.left() : box.left() + 9, y - 8, box.width() - 9, 16);
            if (mark >= 0 || !left)
                p.drawText(text, Qt::AlignVCenter | (left ? Qt::AlignRight : Qt::AlignLeft), QString::number(mark));
        }
        if (wanted) {
            const double y =
                std::clamp(scale.center().y() - (*wanted / si - shown) * pixels, scale.top() + 3, scale.bottom() - 3);
            p.setPen(QPen(theme_.quiet, 3));
            p.drawLine(QPointF(edge, y), QPointF(edge + (left ? -16 : 16), y));
        }
        if (tape.wish) {
            const double y = std::clamp(scale.center().y() - (*tape.wish / si - shown) * pixels, scale.top() + 5,
                                        scale.bottom() - 5);
            const double to = left ? -1 : 1;
            p.setPen(Qt::NoPen);
            p.setBrush(theme_.lagoon);
            p.drawPolygon(QPolygonF({{edge, y}, {edge + to * 12, y - 6}, {edge + to * 12, y + 6}}));
            p.drawRect(QRectF(QPointF(edge + to * 12, y - 1.5), QPointF(edge + to * 40, y + 1.5)).normalized());
        }
    }
    const QRectF number(box.left(), scale.center().y() - 15, box.width(), 30);
    p.setPen(Qt::NoPen);
    p.setBrush(theme_.ink);
    p.drawRoundedRect(number, 4, 4);
    p.setPen(theme_.panel);
    // The number large, its unit small beside it.
    const QString digits = bare(value, unit, left ? 1 : 0);
    const QString name = anhinga::unitOf(left ? UnitKind::speed : UnitKind::height).name;
    p.setFont(uiFont(16, true));
    const double wide = p.fontMetrics().horizontalAdvance(digits);
    QFont small = uiFont(7.5);
    const double all = wide + 3 + QFontMetricsF(small).horizontalAdvance(name);
    const double from = number.center().x() - all / 2;
    p.drawText(QRectF(from, number.top(), wide + 2, number.height()), Qt::AlignVCenter | Qt::AlignLeft, digits);
    p.setFont(small);
    p.drawText(QRectF(from + wide + 3, number.top() + 4, 40, number.height() - 4), Qt::AlignVCenter | Qt::AlignLeft,
               name);
    p.restore();
}

void Instrument::paintHeading(QPainter& p, const QRectF& box) const {
    p.save();
    p.setClipRect(box);
    p.setPen(QPen(theme_.hairline(), 1));
    p.setBrush(theme_.raised);
    p.drawRect(box);
    const double span = 60, pixels = box.width() / (2 * span);
    if (!vehicle_.heading_deg) {
        p.setPen(theme_.ink);
        p.setFont(uiFont(9));
        p.drawText(box, Qt::AlignCenter, "no heading heard");
        p.restore();
        return;
    }
    const double heading = *vehicle_.heading_deg;
    constexpr const char* kPoints[] = {"N", "NE", "E", "SE", "S", "SW", "W", "NW"};
    for (int mark = static_cast<int>(std::ceil((heading - span) / 15)) * 15; mark <= heading + span; mark += 15) {
        const double x = box.center().x() + (mark - heading) * pixels;
        const int bearing = ((mark % 360) + 360) % 360;
        p.setPen(QPen(theme_.ink, bearing % 45 == 0 ? 2 : 1));
        p.drawLine(QPointF(x, box.top()), QPointF(x, box.top() + (bearing % 45 == 0 ? 7 : 4)));
        p.setFont(uiFont(bearing % 45 == 0 ? 9 : 7.5, bearing % 45 == 0));
        p.setPen(bearing % 45 == 0 ? theme_.ink : theme_.quiet);
        p.drawText(QRectF(x - 20, box.top() + 8, 40, 14), Qt::AlignCenter,
                   bearing % 45 == 0 ? QString(kPoints[bearing / 45]) : QString::number(bearing));
    }
    const auto mark = [&](std::optional<double> bearing, const QColor& colour, const QString& word) {
        if (!bearing) return;
        const double off = std::clamp(wrapAngle(*bearing - heading), -span + 2, span - 2);
        const double x = box.center().x() + off * pixels;
        p.setPen(Qt::NoPen);
        p.setBrush(colour);
        p.drawPolygon(QPolygonF({{x - 5, box.bottom()}, {x + 5, box.bottom()}, {x, box.bottom() - 9}}));
        p.setPen(colour);
        p.setFont(uiFont(7, true));
        p.drawText(QRectF(x + 6, box.bottom() - 12, 40, 12), Qt::AlignVCenter, word);
    };
    const auto to = vehicle_.desired_yaw_deg ? std::optional(wrapBearing(*vehicle_.desired_yaw_deg)) : std::nullopt;
    const auto track = vehicle_.ground_mps.value_or(0) > 1 ? vehicle_.course_deg : std::nullopt;
    constexpr double kApart_deg = 14;  // nearer, the words would stand on each other
    mark(to, theme_.quiet, "to");
    mark(track, theme_.lagoon, to && track && std::abs(wrapAngle(*to - *track)) < kApart_deg ? "" : "track");
    const QRectF number(box.center().x() - 24, box.top() - 1, 48, 22);
    p.setPen(Qt::NoPen);
    p.setBrush(theme_.ink);
    p.drawRoundedRect(number, 4, 4);
    p.setPen(theme_.panel);
    p.setFont(uiFont(12, true));
    p.drawText(number, Qt::AlignCenter, QString("%1°").arg(std::lround(heading) % 360, 3, 10, QChar('0')));
    p.restore();
}

// ---- traces

AttitudeTraces::AttitudeTraces(QWidget* parent) : QWidget(parent) {
    setObjectName("attitude traces");
    setMinimumHeight(92);
    setToolTip("Attitude asked for (dashed) and flown, the last half minute");
}

void AttitudeTraces::setTheme(const Theme& theme) {
    theme_ = theme;
    update();
}

void AttitudeTraces::clear() {
    samples_.clear();
    update();
}

void AttitudeTraces::add(double now_s, const VehicleSnapshot& v) {
    if (!samples_.empty() && now_s - samples_.back().t_s < 0.09) return;
    samples_.push_back({now_s, v.roll_deg, v.pitch_deg, v.desired_roll_deg, v.desired_pitch_deg});
    std::erase_if(samples_, [&](const Sample& s) { return now_s - s.t_s > kTraces_s; });
    update();
}

void AttitudeTraces::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const auto lane = [&](const QRectF& box, const QString& name, std::optional<double> Sample::*is,
                          std::optional<double> Sample::*wanted) {
        p.setPen(QPen(theme_.hairline(), 1));
        p.drawRect(box);
        p.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()));
        double most = 10;
        for (const Sample& s : samples_)
            most = std::max({most, std::abs((s.*is).value_or(0)), std::abs((s.*wanted).value_or(0))});
        const auto line = [&](std::optional<double> Sample::*what, const QPen& pen) {
            QPolygonF points;
            for (const Sample& s : samples_)
                if (s.*what)
                    points << QPointF(box.right() - (samples_.back().t_s - s.t_s) / kTraces_s * box.width(),
                                      box.center().y() - *(s.*what) / most * (box.height() / 2 - 3));
            p.setPen(pen);
            p.drawPolyline(points);
        };
        line(wanted, QPen(theme_.quiet, 1.6, Qt::DashLine));
        line(is, QPen(theme_.lagoon, 1.8));
        p.setPen(theme_.quiet);
        p.setFont(uiFont(7.5));
        p.drawText(box.adjusted(4, 1, -4, 0), Qt::AlignLeft | Qt::AlignTop, name);
        p.drawText(box.adjusted(4, 1, -4, 0), Qt::AlignRight | Qt::AlignTop, QString("±%1°").arg(most, 0, 'f', 0));
    };
    const double h = height() / 2.0 - 3;
    lane({0.5, 0.5, width() - 1.0, h}, "roll", &Sample::roll, &Sample::wanted_roll);
    lane({0.5, height() - h - 0.5, width() - 1.0, h}, "pitch", &Sample::pitch, &Sample::wanted_pitch);
}

}  // namespace anhinga

// How an aircraft of a family flies what it keeps.
#include <algorithm>
#include <cmath>

#include "standin/families/Aircraft.h"

namespace anhinga::families {

using mavlink::Message;

namespace {
constexpr double kRad = M_PI / 180, kGravity = 9.81;
constexpr double kAhead_m = 45;  // where a wing aims to be back on its line
GeoPoint placeOf(const Kept& i) {
    return {i.x * 1e-7, i.y * 1e-7};
}
bool placed(int command) {
    return command == 16 || command == 17 || command == 18 || command == 19 || command == 21 || command == 31 ||
           command == 82;
}
/// What takes time; the rest happens on the way.
bool waits(int command) {
    return placed(command) || command == 20 || command == 22 || command == 93;
}
}  // namespace

double Aircraft::ground(GeoPoint p) const {
    return options_.terrain ? options_.terrain->sample(p).value_or(options_.home_amsl_m) : options_.home_amsl_m;
}

double Aircraft::targetAmsl(const Kept& i, GeoPoint at) const {
    return i.frame == 0 ? i.z : i.frame == 10 ? ground(at) + i.z : options_.home_amsl_m + i.z;
}

/// A turn that leads through a place ahead on a circle (Park, Deyst and How, "A New Nonlinear Guidance Logic for
/// Trajectory Tracking", 2004), as far as it banks and as quickly as it rolls.
void Aircraft::bankTowards(Vec2 aim, double dt) {
    constexpr double kMostBank_deg = 35, kRoll_dps = 60, kLeastAhead_m = 15;
    const double off = std::remainder(std::atan2(aim.x, aim.y) - yaw_deg_ * kRad, 2 * M_PI);
    const double side = std::abs(off) > M_PI / 2 ? std::copysign(1.0, off) : std::sin(off);
    const double pull = 2 * speed_mps_ * speed_mps_ / std::max(kLeastAhead_m, length(aim)) * side;
    const double wanted = std::clamp(std::atan(pull / kGravity) / kRad, -kMostBank_deg, kMostBank_deg);
    bank_deg_ += std::clamp(wanted - bank_deg_, -kRoll_dps * dt, kRoll_dps * dt);
    yaw_deg_ += kGravity * std::tan(bank_deg_ * kRad) / speed_mps_ / kRad * dt;
    velocity_ = Vec2{std::sin(yaw_deg_ * kRad), std::cos(yaw_deg_ * kRad)} * speed_mps_;
}

bool Aircraft::fly(GeoPoint to, double amsl_m, double dt, double within_m, bool line) {
    constexpr double kAccel = 2.5, kUp = 3, kDown = 2;
    const LocalFrame frame(place_);
    const Vec2 way = frame.toLocal(to);
    const double left = length(way);
    double wanted_amsl = amsl_m;
    if (line && leg_m_ > 1) {
        const double share = std::clamp(1 - left / leg_m_, 0.0, 1.0);
        wanted_amsl = leg_from_amsl_ + (amsl_m - leg_from_amsl_) * share;
    }
    double speed = std::min(speed_mps_, std::sqrt(2 * kAccel * left) * 0.9);
    if (line && leg_m_ > 1) {
        const double rise = (amsl_m - leg_from_amsl_) / leg_m_;  // no faster than it can climb
        if (std::abs(rise) > 1e-6) speed = std::min(speed, (rise > 0 ? kUp : kDown) / std::abs(rise));
    }
    if (family_.body() == Body::wing) {
        Vec2 aim = way;
        if (const Vec2 from = frame.toLocal(line_from_), leg = way - from; line && length(leg) > 1) {
            // A place a little ahead on its line.
            const double run = length(leg);
            const double done = -(from.x * leg.x + from.y * leg.y) / run;
            if (done + kAhead_m < run) aim = from + leg * (std::max(0.0, done + kAhead_m) / run);
        }
        bankTowards(aim, dt);
    } else {
        Vec2 wish = left > 1e-6 ? way * (speed / left) : Vec2{};
        if (const Vec2 from = frame.toLocal(leg_from_), leg = way - from;
            line && left > 2 && way.x * leg.x + way.y * leg.y > 0) {
            // Along its line, and back to it where it has been carried off.
            const Vec2 along = leg * (1 / length(leg));
            const Vec2 aside = from + along * -(from.x * along.x + from.y * along.y);
            wish = along * speed + aside * 0.6;
            wish = wish * std::min(1.0, speed / std::max(1e-6, length(wish)));
        }
        // What pushes it builds up within its jerk, and fades away in time to end at the velocity that is wanted.
        constexpr double kJerk = 4;
        const Vec2 change = wish - velocity_;
        const double most = std::min(kAccel, std::sqrt(2 * kJerk * length(change)));
        const Vec2 push =
            length(change) > 1e-9 ? change * (std::min(most, length(change) / dt) / length(change)) : Vec2{};
        const Vec2 more = push - push_;
        push_ = push_ + (length(more) > kJerk * dt ? more * (kJerk * dt / length(more)) : more);
        velocity_ = velocity_ + push_ * dt;
        if (length(velocity_) > 0.5) yaw_deg_ = std::atan2(velocity_.x, velocity_.y) * 180 / M_PI;
    }
    climb_mps_ = std::clamp((wanted_amsl - amsl_m_) / std::max(dt, 0.25), -kDown, kUp);
    place_ = frame.toGeo(velocity_ * dt);
    amsl_m_ = std::max(amsl_m_ + climb_mps_ * dt, std::min(amsl_m_, ground(place_)));
    return left < within_m && std::abs(amsl_m - amsl_m_) < 1;
}

void Aircraft::circle(GeoPoint centre, double radius_m, double amsl_m, double dt) {
    const double radius = std::abs(radius_m);
    const double bearing = bearing_deg(centre, place_), away = distance_m(centre, place_);
    if (constexpr double kNear = 1.5; family_.body() == Body::wing && away > kNear * radius) {
        fly(centre, amsl_m, dt, 0, does_ == Does::route);  // straight there first
        return;
    }
    if (std::abs(away - radius) < 0.3 * radius + 2) {
        const double turned = std::remainder(bearing - last_bearing_, 360.0);
        if (std::abs(turned) < 30) turned_deg_ += std::abs(turned);
    }
    last_bearing_ = bearing;
    // A place a little ahead: on the circle for a wing, on its tangent for rotors, which go there straight.
    const double ahead = std::min(60.0, speed_mps_ * 1.5 / radius / kRad) * (radius_m < 0 ? -1 : 1);
    const double out = family_.body() == Body::wing ? radius : radius / std::cos(ahead * kRad);
    fly(destination(centre, bearing + ahead, out), amsl_m, dt, 0, false);
}

void Aircraft::begin(std::size_t index) {
    item_ = index;
    begun_ = false;
    there_s_ = -1;
}

void Aircraft::reachedItem() {
    say(Message("MISSION_ITEM_REACHED").set("seq", static_cast<double>(item_)));
}

void Aircraft::next() {
    begin(item_ + 1);
}

void Aircraft::photo() {
    ++photos_;
    last_photo_ = place_;
    since_photo_s_ = 0;
    say(Message("CAMERA_IMAGE_CAPTURED")
            .set("time_boot_ms", t_s_ * 1000)
            .set("lat", place_.lat_deg * 1e7)
            .set("lon", place_.lon_deg * 1e7)
            .set("alt", amsl_m_ * 1000)
            .set("relative_alt", (amsl_m_ - options_.home_amsl_m) * 1000)
            .set("image_index", photos_)
            .set("capture_result", 1));
}

void Aircraft::photoIfDue() {
    since_photo_s_ += kStep_s;
    if (photo_every_m_ > 0 && distance_m(last_photo_, place_) >= photo_every_m_) photo();
    if (photo_every_s_ > 0 && since_photo_s_ >= photo_every_s_) photo();
}

void Aircraft::flyRoute(double dt) {
    const auto& items = lists_[route];
    if (paused_) {
        fly(led_to_, led_amsl_, dt, 0, false);
        return;
    }
    if (item_ == 0 && family_.homeSlot()) begin(1);
    for (int guard = 0; guard < 200 && item_ < items.size() && !waits(items[item_].command); ++guard) {
        const Kept& i = items[item_];
        if (i.command == 177) {
            double& times = jumped_[item_];
            if (i.p2 < 0 || times < i.p2) {
                times += 1;
                if (family_.repeatsRearm())
                    for (auto& [at, n] : jumped_)
                        if (at < item_ && static_cast<double>(at) >= i.p1) n = 0;
                begin(static_cast<std::size_t>(std::max(0.0, i.p1)));
                continue;
            }
        }
        if (i.command == 178 && i.p2 > 0) speed_mps_ = i.p2;
        if (i.command == 206) {
            photo_every_m_ = i.p1;
            if (i.p1 > 0 && i.p3 > 0) photo();
        }
        if (i.command == 203) photo();
        if (i.command == 2000) {
            photo_every_s_ = i.p2;
            photo();
        }
        if (i.command == 2001) photo_every_s_ = 0;
        next();
    }
    if (item_ >= items.size()) {
        // At its end: it stays where it is.
        enter(Does::holdsPlace);
        return;
    }
    const Kept& i = items[item_];
    if (!begun_) {
        begun_ = true;
        there_s_ = -1;
        turned_deg_ = 0;
        leg_from_ = place_;
        // Of a wing's leg the line is that between the two places, wherever it turned.
        line_from_ = led_by_.value_or(place_);
        // Who waits does so at the place it was led to, where it may not have come to rest yet.
        led_to_ = i.command == 93 ? led_by_.value_or(place_) : place_;
        led_by_ = placed(i.command) ? std::optional(placeOf(i)) : std::nullopt;
        leg_from_amsl_ = amsl_m_;
        leg_m_ = placed(i.command) ? distance_m(place_, placeOf(i)) : 0;
        last_bearing_ = placed(i.command) ? bearing_deg(placeOf(i), place_) : 0;
        say(Message("MISSION_CURRENT").set("seq", static_cast<double>(item_)));
    }
    const GeoPoint to = placeOf(i);
    const bool wing = family_.body() == Body::wing;
    switch (i.command) {
        case 22: {
            const double amsl = targetAmsl(i, place_);
            if (wing) {
                fly(destination(place_, yaw_deg_, 500), amsl, dt, 0, false);
            } else {
                fly(led_to_, amsl, dt, 0, false);
            }
            if (std::abs(amsl - amsl_m_) < 1) {
                reachedItem();
                next();
            }
            return;
        }
        case 16:
        case 82: {
            const bool there =
                fly(to, targetAmsl(i, i.frame == 10 ? place_ : to), dt, family_.acceptance_m(), i.frame != 10);
            // A wing has passed a place when it is near or beside it, whatever its height.
            const LocalFrame frame(leg_from_);
            const Vec2 way = frame.toLocal(to), gone = frame.toLocal(place_);
            const bool passed = length(gone - way) < family_.acceptance_m() ||
                                (leg_m_ > 1 && (gone.x * way.x + gone.y * way.y) / leg_m_ > leg_m_);
            if (wing ? passed : there) {
                if (there_s_ < 0) there_s_ = t_s_;
                if (t_s_ - there_s_ >= (wing ? 0 : i.p1)) {
                    reachedItem();
                    next();
                }
            }
            return;
        }
        case 93:
            fly(led_to_, leg_from_amsl_, dt, 0, false);
            if (there_s_ < 0) there_s_ = t_s_;
            if (t_s_ - there_s_ >= i.p1) next();
            return;
        case 19: {
            const double amsl = targetAmsl(i, to);
            const bool near = distance_m(place_, to) < (wing ? family_.circle_m() * 1.5 : family_.acceptance_m());
            if (wing && near)
                circle(to, family_.circle_m(), amsl, dt);
            else
                fly(to, amsl, dt, family_.acceptance_m(), true);
            constexpr double kOnCircle_m = 13;
            const bool on = wing ? distance_m(place_, to) < family_.circle_m() + kOnCircle_m : near;
            if (on && std::abs(amsl - amsl_m_) < 1 && there_s_ < 0) there_s_ = t_s_;
            if (there_s_ >= 0 && t_s_ - there_s_ >= i.p1) {
                reachedItem();
                next();
            }
            return;
        }
        case 18: {
            const double radius = i.p3 == 0 ? family_.circle_m() : i.p3;
            // Rotors go to the nearest place of the circle first.
            if (!wing && there_s_ < 0) {
                const GeoPoint edge = destination(to, bearing_deg(to, leg_from_), std::abs(radius));
                leg_m_ = distance_m(leg_from_, edge);
                if (fly(edge, targetAmsl(i, to), dt, family_.acceptance_m(), true)) {
                    there_s_ = t_s_;
                    last_bearing_ = bearing_deg(to, place_);
                }
                return;
            }
            circle(to, radius, targetAmsl(i, to), dt);
            if (turned_deg_ >= 360 * i.p1) {
                reachedItem();
                next();
            }
            return;
        }
        case 31: {
            const double amsl = targetAmsl(i, to);
            const bool over = distance_m(place_, to) < family_.acceptance_m();
            if (wing) {
                circle(to, i.p2 == 0 ? family_.circle_m() : i.p2, amsl, dt);
            } else {
                // Level to the place, then up or down there.
                if (over && there_s_ < 0) there_s_ = t_s_;
                fly(to, there_s_ < 0 ? leg_from_amsl_ : amsl, dt, family_.acceptance_m(), false);
            }
            if (std::abs(amsl - amsl_m_) < 1 && (wing || over)) {
                reachedItem();
                next();
            }
            return;
        }
        case 17:
            if (wing)
                circle(to, i.p3 == 0 ? family_.circle_m() : i.p3, targetAmsl(i, to), dt);
            else
                fly(to, targetAmsl(i, to), dt, family_.acceptance_m(), true);
            return;
        case 20:
            reachedItem();
            enter(Does::home);
            return;
        case 21: {
            const bool over = distance_m(place_, to) < (wing ? 40 : family_.acceptance_m());
            climbed_ = climbed_ || over;
            if (climbed_)
                fly(wing ? destination(place_, yaw_deg_, 200) : to, ground(place_) - 0.5, dt, 0, false);
            else
                fly(to, std::max(amsl_m_, options_.home_amsl_m), dt, 0, false);
            if (climbed_ && amsl_m_ <= ground(place_) + 0.1) {
                reachedItem();
                disarm();
            }
            return;
        }
        default:
            next();
    }
}

void Aircraft::step(double dt) {
    t_s_ += dt;
    if (!armed_) return;
    battery_ = std::max(0.0, battery_ - dt * 100 / 1500);
    if (amsl_m_ < options_.home_amsl_m + 0.5 && does_ != Does::route && t_s_ - armed_s_ > 60 &&
        does_ != Does::takesOff && does_ != Does::led) {
        disarm();  // long on the ground
        return;
    }
    switch (does_) {
        case Does::route:
            flyRoute(dt);
            break;
        case Does::home: {
            const Family::WayBack back = family_.wayBack(parameters_);
            if (!climbed_) {
                if (amsl_m_ < led_amsl_ - 1) {
                    fly(place_, led_amsl_, dt, 0, false);
                    break;
                }
                climbed_ = true;
                there_s_ = -1;
            }
            if (family_.body() == Body::wing) {
                circle(options_.home, family_.circle_m(), led_amsl_, dt);
                break;
            }
            if (fly(options_.home, led_amsl_, dt, 1, false) && length(velocity_) < 0.5 && there_s_ < 0) there_s_ = t_s_;
            if (there_s_ >= 0 && t_s_ - there_s_ >= back.wait_s) does_ = Does::lands;
            break;
        }
        case Does::lands:
            fly(family_.body() == Body::wing ? destination(place_, yaw_deg_, 200) : place_, ground(place_) - 0.5, dt, 0,
                false);
            if (amsl_m_ <= ground(place_) + 0.1) disarm();
            break;
        case Does::led:
        case Does::takesOff:
        case Does::holdsPlace:
            if (amsl_m_ < options_.home_amsl_m + 0.3 && led_amsl_ < options_.home_amsl_m + 0.5) break;
            if (family_.body() == Body::wing)
                circle(led_to_, family_.circle_m(), led_amsl_, dt);
            else
                fly(led_to_, led_amsl_, dt, 0, false);
            break;
        case Does::nothing:
        case Does::byHand:
        case Does::holdsHeight:
            break;
    }
    if (!armed_) return;
    photoIfDue();
    if (t_s_ - kept_s_ >= 0.1) {
        kept_s_ = t_s_;
        log_.sample(moment());
        flown_.push_back({t_s_, place_, amsl_m_, does_ == Does::route && !paused_, static_cast<int>(item_)});
    }
}

}  // namespace anhinga::families

#include "core/base/Text.h"
#include "core/watch/AutoChecks.h"

namespace anhinga {

namespace {
constexpr double kStill_deg = 2, kStill_s = 2;        // counts as standing still
constexpr double kTurned_deg = 120;                   // far enough to compare
constexpr double kTurn_deg = 180, kTurnOff_deg = 20;  // half round, as well as a hand does it
constexpr double kField_percent = 20, kFieldBetween_percent = 12;

std::optional<double> fieldOf(const VehicleSnapshot& v) {
    if (!v.field_x_ut) return std::nullopt;
    return std::hypot(*v.field_x_ut, *v.field_y_ut, *v.field_z_ut);
}
}  // namespace

void HeadingTest::begin(double field_ut) {
    *this = {};
    field_ut_ = field_ut;
    stage_ = Stage::settling;
}

bool HeadingTest::settled(double heading_deg, double now_s) {
    if (still_since_s_ == 0 || std::abs(wrapAngle(heading_deg - still_deg_)) > kStill_deg) {
        still_deg_ = heading_deg;
        still_since_s_ = now_s;
    }
    return now_s - still_since_s_ >= kStill_s;
}

void HeadingTest::look(const VehicleSnapshot& v, double now_s) {
    if (stage_ == Stage::idle || stage_ == Stage::done || !v.heading_deg) return;
    if (v.armed) {
        stage_ = Stage::done;
        good_ = false;
        result_ = "broken off: the aircraft was armed";
        return;
    }
    now_deg_ = *v.heading_deg;
    const bool still = settled(now_deg_, now_s);
    const double turned = std::abs(wrapAngle(now_deg_ - first_deg_));
    if (stage_ == Stage::settling && still) {
        first_deg_ = now_deg_;
        first_ut_ = fieldOf(v);
        stage_ = Stage::turning;
    } else if (stage_ == Stage::turning && turned > kTurned_deg) {
        still_since_s_ = 0;
        stage_ = Stage::settlingAgain;
    } else if (stage_ == Stage::settlingAgain && still) {
        second_deg_ = now_deg_;
        second_ut_ = fieldOf(v);
        finish();
    }
}

void HeadingTest::finish() {
    stage_ = Stage::done;
    const double turned = std::abs(wrapAngle(second_deg_ - first_deg_));
    const bool follows = std::abs(turned - kTurn_deg) <= kTurnOff_deg;
    result_ = fmt::format("turned half round, heading went from {:.0f}° to {:.0f}°", first_deg_, second_deg_);
    good_ = follows;
    if (!follows) result_ += fmt::format(": that is {:.0f}°, not 180°", turned);
    if (!first_ut_ || !second_ut_) {
        result_ += "; no field strength was heard";
        return;
    }
    const double off = 100 * ((*first_ut_ + *second_ut_) / 2 / field_ut_ - 1);
    const double between = 100 * std::abs(*first_ut_ - *second_ut_) / field_ut_;
    result_ +=
        fmt::format("; field {:.0f} and {:.0f} µT, the Earth's is {:.0f} µT", *first_ut_, *second_ut_, field_ut_);
    if (std::abs(off) > kField_percent || between > kFieldBetween_percent) {
        good_ = false;
        result_ += ": iron or current disturbs it";
    }
}

std::string HeadingTest::text() const {
    switch (stage_) {
        case Stage::idle:
            return "";
        case Stage::settling:
            return "Leave the aircraft still for two seconds";
        case Stage::turning:
            return fmt::format("Turn the aircraft half round by hand, level: {:.0f}° so far",
                               std::abs(wrapAngle(now_deg_ - first_deg_)));
        case Stage::settlingAgain:
            return "Leave it still again for two seconds";
        case Stage::done:
            return result_;
    }
    return "";
}

}  // namespace anhinga

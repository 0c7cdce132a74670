#include "standin/SensorSuite.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

#include "core/base/Physics.h"
#include "core/base/Result.h"
#include "core/base/Text.h"
#include "core/geo/Geo.h"
#include "core/geo/MagneticField.h"

namespace anhinga {

namespace {

constexpr double kDeg = M_PI / 180;
constexpr double kRange_mps2 = 16 * kStandardGravity_mps2;  // of the accelerometers
constexpr double kNotFlying_percent = 8;                    // throttle
constexpr double kTracking_s = 0.08;                        // how long the attitude follows behind what was wanted

/// Between the samples of a channel; its ends beyond them.
class Between {
  public:
    explicit Between(const Channel* c) : channel_(c) {}
    bool known() const { return channel_ != nullptr && channel_->t_s.size() > 1; }
    double at(double t) {
        const auto& ts = channel_->t_s;
        const auto& vs = channel_->value;
        if (t <= ts.front()) return vs.front();
        if (t >= ts.back()) return vs.back();
        while (at_ > 0 && ts[at_] > t) --at_;
        while (ts[at_ + 1] < t) ++at_;
        const double step = ts[at_ + 1] - ts[at_];
        return step <= 0 ? vs[at_ + 1] : vs[at_] + (vs[at_ + 1] - vs[at_]) * (t - ts[at_]) / step;
    }
    /// Per second, over `span`.
    double rate(double t, double span, bool angle) {
        const double before = at(t - span / 2), after = at(t + span / 2);
        return (angle ? std::remainder(after - before, 360.0) : after - before) / span;
    }

  private:
    const Channel* channel_;
    std::size_t at_ = 0;
};

/// Angles in degrees without the jumps at the ends of their range.
Channel unwrapped(const Channel& c) {
    Channel out = c;
    for (std::size_t i = 1; i < out.value.size(); ++i)
        out.value[i] = out.value[i - 1] + std::remainder(c.value[i] - c.value[i - 1], 360.0);
    return out;
}

/// First-order wander around zero with a standard deviation and a time constant.
class Wander {
  public:
    Wander(double deviation, double constant_s) : deviation_(deviation), constant_s_(constant_s) {}
    double step(double dt, double normal) {
        const double keep = std::exp(-dt / constant_s_);
        value_ = keep * value_ + deviation_ * std::sqrt(1 - keep * keep) * normal;
        return value_;
    }

  private:
    double deviation_, constant_s_, value_ = 0;
};

/// From north, east, down into the axes of the body: front, right, down.
std::array<double, 3> intoBody(const std::array<double, 3>& v, double roll, double pitch, double yaw) {
    const double cr = std::cos(roll), sr = std::sin(roll), cp = std::cos(pitch), sp = std::sin(pitch);
    const double cy = std::cos(yaw), sy = std::sin(yaw);
    return {cp * cy * v[0] + cp * sy * v[1] - sp * v[2],
            (sr * sp * cy - cr * sy) * v[0] + (sr * sp * sy + cr * cy) * v[1] + sr * cp * v[2],
            (cr * sp * cy + sr * sy) * v[0] + (cr * sp * sy - sr * cy) * v[1] + cr * cp * v[2]};
}

class Suite {
  public:
    Suite(FlightLog& log, const VehicleProfile& vehicle, const SensorFaults& faults, unsigned seed,
          const SensorRates& rates)
        : log_(log), vehicle_(vehicle), faults_(faults), rates_(rates), random_(seed) {}

    void run() {
        const Channel* lat = log_.find("position.lat_deg");
        const Channel* roll = log_.find("attitude.roll_deg");
        if (lat == nullptr || lat->t_s.size() < 3 || roll == nullptr) return;
        from_s_ = lat->t_s.front();
        to_s_ = lat->t_s.back();
        start_ = {lat->value.front(), log_.find("position.lon_deg")->value.front()};
        circle();
        roll_ = *roll;
        pitch_ = *log_.find("attitude.pitch_deg");
        yaw_ = unwrapped(*log_.find("attitude.yaw_deg"));
        throttle_ = copyOf("throttle.percent");
        current_ = copyOf("battery.current_a");
        battery();
        inertial();
        compass();
        motors();
        heights();
        gps();
        estimate();
    }

  private:
    double normal() { return normal_(random_); }
    Channel copyOf(const char* name) const {
        const Channel* c = log_.find(name);
        return c != nullptr ? *c : Channel{};
    }
    Channel& make(const std::string& name) {
        Channel& c = log_.channel(name, canonicalUnit(name));
        c.t_s.clear();
        c.value.clear();
        return c;
    }
    template <class F>
    void every(double hz, F&& f) const {
        const auto n = static_cast<long>((to_s_ - from_s_) * hz);
        for (long i = 0; i <= n; ++i) f(from_s_ + static_cast<double>(i) / hz);
    }
    bool flying(double throttle) const { return throttle > kNotFlying_percent; }

    /// A hold that circles: the place where it stands becomes a circle, with the bank that takes.
    void circle() {
        if (faults_.circling_m <= 0) return;
        Channel& lat = log_.channel("position.lat_deg", "deg");
        Channel& lon = log_.channel("position.lon_deg", "deg");
        Channel& speed = log_.channel("velocity.ground_mps", "m/s");
        Channel& roll = log_.channel("attitude.roll_deg", "deg");
        const Channel height = copyOf("position.height_home_m");
        const double turn = 2 * M_PI / faults_.circling_period_s;
        double held = 0;
        for (std::size_t i = 1; i < lat.t_s.size(); ++i) {
            constexpr double kStanding_mps = 0.3, kUp_m = 2, kGrowth_s = 6;
            const bool stands = speed.value[i] < kStanding_mps && height.value[i] > kUp_m;
            held = stands ? held + lat.t_s[i] - lat.t_s[i - 1] : 0;
            if (!stands) continue;
            const double radius = faults_.circling_m * std::min(1.0, held / kGrowth_s);
            const GeoPoint off = destination({lat.value[i], lon.value[i]}, turn * held / kDeg, radius);
            lat.value[i] = off.lat_deg;
            lon.value[i] = off.lon_deg;
            speed.value[i] = radius * turn;
            roll.value[i] += std::atan(radius * turn * turn / kStandardGravity_mps2) / kDeg;
        }
    }

    void battery() {
        Channel& voltage = log_.channel("battery.voltage_v", "V");
        if (voltage.t_s.empty() || current_.t_s.empty()) return;
        const Channel used = copyOf("battery.used_wh"), used_mah = copyOf("battery.used_mah");
        Between amps(&current_), wh(&used), mah(&used_mah);
        if (!wh.known()) return;
        Channel current, volts, left;
        std::array<Channel, 4> cells;
        const double n = vehicle_.battery_cells, ohm = vehicle_.battery_resistance_ohm;
        Wander load(0.02, 0.4);
        every(rates_.battery_hz, [&](double t) {
            const double drawn = std::max(0.0, amps.at(t) * (1 + load.step(1 / rates_.battery_hz, normal())));
            const double gone = std::min(1.0, wh.at(t) / (vehicle_.battery_wh * faults_.capacity_factor));
            constexpr double kFull_v = 4.2, kEmpty_v = 3.5;  // as core/flight/Power
            const double cell = kFull_v - (kFull_v - kEmpty_v) * gone;
            double sum = 0;
            for (std::size_t i = 0; i < cells.size(); ++i) {
                const double own = ohm * faults_.resistance_factor / n + (i == 2 ? faults_.weak_cell_ohm : 0);
                const double v = cell - own * drawn + 0.004 * normal();
                if (static_cast<double>(i) < n) sum += v;
                cells[i].add(t, std::round(v * 1000) / 1000);
            }
            if (n > static_cast<double>(cells.size()))
                sum += (n - static_cast<double>(cells.size())) * (cell - ohm * faults_.resistance_factor / n * drawn);
            current.add(t, drawn + 0.05 * normal());
            volts.add(t, sum);
            left.add(t, 100 * (1 - gone));
        });
        const auto store = [&](const std::string& name, Channel& from) {
            Channel& to = make(name);
            to.t_s = std::move(from.t_s);
            to.value = std::move(from.value);
        };
        store("battery.current_a", current);
        store("battery.voltage_v", volts);
        store("battery.left_percent", left);
        for (std::size_t i = 0; i < cells.size(); ++i)
            if (static_cast<double>(i) < n) store(fmt::format("battery.cell_{}_v", i + 1), cells[i]);
    }

    void inertial() {
        std::array<Channel*, 3> gyro{}, accel{}, shake{}, wanted{};
        const char* axes[] = {"x", "y", "z"};
        for (std::size_t i = 0; i < 3; ++i) {
            gyro[i] = &make(fmt::format("imu.gyro_{}_dps", axes[i]));
            accel[i] = &make(fmt::format("imu.accel_{}_mps2", axes[i]));
            shake[i] = &make(fmt::format("vibration.{}_mps2", axes[i]));
        }
        Channel& clipped = make("vibration.clipped");
        wanted = {&make("desired.roll_deg"), &make("desired.pitch_deg"), &make("desired.yaw_deg")};
        const Channel speed = copyOf("velocity.ground_mps"), climb = copyOf("velocity.climb_mps");
        Between roll(&roll_), pitch(&pitch_), yaw(&yaw_), lift(&throttle_), along(&speed), up(&climb);
        std::array<Channel, 3> flown;
        double phase = 0, resonance = 0, wobble = 0, before_roll = 0;
        std::array<double, 3> squares{};
        int in_window = 0;
        double clips = 0, next_shake = from_s_ + 0.1;
        const double dt = 1 / rates_.inertial_hz;
        Wander bend(1, 0.5);
        std::array<double, 3> last{};
        bool first = true;
        every(rates_.inertial_hz, [&](double t) {
            const double throttle = lift.at(t);
            const bool turns = flying(throttle);
            // The propellers: a little below and above one frequency that rises with the throttle.
            phase += 2 * M_PI * (55 + 0.7 * throttle + 1.5 * bend.step(dt, normal())) * dt;
            double strength = turns && t - from_s_ >= faults_.resonance_s ? faults_.resonance_mps2 : 0;
            if (faults_.resonance_throttle > 0) {
                constexpr double kWide_percent = 8;
                strength *= std::exp(-std::pow((throttle - faults_.resonance_throttle) / kWide_percent, 2) / 2);
            }
            // A frame that rings: its frequency holds, its phase wanders.
            resonance += 2 * M_PI * faults_.resonance_hz * dt + 0.05 * normal();
            const double ring = strength * std::sqrt(2.0) * std::sin(resonance);
            const double blades = turns ? faults_.motor_noise_mps2 * (throttle / 50) * std::sqrt(2.0) : 0;
            // After each change of the roll it swings.
            const double r = roll.at(t), change = std::abs(r - before_roll) / dt;
            before_roll = r;
            wobble = std::max(wobble * std::exp(-dt / 1.5), faults_.oscillation_deg * std::min(1.0, change / 8));
            const double swing = wobble * std::sin(2 * M_PI * faults_.oscillation_hz * t);
            const std::array<double, 3> angles{r + swing, pitch.at(t), yaw.at(t)};
            if (first) last = angles;
            first = false;
            const double forward = along.rate(t, 0.4, false);
            const auto force = intoBody({0, 0, -kStandardGravity_mps2 - up.rate(t, 0.4, false)}, angles[0] * kDeg,
                                        angles[1] * kDeg, 0);
            const double scale[] = {0.8, 1.0, 1.3};
            for (std::size_t i = 0; i < 3; ++i) {
                const double spin = (angles[i] - last[i]) / dt;
                const double shaking =
                    scale[i] * (blades * std::sin(phase + static_cast<double>(i) * 1.3) + ring) + 0.12 * normal();
                // Gyros hang softly: they feel a hundredth of it.
                gyro[i]->add(t,
                             spin + 0.6 * scale[i] * (blades * std::sin(phase + 0.7) + 0.8 * ring) + 0.08 * normal());
                const double felt = force[i] + (i == 0 ? forward : 0.0) + shaking;
                const double seen = std::clamp(felt, -kRange_mps2, kRange_mps2);
                if (seen != felt) ++clips;
                accel[i]->add(t, seen);
                squares[i] += shaking * shaking;
                flown[i].add(t, angles[i]);
            }
            last = angles;
            ++in_window;
            if (t >= next_shake) {
                for (std::size_t i = 0; i < 3; ++i) {
                    shake[i]->add(t, std::sqrt(squares[i] / in_window));
                    squares[i] = 0;
                }
                clipped.add(t, clips);
                in_window = 0;
                next_shake += 0.1;
            }
        });
        // What was wanted ran ahead; what is logged of the attitude comes ten times a second.
        constexpr double kAttitude_hz = 25;
        Channel& r_out = make("attitude.roll_deg");
        Channel& p_out = make("attitude.pitch_deg");
        Channel& y_out = make("attitude.yaw_deg");
        std::array<Between, 3> actual{Between(&flown[0]), Between(&flown[1]), Between(&flown[2])};
        every(kAttitude_hz, [&](double t) {
            r_out.add(t, actual[0].at(t) + 0.15 * normal());
            p_out.add(t, actual[1].at(t) + 0.15 * normal());
            y_out.add(t, wrapBearing(actual[2].at(t) + 0.2 * normal()));
            wanted[0]->add(t, roll.at(t + kTracking_s));
            wanted[1]->add(t, pitch.at(t + kTracking_s));
            wanted[2]->add(t, wrapBearing(yaw.at(t + kTracking_s)));
        });
    }

    void compass() {
        const auto field = magneticField(start_, 0, 2026.5);
        std::array<Channel*, 4> out{&make("mag.x_ut"), &make("mag.y_ut"), &make("mag.z_ut"), &make("mag.field_ut")};
        Between roll(&roll_), pitch(&pitch_), yaw(&yaw_), amps(&current_);
        every(rates_.compass_hz, [&](double t) {
            auto v = intoBody({field.north_nt / 1000, field.east_nt / 1000, field.down_nt / 1000}, roll.at(t) * kDeg,
                              pitch.at(t) * kDeg, yaw.at(t) * kDeg);
            const double motors = amps.known() ? faults_.compass_ut_per_a * amps.at(t) : 0;
            // What a usual calibration leaves, a magnet, and the wires to the motors.
            v[0] += 0.4 + faults_.compass_offset_ut * 0.6 + motors * 0.5;
            v[1] += -0.3 + faults_.compass_offset_ut * 0.3 - motors * 0.3;
            v[2] += 0.3 + faults_.compass_offset_ut * 0.75 + motors * 0.8;
            double square = 0;
            for (std::size_t i = 0; i < 3; ++i) {
                v[i] += 0.25 * normal();
                out[i]->add(t, v[i]);
                square += v[i] * v[i];
            }
            out[3]->add(t, std::sqrt(square));
        });
    }

    void motors() {
        if (throttle_.t_s.empty() || vehicle_.kind != VehicleKind::multirotor) return;
        Between lift(&throttle_), roll(&roll_), pitch(&pitch_);
        std::array<Channel*, 4> out{};
        for (std::size_t i = 0; i < 4; ++i) out[i] = &make(fmt::format("motor.{}", i + 1));
        every(rates_.motors_hz, [&](double t) {
            const double throttle = lift.at(t);
            const double by_roll = 0.02 * roll.rate(t, 0.3, true), by_pitch = 0.02 * pitch.rate(t, 0.3, true);
            const double mix[] = {-by_roll + by_pitch, by_roll - by_pitch, by_roll + by_pitch, -by_roll - by_pitch};
            for (std::size_t i = 0; i < 4; ++i)
                out[i]->add(
                    t, flying(throttle)
                           ? std::clamp(throttle + mix[i] + (i == 1 ? faults_.weak_motor_percent : 0) + 0.8 * normal(),
                                        0.0, 100.0)
                           : 0);
        });
    }

    void heights() {
        const Channel truth = copyOf("position.height_home_m");
        Between height(&truth);
        if (!height.known()) return;
        Channel& baro = make("baro.height_m");
        Wander weather(0.25, 120);
        every(rates_.barometer_hz, [&](double t) {
            baro.add(t, height.at(t) + weather.step(1 / rates_.barometer_hz, normal()) + 0.08 * normal());
        });
    }

    void gps() {
        const Channel lat = copyOf("position.lat_deg"), lon = copyOf("position.lon_deg"),
                      amsl = copyOf("position.height_amsl_m"), speed = copyOf("velocity.ground_mps");
        Between north(&lat), east(&lon), height(&amsl), along(&speed);
        const char* names[] = {"gps.lat_deg", "gps.lon_deg", "gps.height_amsl_m", "gps.speed_mps", "gps.satellites",
                               "gps.hdop",    "gps.fix"};
        std::array<Channel*, 7> out{};
        for (std::size_t i = 0; i < out.size(); ++i) out[i] = &make(names[i]);
        Wander to_north(0.5, 40), to_east(0.5, 40), up(0.9, 60), count(1.2, 50);
        const double dt = 1 / rates_.gps_hz;
        every(rates_.gps_hz, [&](double t) {
            GeoPoint p{north.at(t), east.at(t)};
            p = destination(p, 0, to_north.step(dt, normal()) + 0.03 * normal());
            p = destination(p, 90, to_east.step(dt, normal()) + 0.03 * normal());
            const bool wrong = jump(t);
            if (wrong) p = destination(p, 130, faults_.jump_m);
            const double satellites = std::clamp(std::round(16 + count.step(dt, normal())), 4.0, 24.0);
            out[0]->add(t, p.lat_deg);
            out[1]->add(t, p.lon_deg);
            out[2]->add(t, (height.known() ? height.at(t) : 0) + up.step(dt, normal()));
            out[3]->add(t, std::max(0.0, along.at(t) + 0.06 * normal()));
            out[4]->add(t, satellites);
            out[5]->add(t, 0.55 + 2.4 / satellites);
            out[6]->add(t, 3);
        });
    }
    bool jump(double t) const {
        const double since = t - from_s_ - faults_.jump_at_s;
        return faults_.jump_m > 0 && since >= 0 && since < faults_.jump_for_s;
    }

    /// Positions and heights as an aircraft estimates them.
    void estimate() {
        Channel& lat = log_.channel("position.lat_deg", "deg");
        Channel& lon = log_.channel("position.lon_deg", "deg");
        Channel& home = log_.channel("position.height_home_m", "m");
        Channel& amsl = log_.channel("position.height_amsl_m", "m");
        Wander to_north(0.12, 15), to_east(0.12, 15), up(0.08, 20);
        double follows = 0;
        for (std::size_t i = 0; i < lat.t_s.size(); ++i) {
            const double t = lat.t_s[i], dt = i > 0 ? t - lat.t_s[i - 1] : 0.1;
            // It believes a wrong GPS little by little, and forgets it as slowly.
            constexpr double kBelieves_s = 4, kShare = 0.5;
            follows += ((jump(t) ? kShare * faults_.jump_m : 0) - follows) * std::min(1.0, dt / kBelieves_s);
            GeoPoint p = destination({lat.value[i], lon.value[i]}, 0, to_north.step(dt, normal()));
            p = destination(p, 90, to_east.step(dt, normal()));
            if (follows > 0.01) p = destination(p, 130, follows);
            lat.value[i] = p.lat_deg;
            lon.value[i] = p.lon_deg;
            double off = up.step(dt, normal());
            if (faults_.estimate_leaves_m != 0) {
                const double share = (t - from_s_) / (to_s_ - from_s_);  // away in the middle third
                off += faults_.estimate_leaves_m * std::exp(-std::pow((share - 0.5) / 0.13, 2) / 2);
            }
            if (i < home.value.size()) home.value[i] += off;
            if (i < amsl.value.size()) amsl.value[i] += off;
        }
    }

    FlightLog& log_;
    const VehicleProfile& vehicle_;
    const SensorFaults& faults_;
    const SensorRates& rates_;
    std::mt19937 random_;
    std::normal_distribution<double> normal_{0, 1};
    double from_s_ = 0, to_s_ = 0;
    GeoPoint start_;
    Channel roll_, pitch_, yaw_, throttle_, current_;
};

}  // namespace

FlightLog withSensors(const FlightLog& truth, const VehicleProfile& vehicle, const SensorFaults& faults, unsigned seed,
                      const SensorRates& rates) {
    FlightLog log;
    log.format = truth.format;
    log.vehicle = truth.vehicle;
    log.start_unix_s = truth.start_unix_s;
    log.modes = truth.modes;
    log.events = truth.events;
    log.params = truth.params;
    log.missions = truth.missions;
    for (const Channel* c : truth.channels()) log.channel(c->name, c->unit) = *c;
    Suite(log, vehicle, faults, seed, rates).run();
    log.findSessions({});
    return log;
}

}  // namespace anhinga

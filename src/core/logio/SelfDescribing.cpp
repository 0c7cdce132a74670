// Onboard logs that describe themselves: format records (FMT) first, then records of those formats; units and
// multipliers (FMTU, UNIT, MULT) where there are any. What their fields mean in canonical channels, modes and events.
#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <map>
#include <optional>

#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "core/geo/Geo.h"
#include "core/logio/LogReader.h"
#include "core/logio/MotorOutputs.h"
#include "core/logio/SelfDescribingIndex.h"
#include "core/logio/SelfDescribingWords.h"
#include "core/logio/Sticks.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

using namespace selfdescribing;

namespace {

constexpr double kDegrees = 180 / M_PI;

/// A canonical channel and where its values come from, the better source first. `factor` makes a number as it is
/// stored, beside what its type says, one of the canonical unit: for files that do not tell units themselves.
struct Source {
    const char *name, *kind, *field;
    double factor;
};
constexpr Source kSources[] = {{"position.lat_deg", "POS", "Lat", 1},
                               {"position.lat_deg", "GPS", "Lat", 1},
                               {"position.lon_deg", "POS", "Lng", 1},
                               {"position.lon_deg", "GPS", "Lng", 1},
                               {"position.height_amsl_m", "POS", "Alt", 1},
                               {"position.height_amsl_m", "GPS", "Alt", 1},
                               {"position.height_home_m", "POS", "RelHomeAlt", 1},
                               {"position.height_home_m", "CTUN", "Alt", 1},
                               {"position.height_home_m", "GPS", "RAlt", 1},
                               {"estimate.height_home_m", "POS", "RelHomeAlt", 1},
                               {"estimate.height_home_m", "CTUN", "Alt", 1},
                               {"position.height_ground_m", "RFND", "Dist", 1},
                               {"velocity.ground_mps", "GPS", "Spd", 1},
                               {"velocity.climb_mps", "GPS", "VZ", -1},
                               {"velocity.air_mps", "ARSP", "Airspeed", 1},
                               {"attitude.roll_deg", "ATT", "Roll", 1},
                               {"attitude.pitch_deg", "ATT", "Pitch", 1},
                               {"attitude.yaw_deg", "ATT", "Yaw", 1},
                               {"desired.roll_deg", "ATT", "DesRoll", 1},
                               {"desired.pitch_deg", "ATT", "DesPitch", 1},
                               {"desired.yaw_deg", "ATT", "DesYaw", 1},
                               {"desired.height_home_m", "CTUN", "DAlt", 1},
                               {"gps.satellites", "GPS", "NSats", 1},
                               {"gps.hdop", "GPS", "HDop", 1},
                               {"gps.fix", "GPS", "Status", 1},
                               {"gps.hacc_m", "GPA", "HAcc", 1},
                               {"baro.height_m", "BARO", "Alt", 1},
                               {"baro.pressure_hpa", "BARO", "Press", 0.01},
                               {"imu.accel_x_mps2", "IMU", "AccX", 1},
                               {"imu.accel_y_mps2", "IMU", "AccY", 1},
                               {"imu.accel_z_mps2", "IMU", "AccZ", 1},
                               {"imu.gyro_x_dps", "IMU", "GyrX", kDegrees},
                               {"imu.gyro_y_dps", "IMU", "GyrY", kDegrees},
                               {"imu.gyro_z_dps", "IMU", "GyrZ", kDegrees},
                               {"mag.x_ut", "MAG", "MagX", 0.1},
                               {"mag.y_ut", "MAG", "MagY", 0.1},
                               {"mag.z_ut", "MAG", "MagZ", 0.1},
                               {"gps.lat_deg", "GPS", "Lat", 1},
                               {"gps.lon_deg", "GPS", "Lng", 1},
                               {"gps.height_amsl_m", "GPS", "Alt", 1},
                               {"gps.speed_mps", "GPS", "Spd", 1},
                               {"vibration.x_mps2", "VIBE", "VibeX", 1},
                               {"vibration.y_mps2", "VIBE", "VibeY", 1},
                               {"vibration.z_mps2", "VIBE", "VibeZ", 1},
                               {"vibration.clipped", "VIBE", "Clip", 1},
                               {"vibration.clipped", "VIBE", "Clip0", 1},
                               {"battery.voltage_v", "BAT", "Volt", 1},
                               {"battery.voltage_v", "CURR", "Volt", 1},
                               {"battery.current_a", "BAT", "Curr", 1},
                               {"battery.current_a", "CURR", "Curr", 1},
                               {"battery.used_mah", "BAT", "CurrTot", 1},
                               {"battery.used_mah", "CURR", "CurrTot", 1},
                               {"battery.used_wh", "BAT", "EnrgTot", 1},
                               {"battery.left_percent", "BAT", "RemPct", 1},
                               {"throttle.percent", "CTUN", "ThO", 100},
                               {"throttle.percent", "CTUN", "ThrOut", 0.1},
                               {"rpm.1", "RPM", "rpm1", 1},
                               {"rpm.2", "RPM", "rpm2", 1},
                               {"link.rssi", "RSSI", "RXRSSI", 1}};

/// What is left out of a channel: places of a receiver that has none yet.
struct Only {
    int status = -1, lat = -1, lng = -1;  // fields of the same kind
    bool operator()(const Index& index, const Kind& kind, std::uint32_t at) const {
        const auto value = [&](int f) { return index.number(kind, at, static_cast<std::size_t>(f)); };
        constexpr double kFix = 2;
        if (status >= 0 && !(value(status) >= kFix)) return false;
        return lat < 0 || lng < 0 || value(lat) != 0 || value(lng) != 0;
    }
};

/// Makes a log of an index: names, promises, what is said in words.
class Maker {
  public:
    Maker(std::shared_ptr<Index> index, FlightLog& log) : index_(std::move(index)), log_(log) {}
    void run() {
        applyUnits();
        findTime();
        for (const auto& [id, kind] : index_->kinds()) addKind(kind);
        takeParameters();
        for (const Source& s : kSources) addSource(s);
        for (const Source& s : kSources)
            if (mayBeSeveral(s.name)) addFurther(s);
        addFields();
        addMotors();
        addSticks();
        addRotorSpeeds();
        addWind();
        takeWords();
        findStart();
        if (known_time_) log_.setSpan(0, last_s_ - first_s_);
        log_.findSessions({});
    }

  private:
    double at(double absolute_s) const { return absolute_s - first_s_; }

    /// Runs over the records of a kind, in the order of the log.
    void each(const char* name, const std::function<void(const Kind&, std::uint32_t, double)>& act) const {
        const Kind* kind = index_->kind(name);
        if (kind == nullptr) return;
        for (const auto& [instance, places] : kind->places)
            for (std::size_t i = 0; i < places.size(); ++i)
                act(*kind, places[i], kind->time < 0 ? first_s_ : index_->time(*kind, places[i]));
    }
    /// A field's number or text; nothing where the kind has no such field.
    std::optional<double> number(const Kind& k, std::uint32_t at, const char* field) const {
        const int f = k.field(field);
        if (f < 0 || !isNumber(k.fields[static_cast<std::size_t>(f)].type)) return std::nullopt;
        return index_->number(k, at, static_cast<std::size_t>(f));
    }
    std::string text(const Kind& k, std::uint32_t at, const char* field) const {
        const int f = k.field(field);
        return f < 0 || !isText(k.fields[static_cast<std::size_t>(f)].type)
                   ? std::string()
                   : index_->text(k, at, static_cast<std::size_t>(f));
    }

    /// Latitude, longitude and height above sea level that stand in a record; nothing for 0/0.
    std::optional<LoggedPlace> placeAt(const Kind& k, std::uint32_t at) const {
        const auto lat = number(k, at, "Lat"), lng = number(k, at, "Lng");
        if (!lat || !lng || (*lat == 0 && *lng == 0) || !isValid({*lat, *lng})) return std::nullopt;
        LoggedPlace place{*lat, *lng, std::nullopt};
        if (const auto amsl = number(k, at, "Alt"); amsl && std::isfinite(*amsl)) place.amsl_m = *amsl;
        return place;
    }

    /// FMTU names a unit and a multiplier for each field; UNIT and MULT say what the letters mean.
    void applyUnits() {
        std::map<char, std::string> units;
        std::map<char, double> multipliers;
        each("UNIT", [&](const Kind& k, std::uint32_t at, double) {
            if (const auto id = number(k, at, "Id")) units[static_cast<char>(toInt(*id))] = text(k, at, "Label");
        });
        each("MULT", [&](const Kind& k, std::uint32_t at, double) {
            const auto id = number(k, at, "Id"), by = number(k, at, "Mult");
            if (id && by && std::isfinite(*by) && *by != 0) multipliers[static_cast<char>(toInt(*id))] = *by;
        });
        each("FMTU", [&](const Kind& k, std::uint32_t at, double) {
            const auto type = number(k, at, "FmtType");
            const auto found = type ? index_->kinds().find(toInt(*type, -1)) : index_->kinds().end();
            if (found == index_->kinds().end()) return;
            const std::string marks = text(k, at, "UnitIds"), by = text(k, at, "MultIds");
            auto& fields = found->second.fields;
            for (std::size_t i = 0; i < fields.size(); ++i) {
                if (i < marks.size() && units.contains(marks[i])) {
                    fields[i].unit = units.at(marks[i]);
                    fields[i].told = true;
                }
                // These types say their own multiplier.
                const bool scaled = std::strchr("cCeEL", fields[i].type) != nullptr;
                const bool is_time = static_cast<int>(i) == found->second.time;
                if (!scaled && !is_time && i < by.size() && multipliers.contains(by[i]))
                    fields[i].factor = multipliers.at(by[i]);
            }
        });
    }

    void findTime() {
        for (const auto& [id, kind] : index_->kinds()) {
            if (kind.time < 0) continue;
            for (const auto& [instance, places] : kind.places) {
                if (places.size() == 0) continue;
                const double begin = index_->time(kind, places[0]), end = index_->time(kind, places[places.size() - 1]);
                if (!std::isfinite(begin) || !std::isfinite(end)) continue;
                // Records that describe the log carry no time of their own.
                if (begin > 0 && (!known_time_ || begin < first_s_)) first_s_ = begin;
                known_time_ = known_time_ || begin > 0;
                last_s_ = std::max(last_s_, end);
            }
        }
    }

    /// Fills a channel from a field; times stay ascending.
    static void decode(const Index& index, const Kind& kind, const Places& places, std::size_t field, double factor,
                       double first_s, Channel& c, const Only& only = {}) {
        c.t_s.reserve(places.size());
        c.value.reserve(places.size());
        for (std::size_t i = 0; i < places.size(); ++i) {
            const double t = index.time(kind, places[i]) - first_s, v = index.number(kind, places[i], field) * factor;
            if (std::isnan(v) || !(t >= 0) || (!c.t_s.empty() && t < c.t_s.back())) continue;
            if (only(index, kind, places[i])) c.add(t, v);
        }
    }
    std::function<void(Channel&)> decoder(const Kind& kind, const Places& places, std::size_t field, double factor,
                                          const Only& only = {}) const {
        return [index = index_, k = &kind, p = &places, field, factor, only, first = first_s_](Channel& c) {
            decode(*index, *k, *p, field, factor, first, c, only);
        };
    }

    void addKind(const Kind& kind) {
        if (kind.count() > 0) log_.message_counts[kind.name] = kind.count();
        if (kind.time < 0) return;
        for (const auto& [instance, places] : kind.places) {
            const std::string name = instance > 0 ? fmt::format("{}#{}", kind.name, instance) : kind.name;
            for (std::size_t f = 0; f < kind.fields.size(); ++f)
                if (isNumber(kind.fields[f].type) && static_cast<int>(f) != kind.time)
                    log_.promise(name + "." + kind.fields[f].name, kind.fields[f].unit, places.size(),
                                 decoder(kind, places, f, 1));
        }
    }

    const Kind* withField(const char* name, const char* field) const {
        const Kind* kind = index_->kind(name);
        const int f = kind != nullptr ? kind->field(field) : -1;
        const bool there =
            f >= 0 && kind->time >= 0 && kind->count() > 0 && isNumber(kind->fields[static_cast<std::size_t>(f)].type);
        return there ? kind : nullptr;
    }
    /// Of several of a sensor the one that was used, where the log says so; else the first.
    const Places& used(const Kind& kind) const {
        const int used = kind.field("U");
        const Places* best = &kind.places.begin()->second;
        if (used < 0 || kind.places.size() < 2) return *best;
        constexpr std::size_t kLooks = 64;
        std::size_t most = 0;
        for (const auto& [instance, places] : kind.places) {
            std::size_t count = 0;
            for (std::size_t i = 0; i < kLooks; ++i)
                if (index_->number(kind, places[i * places.size() / kLooks], static_cast<std::size_t>(used)) > 0)
                    ++count;
            if (count > most) best = &places;
            most = std::max(most, count);
        }
        return *best;
    }
    /// What makes a field's value one of a canonical unit. Where the file gives a unit, that alone; else the number as
    /// it is stored, by the table. Which way is up is the table's: no unit says that.
    static double factorOf(const Field& field, const char* canonical, double by_table) {
        if (field.told)
            if (const auto factor = unitFactor(field.unit, canonicalUnit(canonical)))
                return std::copysign(*factor, by_table);
        return by_table / field.factor;
    }
    void addSource(const Source& s) {
        const Kind* kind = withField(s.kind, s.field);
        if (kind == nullptr || log_.has(s.name)) return;
        const Places& places = used(*kind);
        // A sensor of turns that is not there says nothing all the time, or less.
        if (std::string_view(s.name).starts_with("rpm.") && !everAbove(*kind, places, s.field, 0)) return;
        promiseSource(s, s.name, *kind, places);
    }
    /// By a look at some of them.
    bool everAbove(const Kind& kind, const Places& places, const char* field, double limit) const {
        constexpr std::size_t kLooks = 512;
        for (std::size_t k = 0; k < kLooks; ++k)
            if (index_->number(kind, places[k * places.size() / kLooks], static_cast<std::size_t>(kind.field(field))) >
                limit)
                return true;
        return false;
    }
    void promiseSource(const Source& s, const std::string& as, const Kind& kind, const Places& places) {
        const auto f = static_cast<std::size_t>(kind.field(s.field));
        const std::string_view name = s.name;
        // Wings log their throttle in percent, rotors as a share.
        double by_table = name == "throttle.percent" && s.factor == 100 && type_ == kFixedWing ? 1 : s.factor;
        // Older layouts hold volts and amperes in hundredths.
        if (kind.name == "CURR" && kind.fields[f].type == 'h') by_table = 0.01;
        Only only;
        if (name.starts_with("position.") || name.starts_with("gps.lat") || name.starts_with("gps.lon") ||
            name.starts_with("gps.height"))
            only = {kind.field("Status"), kind.field("Lat"), kind.field("Lng")};
        if (kind.name == "POS") only.status = -1;
        log_.promise(as, canonicalUnit(s.name), places.size(),
                     decoder(kind, places, f, factorOf(kind.fields[f], s.name, by_table), only));
    }
    /// The kinds that hold the sensors of one sort, in their order: instances of a kind, or kinds of their own
    /// ("MAG2").
    std::vector<std::pair<const Kind*, const Places*>> allOf(const char* kind_name, const char* field) const {
        std::vector<std::pair<const Kind*, const Places*>> out;
        if (const Kind* kind = withField(kind_name, field))
            for (const auto& [instance, places] : kind->places) out.emplace_back(kind, &places);
        constexpr int kMost = 4;
        for (int i = 2; i <= kMost && out.size() == static_cast<std::size_t>(i) - 1; ++i)
            if (const Kind* kind = withField(fmt::format("{}{}", kind_name, i).c_str(), field))
                out.emplace_back(kind, &kind->places.begin()->second);
        return out;
    }
    void addFurther(const Source& s) {
        const auto all = allOf(s.kind, s.field);
        for (std::size_t i = 1; i < all.size(); ++i)
            if (const std::string name = numberedChannel(s.name, i + 1); !log_.has(name) && all[i].second->size() > 0)
                promiseSource(s, name, *all[i].first, *all[i].second);
    }
    /// The strength of the field over all axes, of every compass.
    void addFields() {
        const Kind* kind = index_->kind("MAG");
        if (kind == nullptr || !log_.has("mag.x_ut") || !log_.has("mag.y_ut") || !log_.has("mag.z_ut")) return;
        promiseField("mag.field_ut", *kind, used(*kind));
        const auto all = allOf("MAG", "MagX");
        for (std::size_t i = 1; i < all.size(); ++i)
            if (all[i].first->field("MagY") >= 0 && all[i].first->field("MagZ") >= 0)
                promiseField(numberedChannel("mag.field_ut", i + 1), *all[i].first, *all[i].second);
    }
    void promiseField(const std::string& name, const Kind& kind, const Places& places) {
        log_.promise(
            name, "uT", places.size(), [index = index_, kind = &kind, p = &places, first = first_s_](Channel& c) {
                Channel axes[3];
                const char* names[] = {"MagX", "MagY", "MagZ"};
                for (int a = 0; a < 3; ++a) {
                    const auto f = static_cast<std::size_t>(kind->field(names[a]));
                    constexpr double kMilligauss = 0.1;
                    decode(*index, *kind, *p, f, factorOf(kind->fields[f], "mag.x_ut", kMilligauss), first, axes[a]);
                }
                const std::size_t n = std::min({axes[0].t_s.size(), axes[1].t_s.size(), axes[2].t_s.size()});
                for (std::size_t i = 0; i < n; ++i)
                    c.add(axes[0].t_s[i], std::hypot(axes[0].value[i], axes[1].value[i], axes[2].value[i]));
            });
    }
    /// Where the sticks stand, by what the parameters say of the receiver's channels.
    void addSticks() {
        for (const Stick& stick : sticksOf(log_.params)) {
            const std::string field = fmt::format("C{}", stick.channel);
            const Kind* kind = withField("RCIN", field.c_str());
            if (kind == nullptr) continue;
            const Places& places = used(*kind);
            log_.promise(stick.name, "", places.size(),
                         [index = index_, kind, p = &places, field, stick, first = first_s_](Channel& c) {
                             Channel us;
                             decode(*index, *kind, *p, static_cast<std::size_t>(kind->field(field)), 1, first, us);
                             for (std::size_t i = 0; i < us.t_s.size(); ++i)
                                 if (const double at = stick.position(us.value[i]); !std::isnan(at))
                                     c.add(us.t_s[i], at);
                         });
        }
    }
    /// What speed controllers say of each rotor.
    void addRotorSpeeds() {
        const Kind* kind = withField("ESC", "RPM");
        if (kind == nullptr || log_.has("rpm.1")) return;
        const auto f = static_cast<std::size_t>(kind->field("RPM"));
        for (const auto& [instance, places] : kind->places)
            log_.promise(fmt::format("rpm.{}", instance + 1), "", places.size(), decoder(*kind, places, f, 1));
    }
    /// The estimator's wind: how fast the air goes north and east.
    void addWind() {
        for (const char* name : {"XKF2", "NKF2", "EKF2"}) {
            const Kind* kind = withField(name, "VWN");
            if (kind == nullptr || withField(name, "VWE") == nullptr) continue;
            const Places& places = kind->places.begin()->second;
            using Of = double (*)(double north, double east);
            constexpr std::pair<const char*, Of> kWind[] = {
                {"wind.speed_mps", [](double north, double east) { return std::hypot(north, east); }},
                {"wind.from_deg", [](double north, double east) {
                     const double from = std::atan2(-east, -north) * kDegrees;
                     return from < 0 ? from + 360 : from;
                 }}};
            for (const auto& [channel, of] : kWind)
                log_.promise(
                    channel, canonicalUnit(channel), places.size(),
                    [index = index_, kind, p = &places, of = of, first = first_s_](Channel& c) {
                        Channel north, east;
                        decode(*index, *kind, *p, static_cast<std::size_t>(kind->field("VWN")), 1, first, north);
                        decode(*index, *kind, *p, static_cast<std::size_t>(kind->field("VWE")), 1, first, east);
                        for (std::size_t i = 0; i < std::min(north.t_s.size(), east.t_s.size()); ++i)
                            c.add(north.t_s[i], of(north.value[i], east.value[i]));
                    });
            return;
        }
    }

    /// By what the outputs are for, where the parameters tell; else those that ever change.
    std::vector<MotorOutput> rotorOutputs() const {
        constexpr int kMost = 14;
        if (const auto told = motorOutputs(log_.params, kMost)) return *told;
        std::vector<MotorOutput> out;
        for (int i = 1; i <= kMost; ++i) {
            const Kind* kind = withField("RCOU", fmt::format("C{}", i).c_str());
            if (kind == nullptr) continue;
            const Places& places = used(*kind);
            const auto f = static_cast<std::size_t>(kind->field(fmt::format("C{}", i)));
            constexpr std::size_t kLooks = 512;
            const double first = index_->number(*kind, places[0], f);
            for (std::size_t k = 1; k < kLooks; ++k)
                if (index_->number(*kind, places[k * places.size() / kLooks], f) != first) {
                    out.push_back({i, i});
                    break;
                }
        }
        return out;
    }
    /// Outputs to the motors in percent.
    void addMotors() {
        for (const MotorOutput& o : rotorOutputs()) {
            const std::string field = fmt::format("C{}", o.output), name = fmt::format("motor.{}", o.motor);
            const Kind* kind = withField("RCOU", field.c_str());
            if (kind == nullptr || log_.has(name)) continue;
            const Places& places = used(*kind);
            log_.promise(name, "%", places.size(),
                         [index = index_, kind, p = &places, field, o, first = first_s_](Channel& c) {
                             decode(*index, *kind, *p, static_cast<std::size_t>(kind->field(field)), 1, first, c);
                             for (double& v : c.value) v = o.percent(v);
                         });
        }
    }

    void takeParameters() {
        each("PARM", [&](const Kind& k, std::uint32_t at, double t) {
            const std::string name = text(k, at, "Name");
            const auto value = number(k, at, "Value");
            if (value) log_.takeParameter(this->at(t), name, *value);
        });
        const auto has = [&](const char* name) { return log_.params.contains(name); };
        // Without parameters: wings log what is demanded of their surfaces.
        const bool surfaces = index_->kind("AETR") != nullptr || withField("CTUN", "NavRoll") != nullptr;
        type_ = has("H_RSC_MODE")                                                       ? kHelicopter
                : has("FRAME_CLASS") || has("MOT_SPIN_ARM") || has("MOT_THST_HOVER")    ? kMultirotor
                : has("TRIM_ARSPD_CM") || has("AIRSPEED_CRUISE") || has("RLL2SRV_RMAX") ? kFixedWing
                : surfaces                                                              ? kFixedWing
                                                                                        : kMultirotor;
        log_.autopilot = kFamily;
        log_.type = type_;
        log_.vehicle = mavlink::typeText(type_);
        if (has("SYSID_THISMAV")) {
            log_.system = toInt(log_.params.at("SYSID_THISMAV"));
            log_.vehicle = fmt::format("vehicle {}, {}", log_.system, log_.vehicle);
        }
    }

    std::string modeWords(int mode) const {
        const auto number = static_cast<std::uint32_t>(mode);
        if (const char* words = rareMode(type_ == kFixedWing, mode);
            *words != '\0' && !mavlink::modeKind(kFamily, type_, number))
            return words;
        return mavlink::modeName(kFamily, type_, number);
    }

    void takeWords() {
        std::string before;
        each("MODE", [&](const Kind& k, std::uint32_t at, double t) {
            const auto n = number(k, at, k.field("ModeNum") >= 0 ? "ModeNum" : "Mode");
            if (!n || !(*n >= 0 && *n <= 1000)) return;
            const std::string mode = modeWords(static_cast<int>(*n));
            if (mode != before) log_.modes.push_back({this->at(t), mode});
            before = mode;
        });
        const auto event = [&](double t, const char* kind, std::string words) {
            log_.events.push_back({at(t), kind, std::move(words)});
        };
        each("MSG", [&](const Kind& k, std::uint32_t at, double t) { event(t, "message", text(k, at, "Message")); });
        std::size_t armed = 0;
        each("ARM", [&](const Kind& k, std::uint32_t at, double t) {
            if (const auto on = number(k, at, "ArmState")) {
                event(t, *on != 0 ? "armed" : "disarmed", "");
                ++armed;
            }
        });
        constexpr int kArmed = 10, kDisarmed = 11;
        each("EV", [&](const Kind& k, std::uint32_t at, double t) {
            const auto id = number(k, at, "Id");
            if (!id) return;
            if (armed == 0 && (*id == kArmed || *id == kDisarmed)) event(t, *id == kArmed ? "armed" : "disarmed", "");
            if (const char* words = eventWords(toInt(*id)); *words != '\0') event(t, "message", words);
        });
        each("ERR", [&](const Kind& k, std::uint32_t at, double t) {
            const auto part = number(k, at, "Subsys"), code = number(k, at, "ECode");
            if (!part || !code) return;
            const std::string words = errorWords(toInt(*part));
            event(t, "message",
                  (words.empty() ? fmt::format("error of part {:.0f}", *part) : words) +
                      (*code == 0 ? std::string(", over") : fmt::format(" ({:.0f})", *code)));
        });
        int photos = 0;
        const auto photo = [&](const Kind& k, std::uint32_t at, double t) {
            event(t, "photo", std::to_string(++photos));
            log_.events.back().place = placeAt(k, at);
        };
        each("CAM", photo);
        if (photos == 0) each("TRIG", photo);
        // An estimator's origin is no home.
        each("ORGN", [&](const Kind& k, std::uint32_t at, double t) {
            constexpr double kHome = 1;
            const auto place = placeAt(k, at);
            if (place && number(k, at, "Type").value_or(kHome) == kHome) log_.homes.push_back({this->at(t), *place});
        });
        std::stable_sort(log_.events.begin(), log_.events.end(),
                         [](const LogEvent& a, const LogEvent& b) { return a.t_s < b.t_s; });
        // A mission that is logged item by item: each time it begins again is another one.
        each("CMD", [&](const Kind& k, std::uint32_t at, double t) {
            const auto total = number(k, at, "CTot"), n = number(k, at, "CNum");
            if (total && n && *n == 0 && *total > 0 && *total < 65536) {
                log_.missions.push_back(static_cast<int>(*total));
                log_.mission_lists.push_back({t, static_cast<std::size_t>(*total), {}});
            }
            if (!n || log_.mission_lists.empty() || !(*n >= 0 && *n <= 65535)) return;
            LoggedItem item;
            const auto value = [&](const char* field) { return number(k, at, field).value_or(0); };
            const auto whole = [&](const char* field) {
                const double v = value(field);
                return v >= 0 && v < 65536 ? static_cast<int>(v) : 0;
            };
            item.seq = static_cast<int>(*n);
            item.command = whole("CId");
            item.frame = whole("Frame");
            const char* const params[] = {"Prm1", "Prm2", "Prm3", "Prm4"};
            for (int i = 0; i < 4; ++i) item.param[i] = value(params[i]);
            item.x = value("Lat");
            item.y = value("Lng");
            item.z = value("Alt");
            auto& items = log_.mission_lists.back().items;
            if (items.size() < log_.mission_lists.back().count) items.push_back(item);
        });
    }

    /// From the first GPS week and millisecond with a fix (GPS time is ahead of UTC by the leap seconds since 1980).
    void findStart() {
        bool found = false;
        each("GPS", [&](const Kind& k, std::uint32_t at, double t) {
            constexpr double kEpoch = 315964800, kWeek_s = 604800;
            if (found) return;
            const bool older = k.field("Week") >= 0;
            const char* const ms = older ? "TimeMS" : "GMS";
            const auto week = number(k, at, older ? "Week" : "GWk"), time = number(k, at, ms),
                       fix = number(k, at, "Status");
            if (!week || !time || *week < 1000 || *week > 10000 || fix.value_or(0) < 3) return;
            // Milliseconds, or seconds where the file's own multiplier has made them so.
            const Field& f = k.fields[static_cast<std::size_t>(k.field(ms))];
            const double gps_s = kEpoch + *week * kWeek_s + (f.told && f.unit == "s" ? *time : *time / 1000);
            log_.start_unix_s = gps_s - leapSeconds(gps_s) - (t - first_s_);
            found = true;
        });
    }

    std::shared_ptr<Index> index_;
    FlightLog& log_;
    bool known_time_ = false;
    double first_s_ = 0, last_s_ = 0;
    static constexpr int kFamily = 3;                                       // MAV_AUTOPILOT of those that write so
    static constexpr int kFixedWing = 1, kMultirotor = 2, kHelicopter = 4;  // MAV_TYPE
    int type_ = kMultirotor;
};

Result<LogPtr> make(std::shared_ptr<Index> index, const char* format, const std::string& name) {
    auto log = std::make_shared<FlightLog>();
    log->format = format;
    index->build(*log);
    index->settle();
    std::size_t records = 0;
    for (const auto& [id, kind] : index->kinds()) records += kind.count();
    if (records == 0) return fail("{}: {} without any record in it", name, format);
    Maker(std::move(index), *log).run();
    return log;
}

}  // namespace

bool looksLikeSelfDescribing(std::string_view b) {
    // A format record within the first kilobytes.
    constexpr std::string_view kBegin("\xA3\x95\x80", 3);
    return b.substr(0, 4096).find(kBegin) != std::string_view::npos;
}

Result<LogPtr> readSelfDescribing(const SharedBytes& bytes, const std::string& name) {
    return make(binaryIndex(bytes), "self-describing log", name);
}

bool looksLikeSelfDescribingText(std::string_view b) {
    const std::string_view begin = b.substr(0, 4096);
    for (std::size_t at = begin.find("FMT,"); at != std::string_view::npos; at = begin.find("FMT,", at + 1))
        if (at == 0 || begin[at - 1] == '\n') return true;
    return false;
}

Result<LogPtr> readSelfDescribingText(const SharedBytes& bytes, const std::string& name) {
    return make(textIndex(bytes), "self-describing log, text", name);
}

}  // namespace anhinga

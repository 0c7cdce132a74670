// An aircraft of a real autopilot family: it stores, refuses, flies and names its modes as that family does. A point
// mass with limits is what flies; it shares nothing with the simulation that plans are rehearsed with.
#pragma once

#include <array>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/geo/Geo.h"
#include "core/mavlink/Messages.h"
#include "core/terrain/Terrain.h"
#include "standin/families/Family.h"
#include "standin/families/SimulatedVehicle.h"

namespace anhinga::families {

struct AircraftOptions {
    std::unique_ptr<Family> family;
    GeoPoint home;
    double home_amsl_m = 0;
    std::shared_ptr<const Terrain> terrain;
    double pace = 1;
    int system = 1;
    int max_items = 700;
    double speed_mps = 0;    // 0: as bodies of its kind usually fly
    double heading_deg = 0;  // as it stands on the ground, or is held to be thrown
    double unix_s = 1.79e9;  // when it is switched on
};

/// Thread-safe, as SimulatedVehicle asks.
class Aircraft : public SimulatedVehicle {
  public:
    static constexpr double kStep_s = 0.05;
    Aircraft(AircraftOptions options, std::function<void(const mavlink::Message&)> send);
    void hear(const mavlink::Message& message, std::span<const std::uint8_t> frame) override;
    std::string frame(const mavlink::Message& message) override;
    void advance(double seconds) override;

    struct Flown {
        double t_s = 0;
        GeoPoint place;
        double amsl_m = 0;
        bool on_route = false;
        int item = 0;
    };
    /// Ten a second of its own time, while armed.
    std::vector<Flown> flown() const;
    bool armed() const;
    bool onRoute() const;
    std::vector<Kept> held(List list) const;
    /// Mode numbers that were commanded and taken.
    std::vector<std::uint32_t> modes() const;

  private:
    using Message = mavlink::Message;
    void say(Message message);
    void text(int severity, const std::string& what);
    void heartbeat();
    void telemetry();
    // lists
    void listMessage(const Message& m);
    void beginUpload(const Message& m, int first, int count);
    void takeItem(const Message& m);
    void acknowledge(const Message& to, int list, int answer);
    void sendItem(const Message& m);
    /// It knows items with whole numbers for places.
    bool integers() const;
    void askItem();
    // orders
    void order(const Message& m);
    int execute(const Message& m, int command);
    int enter(Does does);
    void parameterMessage(const Message& m);
    void sendParameter(const std::string& name);
    // flight
    void step(double dt);
    void flyRoute(double dt);
    void begin(std::size_t index);
    void next();
    void reachedItem();
    /// Towards a place and height; true when there. `line`: the height follows the way there from where it began.
    bool fly(GeoPoint to, double amsl_m, double dt, double within_m, bool line);
    void bankTowards(Vec2 aim, double dt);
    void circle(GeoPoint centre, double radius_m, double amsl_m, double dt);
    double targetAmsl(const Kept& item, GeoPoint at) const;
    double ground(GeoPoint p) const;
    void photoIfDue();
    void photo();
    void arm();
    void disarm();
    OnboardLog::Moment moment() const;

    AircraftOptions options_;
    const Family& family_;
    std::function<void(const Message&)> send_;
    mutable std::mutex mutex_;
    std::array<std::vector<Kept>, 3> lists_;
    struct {
        bool active = false, part = false;
        int list = 0, next = 0, first = 0, end = 0, tries = 0;
        double asked_s = 0;
        std::vector<Kept> items;
        Message from;
    } upload_;
    std::map<std::string, Parameter> parameters_;
    OnboardLog log_;
    std::vector<std::string> to_say_;  // parameters
    std::uint8_t sequence_ = 0;
    double wall_s_ = 0, owed_s_ = 0, t_s_ = 0, said_s_ = -1, beat_s_ = -10, kept_s_ = -1;

    Does does_ = Does::nothing;
    bool armed_ = false, paused_ = false, valid_ = true;
    GeoPoint place_;
    double amsl_m_, speed_mps_, yaw_deg_, bank_deg_ = 0, battery_ = 100;
    Vec2 velocity_{}, push_{};  // east, north; m/s and m/s^2
    double climb_mps_ = 0;
    std::size_t item_ = 0;
    bool begun_ = false, climbed_ = false;
    std::optional<GeoPoint> led_by_;  // place of the entry that is flown
    GeoPoint leg_from_, line_from_;   // where it began the leg; the place the leg's line comes from
    double leg_from_amsl_ = 0, leg_m_ = 0, there_s_ = -1, turned_deg_ = 0, last_bearing_ = 0, armed_s_ = 0;
    std::map<std::size_t, double> jumped_;
    GeoPoint led_to_;
    double led_amsl_ = 0;
    double photo_every_m_ = 0, photo_every_s_ = 0, since_photo_s_ = 0;
    GeoPoint last_photo_;
    int photos_ = 0;
    std::vector<Flown> flown_;
    std::vector<std::uint32_t> modes_;
};

}  // namespace anhinga::families

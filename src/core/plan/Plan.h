// The Plan: everything an operator decides before a flight, as plain values.
// Items are known by ItemId for as long as the plan lives; their place in the itinerary may change at any time.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <unordered_map>
#include <variant>
#include <vector>

#include "core/base/CopyOnWrite.h"
#include "core/geo/Geo.h"
#include "core/plan/Height.h"
#include "core/plan/ItemId.h"
#include "core/plan/Pattern.h"
#include "core/plan/Vehicle.h"

namespace anhinga {

enum class ItemKind {
    takeOff,
    waypoint,
    hold,
    holdTurns,
    loiterToHeight,
    land,
    returnHome,
    block,
    corridor,
    rings,
    face,
    lap
};

/// How a repeat without an end is left.
enum class Leave { unsaid, byOrder, atReserve };
/// Go back (or ahead) to an item. `count` is the number of extra passes; endless when negative.
struct Repeat {
    ItemId target = 0;
    int count = 1;
    Leave leave = Leave::unsaid;  // of an endless one
    bool operator==(const Repeat&) const = default;
};
/// Nose and camera stay on a place from here until LookAtStop.
struct LookAt {
    GeoPoint place;
    Height height;
    std::string name;
    bool operator==(const LookAt&) const = default;
};
struct LookAtStop {
    bool operator==(const LookAtStop&) const = default;
};
struct PhotoNow {
    bool operator==(const PhotoNow&) const = default;
};
/// A photo every so many metres from here on; 0 stops.
struct PhotoEvery {
    double distance_m = 0;
    bool operator==(const PhotoEvery&) const = default;
};
/// A photo every so many seconds from here on; 0 stops.
struct PhotoInterval {
    double interval_s = 0;
    bool operator==(const PhotoInterval&) const = default;
};
/// Video recording from here on, or its end.
struct Video {
    bool on = true;
    bool operator==(const Video&) const = default;
};
/// Waits at the place before what follows.
struct Delay {
    double delay_s = 5;
    bool operator==(const Delay&) const = default;
};
/// The nose turns to a true bearing and keeps it on the leg that follows.
struct SetHeading {
    double heading_deg = 0;
    bool operator==(const SetHeading&) const = default;
};
/// An output of the autopilot is driven to a pulse width in microseconds.
struct Servo {
    int channel = 1, pulse_us = 1500;
    bool operator==(const Servo&) const = default;
};
/// A relay is closed or opened; numbered from 0 as in the standard.
struct Relay {
    int number = 0;
    bool on = true;
    bool operator==(const Relay&) const = default;
};
/// Degrees; 0 is level, -90 straight down.
struct GimbalPitch {
    double pitch_deg = 0;
    bool operator==(const GimbalPitch&) const = default;
};
/// A mission command this program has no word for, kept exactly as the autopilot holds it.
struct RawCommand {
    int frame = 0, command = 0;
    float param1 = 0, param2 = 0, param3 = 0, param4 = 0;
    std::int32_t x = 0, y = 0;
    float z = 0;
    bool operator==(const RawCommand&) const = default;
};
/// What happens at an item after it is reached, in order.
using Action = std::variant<Repeat, LookAt, LookAtStop, PhotoNow, PhotoEvery, PhotoInterval, Video, Delay, SetHeading,
                            GimbalPitch, Servo, Relay, RawCommand>;

struct Item {
    ItemId id = 0;
    ItemKind kind = ItemKind::waypoint;
    std::string name, notes;
    ItemId section = 0;                  // 0: in none
    GeoPoint position;                   // unused for take-off, return home and patterns
    std::optional<Height> height;        // inherits the plan's default; take-off: height to climb to
    std::optional<double> speed_mps;     // on the way to this item and from then on inside it
    std::optional<double> acceptance_m;  // how near counts as reached
    bool spline = false;                 // kind waypoint: flown through in a curve
    bool straight = false;               // no following of the ground between two heights above it on the way here
    std::optional<double> hold_s;        // kind hold; inherits the plan's default
    double turns = 1, radius_m = 20;     // kind holdTurns; turns count clockwise, negative the other way
    CopyOnWrite<Pattern> pattern;        // kinds block, corridor, rings, face, lap
    std::vector<Action> actions;
    std::string unknown;  // members of the file this version has no word for (a JSON object), kept through a save
    bool operator==(const Item&) const = default;
};

/// A name for items that belong together ("wait", "shuttle"); the items say which section they are in.
struct Section {
    ItemId id = 0;
    std::string name;
    bool operator==(const Section&) const = default;
};

/// Where a new sortie begins: at an item, or inside a pattern at one of its lines or photos, both counted from 1 in the
/// order they are flown.
struct Cut {
    ItemId item = 0;
    int line = 0;   // 0: at its beginning
    int photo = 0;  // 0: none; otherwise `line` is 0
    bool operator==(const Cut&) const = default;
};

enum class FenceKind { keepIn, keepOut };
/// A polygon, or a circle when `radius_m` is positive: `outline` is then its centre alone.
struct Fence {
    ItemId id = 0;
    FenceKind kind = FenceKind::keepIn;
    std::string name;
    std::vector<GeoPoint> outline;
    std::string unknown = {};
    double radius_m = 0;
    bool operator==(const Fence&) const = default;
    bool isCircle() const { return radius_m > 0; }
};

/// A place to fly to instead of home.
struct RallyPoint {
    ItemId id = 0;
    std::string name;
    GeoPoint position;
    Height height = Height::aboveHome(60);
    std::string unknown;
    bool operator==(const RallyPoint&) const = default;
};

enum class ObstacleKind { mast, wire, trees };
/// Something that stands on the ground: a mast (one point, with a radius), a wire along a line, trees over an area.
/// Tops are `height_m` above the ground beneath; along a wire the top runs straight from support to support.
struct Obstacle {
    ItemId id = 0;
    ObstacleKind kind = ObstacleKind::mast;
    std::string name;
    std::vector<GeoPoint> points;
    double height_m = 20;
    double radius_m = 1;   // kind mast
    double margin_m = 10;  // kept to the side; above it the plan's clearances hold
    std::string unknown;
    bool operator==(const Obstacle&) const = default;
};

/// One zone of imported airspace. Heights in metres; unlimited when absent.
struct Zone {
    ItemId id = 0;
    std::string name, zone_class;  // class as the file says it: "R", "CTR", "D"
    std::vector<GeoPoint> outline;
    Height floor = Height::aboveGround(0);
    std::optional<Height> ceiling;
    std::string times;
    std::string authorisation;  // who allowed it, number, dates; empty: nobody
    std::string unknown;
    bool operator==(const Zone&) const = default;
};
/// Where airspace data is known to be complete: outside of it the airspace is unknown, never clear.
struct AirspaceCover {
    ItemId id = 0;
    std::string source;  // file and date as the operator knows them
    std::vector<GeoPoint> outline;
    std::string unknown;
    bool operator==(const AirspaceCover&) const = default;
};

struct Home {
    GeoPoint position;
    std::optional<double> amsl_m;  // unknown until terrain or the operator says
    bool operator==(const Home&) const = default;
};

struct Defaults {
    Height height = Height::aboveHome(60);
    double speed_mps = 8;
    double acceptance_m = 2;
    double hold_s = 10;
    double follow_tolerance_m = 2;  // of legs between two heights above ground, which follow it
    bool operator==(const Defaults&) const = default;
};

/// One line of the checklist that is gone through before a flight.
struct CheckItem {
    ItemId id = 0;
    std::string text;
    std::string automatic;     // name of an automatic check that looks for itself; empty: ticked by hand
    bool must = false;         // arming asks once more while it is open
    double ticked_unix_s = 0;  // 0: open
    std::string unknown;
    bool operator==(const CheckItem&) const = default;
};

/// That an aircraft held the plan, or one of its sorties, as read back and compared.
struct Seal {
    int sortie = 0;  // 0: the whole plan
    std::uint64_t fingerprint = 0;
    double time_unix_s = 0;
    int vehicle = 0;  // its system number
    int revision = 1;
    int mission = 0, fence = 0, rally = 0;  // items
    bool stored = false;                    // kept over a power cut, as the aircraft says
    double flown_unix_s = 0;                // when a flight of it has landed last; 0: not yet
    std::string unknown;
    bool operator==(const Seal&) const = default;
};

/// What the aircraft does after the last item where that neither lands nor returns; sent with the plan. Waiting is for
/// ever: a wing circles.
enum class AtEnd { unsaid, returnAndLand, returnAndWait, landThere, waitThere };

struct Plan {
    std::string title = "Untitled";
    std::string notes;
    std::optional<Home> home;
    Defaults defaults;
    VehicleProfile vehicle;
    CameraProfile camera;
    AutopilotTraits traits;
    double clearance_min_m = 15;      // below: severity stop
    double clearance_margin_m = 20;   // below: severity warn
    std::optional<double> ceiling_m;  // above home
    std::optional<double> floor_m;    // above home
    double return_height_m = 60;      // above home
    AtEnd at_end = AtEnd::unsaid;
    SafetyAction lost_link = SafetyAction::returnHome;
    SafetyAction low_battery = SafetyAction::returnHome;  // at the reserve; never hold
    /// Home's height AMSL when the heights above home were set; a home that moved since is a finding.
    std::optional<double> heights_set_at_amsl_m;
    std::vector<Item> items;
    std::vector<Section> sections;
    std::vector<Cut> cuts;  // between sorties; none: flown in one
    std::vector<Fence> fences;
    std::vector<RallyPoint> rally;
    std::vector<Obstacle> obstacles;
    std::vector<Zone> zones;
    std::vector<AirspaceCover> covers;
    std::vector<CheckItem> checklist;
    std::vector<Seal> seals;                 // at most one a sortie
    int revision = 1;                        // grows when a frozen plan is changed
    bool frozen = false;                     // not to be changed but by a new revision
    std::vector<std::string> terrain_files;  // relative to the plan file
    std::vector<std::string> imagery_files;
    ItemId next_id = 1;
    std::string unknown;

    bool operator==(const Plan&) const = default;

    /// A fresh identity; never given twice in this plan.
    ItemId newId() { return next_id++; }
    const Item* find(ItemId id) const;
    Item* find(ItemId id);
    /// Index in `items`, or -1.
    int indexOf(ItemId id) const;
    const Fence* findFence(ItemId id) const;
    Fence* findFence(ItemId id);
    const RallyPoint* findRally(ItemId id) const;
    RallyPoint* findRally(ItemId id);
    const Obstacle* findObstacle(ItemId id) const;
    Obstacle* findObstacle(ItemId id);
    const Zone* findZone(ItemId id) const;
    Zone* findZone(ItemId id);
    const AirspaceCover* findCover(ItemId id) const;
    AirspaceCover* findCover(ItemId id);
    const Section* findSection(ItemId id) const;
    /// nullptr: that sortie was never sealed.
    const Seal* sealOf(int sortie) const;
    /// True for home and whatever of the above has this id: what a selection may hold.
    bool holds(ItemId id) const;
};

/// Position in the itinerary by id, for work that looks up many; valid while the items stand as they are.
using ItemIndex = std::unordered_map<ItemId, std::size_t>;
ItemIndex indexItems(const Plan& plan);

/// The vehicle as this plan's autopilot moves it.
VehicleProfile flownVehicle(const Plan& plan);
Height effectiveHeight(const Plan& plan, const Item& item);
double effectiveSpeed(const Plan& plan, const Item& item);
double effectiveHold_s(const Plan& plan, const Item& item);
/// True for kinds with a place of their own on the map that can be dragged.
bool hasPosition(ItemKind kind);
/// Block, Corridor, Rings, Face, Lap: one item that expands to many points.
bool isPattern(ItemKind kind);
/// Where a pattern's outline is an area, and not a line or a centre.
bool hasArea(ItemKind kind);

/// Words for screens and messages.
const char* refText(HeightRef ref);
const char* kindText(ItemKind kind);
/// "returns home and lands", "waits there", ...; empty for unsaid.
const char* endText(AtEnd end);
/// True where the last item leaves the aircraft in the air, and what it does then is for `at_end` to say.
bool endsOpen(const Plan& plan);
/// "mast", "wire", "trees".
const char* obstacleText(ObstacleKind kind);
/// "60 m home".
std::string heightText(Height height);
/// "Waypoint 4" by its present number among the items; "Home" for kHomeId.
std::string itemText(const Plan& plan, ItemId id);
/// Number shown on the map and in the Itinerary: waypoints, holds, patterns and landings count from 1; 0 for the rest.
int itemNumber(const Plan& plan, ItemId id);
/// The same of every item, in their order.
std::vector<int> itemNumbers(const Plan& plan);

}  // namespace anhinga

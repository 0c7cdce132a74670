// What one aircraft gives in a recording of MAVLink packets: canonical channels, fields of every message, modes,
// events, missions. Time is the vehicle's own (time_boot_ms) wherever it sends one: a ground clock jitters with the
// link.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <functional>
#include <limits>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "core/base/MappedFile.h"
#include "core/flightlog/FlightLog.h"
#include "core/mavlink/Messages.h"

namespace anhinga {

/// Whether a heartbeat is that of an autopilot: gimbals, cameras and other computers say that they are none.
bool namesAutopilot(const mavlink::Message& heartbeat);
/// "autopilot", "gimbal", "ground station" ... by what its heartbeat says (MAV_TYPE; -1: none was heard), else by its
/// number.
std::string componentWords(int type, int system, int component);

class RecordingLog {
  public:
    /// `autopilot`: its system and component, where one names itself. Both `log` and `shared` outlive this.
    RecordingLog(FlightLog& log, const SharedBytes& shared, std::optional<std::pair<int, int>> autopilot);

    /// `at`: where the packet lies in the file.
    void add(const mavlink::Message& m, std::uint64_t stamp_us, std::size_t at);
    void finish();

  private:
    using Message = mavlink::Message;
    /// All packets of one kind: their fields are decoded when somebody asks for one.
    struct Packets {
        const mavlink::MessageInfo* info = nullptr;
        std::vector<double> t_s;
        std::vector<std::uint32_t> at;
    };
    /// Component (0: the autopilot), message, which of several of its kind.
    using Kind = std::tuple<int, std::uint32_t, int>;

    void addOther(const Message& m, std::uint64_t stamp_us, std::size_t at);
    void takeVehicle(const Message& m);
    void takeParameter(const Message& m);
    void takeMission(const Message& m, bool autopilot);
    LoggedMission* lastMission(bool read);
    void beginMission(std::size_t count, bool read);
    void addMissionItem(const Message& m, bool read);
    void dropMissions();
    void takePhoto(const Message& m);
    void dropPhotosTwice();
    void advanceTime(const Message& m, std::uint64_t stamp_us);
    void addFields(const Message& m, std::size_t at);
    void promiseFields();
    void promiseOf(const std::string& name, const std::string& unit, const std::shared_ptr<Packets>& packets,
                   std::function<std::optional<double>(const Message&)> value);
    void promiseMotors();
    void promiseSticks();
    void promiseBatteries();
    void takeText(const Message& m);
    /// Adds to a canonical channel; never back in time, also where two messages give it.
    void put(const std::string& name, double value) {
        Channel& c = log_.channel(name, canonicalUnit(name));
        c.add(c.t_s.empty() ? t_ : std::max(t_, c.t_s.back()), value);
    }
    void putAttitude(const std::string& what, const std::array<double, 4>& q);
    void putInertial(const Message& m, const std::string& number, bool si);
    void takeImu(const Message& m);
    void takeReceiver(const Message& m, const std::string& name);
    void takeMeasured(const Message& m);
    void addCanonical(const Message& m);
    /// Whether this message is the one that gives what others could give, too: the first that comes.
    bool gives(const char* what, const Message& m);

    FlightLog& log_;
    SharedBytes shared_;
    std::optional<std::pair<int, int>> autopilot_;
    int vehicle_ = 0, component_ = 0, family_ = 0, type_ = 0, imu_rank_ = 0;
    bool has_attitude_ = false, has_target_ = false;
    std::size_t heard_ = 0;
    bool known_time_ = false, armed_ = false;
    int text_id_ = 0;
    double t_ = 0;                        // of the present message
    double told_s_ = 0, told_stamp_ = 0;  // the last one that told the vehicle's time, and our clock then
    double untold_s_ = 0, last_s_ = 0;    // the latest of those that do not, and of all
    double offset_ = 0, last_stamp_ = 0;
    std::optional<double> boot_;
    std::vector<double> restarts_;
    double first_s_ = std::numeric_limits<double>::infinity();
    std::map<Kind, std::shared_ptr<Packets>> packets_;
    std::map<std::string, std::uint32_t> givers_;    // message that gives it
    std::vector<std::size_t> triggered_, captured_;  // events: photos of the autopilot, and of cameras
};

}  // namespace anhinga

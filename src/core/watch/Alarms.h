// What an operator must be told during a flight: worded, with a severity, since when, and whether it was acknowledged.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/plan/Plan.h"
#include "core/program/FenceField.h"
#include "core/watch/PilotInput.h"
#include "core/watch/Progress.h"

namespace anhinga {

constexpr double kHeartbeatLost_s = 3;  // older than this, and the link is lost

enum class AlarmLevel { note, warn, danger };

struct Alarm {
    std::string id;  // "link", "fence", "battery", ...
    AlarmLevel level = AlarmLevel::warn;
    std::string text;
    double since_s = 0;                       // of the clock given to watch()
    bool acknowledged = false, over = false;  // over: no longer so, still to be acknowledged
    bool once = false;                        // a text of the aircraft: it is not so or over, it was said
};

/// Watches snapshots against the plan and its rehearsal.
class AlarmWatch {
  public:
    /// The plan that is flown. A change of it keeps the alarms.
    void setPlan(const Plan& plan);
    /// The vehicle's parameters, as far as they were read: where the pilot's mode switch is.
    void setParameters(ParameterSet parameters) { parameters_ = std::move(parameters); }
    /// Why nothing is recorded; empty while it is.
    void setRecordingProblem(std::string why) { recording_problem_ = std::move(why); }
    /// One look, a few times a second. True when something has changed: appeared, went away, grew worse.
    bool watch(const VehicleSnapshot& vehicle, const std::optional<FlightProgress>& progress, double now_s);
    /// Newest first; danger before the rest.
    const std::vector<Alarm>& alarms() const { return alarms_; }
    void acknowledge(const std::string& id);
    /// What was raised, in order, for the log of the flight.
    std::vector<Alarm> takeRaised();
    void clear();

  private:
    struct Found {
        AlarmLevel level;
        std::string text;
        bool once = false;
    };
    using FoundMap = std::map<std::string, Found>;
    void lookAtLink(const VehicleSnapshot& v, FoundMap& found) const;
    void lookAtFences(const VehicleSnapshot& v, FoundMap& found) const;
    void lookAtFlight(const VehicleSnapshot& v, const std::optional<FlightProgress>& progress, double now_s,
                      FoundMap& found);
    void lookAtSensors(const VehicleSnapshot& v, FoundMap& found) const;
    void lookAtPilot(const VehicleSnapshot& v, FoundMap& found);

    SafetyAction lost_link_ = SafetyAction::returnHome;
    double reserve_percent_ = 20;
    std::vector<Fence> fence_list_;
    std::optional<LocalFrame> frame_;
    std::optional<FenceField> fences_;
    std::vector<Alarm> alarms_, raised_;
    std::uint64_t last_text_ = 0;
    std::optional<double> height_off_since_s_;
    ParameterSet parameters_;
    std::string recording_problem_;
    std::optional<int> switch_at_arming_;
    bool pilot_heard_ = false;
};

/// "link lost for 12 s" and what the aircraft does about it.
std::string lostLinkText(double seconds, SafetyAction action);

}  // namespace anhinga

#include "core/plan/ChecklistTemplates.h"

#include <algorithm>

namespace anhinga {

namespace {

constexpr ChecklistLine kBeforeFlight[] = {{"Link", "link", true},
                                           {"Kind of vehicle", "kind", true},
                                           {"GPS fix", "gps", true},
                                           {"Home", "home", true},
                                           {"Level", "level", false},
                                           {"Heading agrees with the map", "heading", false},
                                           {"Compass field", "compass", true},
                                           {"Battery for this flight", "battery", true},
                                           {"Route on the aircraft", "route", true},
                                           {"Fence on the aircraft", "fence", true},
                                           {"First waypoint near enough", "first-waypoint", true},
                                           {"Acts at the fence", "fence-acts", false},
                                           {"Ceiling", "ceiling", false},
                                           {"Distance from home", "reach", false},
                                           {"Compass calibration", "compass-offsets", false},
                                           {"When the link is lost", "lost-link", false},
                                           {"When the battery is low", "low-battery", false},
                                           {"Return height", "return-height", false},
                                           {"Counts a point as reached", "acceptance", false},
                                           {"Moves as rehearsed", "moves", false},
                                           {"Mission on the pilot's switch", "mission-switch", false},
                                           {"Mode that can be armed", "mode", true},
                                           {"Aircraft says it is ready", "ready", true},
                                           {"Onboard logging", "storage", false},
                                           {"Room on the camera's card", "card", false},
                                           {"Pilot's transmitter", "transmitter", false}};

constexpr ChecklistLine kEquipment[] = {{"Flight batteries charged, all of them", "", false},
                                        {"Spare batteries and propellers in the case", "", false},
                                        {"Propellers tight and without nicks", "", true},
                                        {"Antennas upright, connectors locked", "", false},
                                        {"Memory card in the camera, empty", "", false},
                                        {"Memory card in the aircraft", "", false},
                                        {"Maps stored for the area", "", false},
                                        {"Tablet or computer charged", "", false},
                                        {"Permission and insurance at hand", "", false}};

constexpr ChecklistLine kSurveyDay[] = {{"Wind below the limit of aircraft and plan", "", true},
                                        {"No people under the flight lines", "", true},
                                        {"Landing place free", "", true},
                                        {"Lens clean, focus and exposure set", "", false},
                                        {"Camera triggers: one test photo seen", "", true},
                                        {"Light as it should be for the photos", "", false},
                                        {"Observer knows the plan and the landing place", "", false}};

constexpr ChecklistLine kFirstFlight[] = {
    {"Stage 1: motors turn the right way, propellers off", "", true},
    {"Stage 1: control surfaces or motors answer the sticks the right way", "", true},
    {"Stage 2, attitude: hover by hand at 2 m for one minute, no wobble", "", true},
    {"Stage 2: land, motors and battery are not hot", "", true},
    {"Stage 3, height: height hold at 5 m for one minute, height steady", "", true},
    {"Stage 4, position: hold at 10 m for two minutes, no circling", "", true},
    {"Stage 4: turn once on the spot, it stays where it is", "", true},
    {"Stage 5, return: return home from 50 m away works", "", true},
    {"Stage 6, mission: a small square at 30 m flown as planned", "", true},
    {"Logs of the stages looked at: vibration, compass, battery", "", true}};

constexpr ChecklistTemplate kTemplates[] = {
    {"Before every flight", "looks for itself what telemetry can tell", kBeforeFlight},
    {"Equipment", "before leaving", kEquipment},
    {"Survey day", "at the site, before photos are taken", kSurveyDay},
    {"First flight of a new aircraft", "in stages, each before the next", kFirstFlight}};

}  // namespace

std::span<const ChecklistTemplate> checklistTemplates() {
    return kTemplates;
}

void addChecklist(Plan& plan, const ChecklistTemplate& source) {
    for (const ChecklistLine& line : source.lines) {
        const bool there = std::any_of(plan.checklist.begin(), plan.checklist.end(), [&](const CheckItem& c) {
            return c.text == line.text && c.automatic == line.automatic;
        });
        if (!there) plan.checklist.push_back({plan.newId(), line.text, line.automatic, line.must, 0, {}});
    }
}

}  // namespace anhinga

// Parts of a KML file that show a flight as it goes: a time-animated track, a tour through the camera, what each photo
// shows. KML 2.3 (OGC 12-007r2), which standardises Tour and Track.
#pragma once

#include <pugixml.hpp>

#include "core/flightlog/FlightLog.h"
#include "core/program/Route.h"

namespace anhinga {

/// Folders with these ids are made by these functions; an import passes them over.
constexpr const char* kFootprintFolder = "photo-footprints";
constexpr const char* kFlightFolder = "flight";
/// A simple aircraft for a track in a KMZ, its nose to the north, seven metres long so that it is seen: COLLADA 1.4.1
/// (ISO/PAS 17506).
constexpr const char* kAircraftModel = "aircraft.dae";
std::string aircraftModel();

/// Track with a time, place (AMSL), heading, pitch and roll for each sample, at most `most` of them. A log that does
/// not say when it was begins at the start of 2000 UTC.
/// `model`: the file beside the document with what flies along it; empty: only the line.
void addKmlTrack(pugi::xml_node folder, const FlightLog& log, const std::string& model = {}, std::size_t most = 20000);
/// The flight as the camera sees it, a view every second or so, each as long as it takes to fly there.
void addKmlTour(pugi::xml_node folder, const FlightLog& log, std::size_t most = 3000);
/// A polygon on the ground for every planned photo.
void addKmlFootprints(pugi::xml_node document, const Plan& plan, const Route& route, const Terrain* terrain,
                      double home_amsl_m);

}  // namespace anhinga

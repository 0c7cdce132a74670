#!/usr/bin/env python3
"""Makes the demo's flight logs: a shakedown flight of Darter 4 with one fault each, and a hand-held transmitter's table.

The flights are flown by the stand-in; everything is seeded. Usage: make-logs.py FOLDER_OF_PROGRAMS [FOLDER]
"""
import json
import math
import pathlib
import subprocess
import sys

programs = pathlib.Path(sys.argv[1])
here = pathlib.Path(__file__).parent
out = pathlib.Path(sys.argv[2] if len(sys.argv) > 2 else here)
HOME = (47.305197, -20.1068059)
START = 1784793600  # 2026-07-23, 08:00 UTC


def place(north_m, east_m):
    return [round(HOME[1] + east_m / 75640.0, 7), round(HOME[0] + north_m / 111180.0, 7)]


def item(number, kind, where=None, height=None, **more):
    data = {"type": "item", "id": number, "kind": kind, **more}
    if height is not None:
        data["height"] = {"value_m": height, "ref": "home"}
    return {"type": "Feature", "geometry": where and {"type": "Point", "coordinates": where}, "properties": {}, "anhinga": data}


plan = {"type": "FeatureCollection",
        "anhinga": {"format": 6, "title": "Shakedown", "home": {"position": [HOME[1], HOME[0]], "amsl_m": 44.5},
                    "defaults": {"height": {"value_m": 30, "ref": "home"}, "speed_mps": 8, "acceptance_m": 2},
                    "ceiling_m": 120, "return_height_m": 25, "terrain": ["quillmere-elevation.tif"], "imagery": ["quillmere-imagery.tif"]},
        "features": [item(1, "take-off", height=20),
                     item(2, "waypoint", place(40, 30), 25),
                     item(3, "hold", place(70, -10), 25, hold_s=28),
                     item(4, "waypoint", place(40, -55), 38),
                     item(5, "waypoint", place(0, -30), 25),
                     item(6, "return-home")]}
plan_file = out / "shakedown.anhinga.geojson"
plan_file.write_text(json.dumps(plan, indent=1) + "\n")

FLIGHTS = [("clean", 11, [], 9, 30), ("compass", 12, ["motor-field"], 35, 25), ("resonance", 13, ["resonance"], 60, 20),
           ("gps-jump", 14, ["gps-jump@40"], 90, 0), ("tired-battery", 15, ["tired-battery"], 120, 0),
           ("circling", 16, ["circling"], 150, 0), ("new-propellers", 17, [], 230, 0)]
# What is looked at for spectra is sampled fast; the others stay small.
SHAKEN = ("clean", "resonance", "new-propellers")
for name, seed, faults, minutes, seconds in FLIGHTS:
    call = [programs / "anhinga-standin", "--fly", plan_file, "--terrain", here / "quillmere-elevation.tif", "--seed", str(seed),
            "--wind-from", "250", "--wind-speed", "3", "--log-rate", "170" if name in SHAKEN else "50", "--start", str(START + minutes * 60 + seconds),
            "--param", "MOTOR_MIN_SHARE=0.12", "--param", f"ROLL_RATE_GAIN={0.118 if name == 'new-propellers' else 0.104}",
            "--out", out / f"shakedown-{name}.ulg"]
    for fault in faults:
        call += ["--fault", fault]
    subprocess.run([str(c) for c in call], check=True)


def channel(log, name):
    text = subprocess.run([str(programs / "anhinga-cli"), "channel", str(log), name, "--json"], check=True, capture_output=True,
                          text=True).stdout
    data = json.loads(text)
    return data["t_s"], data["value"]


def at(series, t):
    times, values = series
    last = values[0]
    for when, value in zip(times, values):
        if when > t:
            break
        last = value
    return last


# A hand-held transmitter writes a table: local time, place in one cell, heights in feet, two flights in one file.
NAMES = ["gps.lat_deg", "gps.lon_deg", "position.height_home_m", "gps.speed_mps", "battery.voltage_v",
         "battery.current_a", "gps.satellites"]
rows = ["Date,Time,Position,Altitude (ft),Speed (km/h),Battery (V),Current (A),Sats"]
for name, minutes in (("clean", 9), ("gps-jump", 90)):
    series = [channel(out / f"shakedown-{name}.ulg", n) for n in NAMES]
    t = 0.0
    while t < series[0][0][-1]:
        values = [at(s, t) for s in series]
        clock = 10 * 3600 + minutes * 60 + t  # two hours before UTC
        rows.append("2026-07-23,%02d:%02d:%05.2f,%.6f %.6f,%.1f,%.1f,%.2f,%.1f,%d" % (
            clock // 3600, clock % 3600 // 60, math.fmod(clock, 60), values[0], values[1], values[2] / 0.3048, values[3] * 3.6,
            values[4], values[5], values[6]))
        t += 0.5
(out / "transmitter.csv").write_text("\n".join(rows) + "\n")

#!/usr/bin/env python3
"""Turns the land outlines of the npm package world-atlas (Natural Earth, public domain; TopoJSON) into coastline.geojson.

Usage: make-coastline.py land-50m.json
Coordinates are degrees rounded to 0.01 (about 1 km): a backdrop so that the map is never blank, not for navigation.
"""
import json
import pathlib
import sys

topology = json.load(open(sys.argv[1], encoding="utf-8"))
scale, move = topology["transform"]["scale"], topology["transform"]["translate"]
arcs = []
for arc in topology["arcs"]:
    x = y = 0
    line = []
    for dx, dy in arc:  # arcs are delta-coded
        x, y = x + dx, y + dy
        line.append((x * scale[0] + move[0], y * scale[1] + move[1]))
    arcs.append(line)


def ring(indices):
    points = []
    for i in indices:
        line = arcs[i] if i >= 0 else arcs[~i][::-1]
        points += line[1:] if points else line
    short = []
    for lon, lat in points:
        p = [round(lon, 2), round(lat, 2)]
        if not short or short[-1] != p:
            short.append(p)
    return short


polygons = []
for geometry in topology["objects"]["land"]["geometries"]:
    shapes = geometry["arcs"] if geometry["type"] == "MultiPolygon" else [geometry["arcs"]]
    for shape in shapes:
        rings = [r for r in map(ring, shape) if len(r) >= 4]
        if rings:
            polygons.append(rings)
features = [{"type": "Feature", "properties": {}, "geometry": {"type": "Polygon", "coordinates": p}} for p in polygons]
text = json.dumps({"type": "FeatureCollection", "features": features}, separators=(",", ":")).replace('{"type":"Feature"', '\n{"type":"Feature"')
pathlib.Path(__file__).with_name("coastline.geojson").write_text(text + "\n", encoding="utf-8")
print(len(polygons), "areas,", sum(len(r) for p in polygons for r in p), "points,", len(text), "bytes")

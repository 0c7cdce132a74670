#!/usr/bin/env python3
"""Makes the island of Quillmere: elevation (5 m) and imagery (2.5 m) as GeoTIFF, and the demo plans.

Everything is invented; the place is open ocean. Seeded: the same files every time.
Usage: make-quillmere.py [FOLDER]   (needs python3-numpy and python3-gdal)
"""
import json
import math
import pathlib
import sys

import numpy as np
from osgeo import gdal, osr

gdal.UseExceptions()
OUT = pathlib.Path(sys.argv[1] if len(sys.argv) > 1 else pathlib.Path(__file__).parent)
LAT0, LON0 = 47.31, -20.12
M_LAT = 111180.0  # metres a degree at this latitude
M_LON = 75640.0
HALF_X, HALF_Y = 2500, 2000
RNG = np.random.default_rng(4711)


def geo(x, y):
    """Local metres east, north of the middle -> longitude, latitude."""
    return LON0 + x / M_LON, LAT0 + y / M_LAT


def noise(shape, metres, cell, power=2.0):
    """Smooth noise of unit deviation; `metres` is its largest wave length."""
    white = np.fft.rfft2(RNG.standard_normal(shape))
    fy = np.fft.fftfreq(shape[0])[:, None] / cell
    fx = np.fft.rfftfreq(shape[1])[None, :] / cell
    f = np.hypot(fx, fy)
    field = np.fft.irfft2(white / (f + 1.0 / metres) ** power, shape)
    return (field - field.mean()) / field.std()


def step(a, b, v):
    t = np.clip((v - a) / (b - a), 0, 1)
    return t * t * (3 - 2 * t)


def line_distance(x, y, points):
    best = np.full(x.shape, 1e9)
    for (ax, ay), (bx, by) in zip(points, points[1:]):
        dx, dy = bx - ax, by - ay
        t = np.clip(((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy), 0, 1)
        best = np.minimum(best, np.hypot(x - ax - t * dx, y - ay - t * dy))
    return best


QUARRY, QUARRY_R = (430, 560), (250, 170)
FEN = (-330, -330)
LIGHTHOUSE = (-1560, -60)
VILLAGE = [(560, -330), (610, -300), (650, -355), (585, -390), (690, -300), (535, -285)]
JETTY = [(1010, -640), (1180, -790), (1330, -930)]
GULLY = [(-250, 380), (-160, 620), (-200, 860), (-120, 1150)]
TRACKS = [[(1010, -640), (830, -480), (600, -340), (450, -120), (420, 180), (470, 420)],
          [(600, -340), (250, -180), (60, -60), (-300, 40), (-800, -20), (-1250, -60), (-1540, -60)],
          [(450, -120), (150, 160), (-200, 230), (-430, 300)]]
MASTS = [(1010, -640), (900, -560), (800, -470), (700, -390), (600, -330)]


def heights(cell):
    """Elevation in metres on a grid of `cell` metres, rows from north; and masks used for painting."""
    xs = np.arange(-HALF_X + cell / 2, HALF_X, cell)
    ys = np.arange(HALF_Y - cell / 2, -HALF_Y, -cell)
    x, y = np.meshgrid(xs, ys)
    big, mid, small = FIELDS
    angle = np.arctan2(y, x)
    r = np.hypot(x / 1720, y / 1230) + 0.09 * big + 0.035 * mid + 0.05 * np.sin(3 * angle + 0.6)
    r -= 0.25 * np.exp(-np.hypot((x + 1500) / 260, (y + 60) / 130) ** 2)  # the western point
    land = 1 - r
    cliff = step(200, 900, y)  # the north falls steeply into the sea
    shore = step(0, 0.30, land) * (1 - cliff) + step(0, 0.035, land) * cliff
    h = 46 * shore + 30 * np.clip(land, 0, 1)
    h += 112 * np.exp(-np.hypot((x + 470) / 430, (y - 430) / 330) ** 2)
    h += 46 * np.exp(-np.hypot((x - 520) / 520, (y - 620) / 300) ** 2)
    h += 24 * np.exp(-np.hypot((x + 900) / 300, (y - 120) / 240) ** 2)
    h += (7 * mid + 2.2 * small) * step(0.02, 0.3, land)
    fen = np.exp(-np.hypot((x - FEN[0]) / 430, (y - FEN[1]) / 250) ** 4)
    h = h * (1 - fen) + (21 + 0.5 * small) * fen
    gully = line_distance(x, y, GULLY)
    h -= 42 * np.exp(-(gully / 38) ** 2) * step(0, 0.08, land)
    q = np.hypot((x - QUARRY[0]) / QUARRY_R[0], (y - QUARRY[1]) / QUARRY_R[1]) + 0.05 * mid
    floor = np.maximum(h - 58 * step(1.0, 0.25, q), 22)
    bench = np.round(floor / 11) * 11 + 1.2 * np.sin(floor / 11 * 2 * math.pi)
    pit = step(1.04, 0.96, q)
    h = h * (1 - pit) + bench * pit
    for px, py, s, top in ((330, 520, 34, 9), (455, 590, 28, 7), (540, 515, 24, 6)):  # stock piles
        h += np.clip(top * (1 - np.hypot(x - px, y - py) / s), 0, None) * 1.2
    h = np.where(land > 0, np.maximum(h, 0.4), 0)
    h = np.where(h > 176, 176 + (h - 176) * 0.15, h)
    wall = np.zeros_like(h, bool)
    ring = (angle > -1.1) & (angle < -0.32) & (np.abs(land - 0.012) < 0.008)
    wall |= ring
    h = np.where(wall, np.maximum(h, 5.5), h)
    jetty = line_distance(x, y, JETTY) < 5
    h = np.where(jetty, np.maximum(h, 2.5), h)
    for px, py in VILLAGE:
        house = (np.abs(x - px) < 8) & (np.abs(y - py) < 6)
        h = np.where(house, h + 6, h)
    tower = np.hypot(x - LIGHTHOUSE[0], y - LIGHTHOUSE[1]) < 5
    return x, y, h, dict(land=land, fen=fen, q=q, pit=pit, wall=wall, jetty=jetty, tower=tower, gully=gully)


def write(path, bands, cell, dtype, options, nodata=None, meta=None):
    rows, cols = bands[0].shape
    mem = gdal.GetDriverByName("MEM").Create("", cols, rows, len(bands), dtype)
    west, north = geo(-HALF_X, HALF_Y)
    mem.SetGeoTransform((west, cell / M_LON, 0, north, 0, -cell / M_LAT))
    srs = osr.SpatialReference()
    srs.ImportFromEPSG(4326)
    mem.SetProjection(srs.ExportToWkt())
    for i, band in enumerate(bands):
        mem.GetRasterBand(i + 1).WriteArray(band)
    if meta:
        mem.SetMetadata(meta)
    gdal.GetDriverByName("GTiff").CreateCopy(str(path), mem, options=options)


def paint(cell):
    x, y, h, m = heights(cell)
    big, mid, small = FIELDS
    gy, gx = np.gradient(h, cell)
    slope = np.degrees(np.arctan(np.hypot(gx, gy)))
    fine = noise(h.shape, 25, cell, 1.2)
    rgb = np.zeros(h.shape + (3,))

    def put(mask, colour):
        mask = np.clip(mask, 0, 1)[..., None]
        rgb[:] = rgb * (1 - mask) + np.array(colour, float) * mask

    land = m["land"]
    rgb[:] = (44, 92, 122)
    put(step(-0.40, 0.0, land), (72, 134, 152))
    put(step(-0.09, 0.0, land) * 0.8, (112, 172, 174))
    ripple = 4 * noise(h.shape, 60, cell, 1.0)
    rgb += ripple[..., None]
    is_land = (h > 0.3).astype(float)
    put(is_land, (128, 146, 92))
    put(is_land * np.clip(0.5 + 0.35 * mid, 0, 1), (150, 158, 104))
    put(is_land * step(70, 140, h + 14 * mid), (150, 138, 104))
    put(is_land * step(0.4, 1.6, big + 0.5 * fine) * 0.5, (108, 124, 84))
    # fields near the village: strips, each of its own tint, with hedges between
    u, v = (x * 0.86 - y * 0.5), (x * 0.5 + y * 0.86)
    iu, iv = np.floor(u / 95).astype(int), np.floor(v / 62).astype(int)
    tint = ((iu * 7349 + iv * 9151) % 97) / 97.0
    near = step(620, 360, np.hypot(x - 560, y + 260)) * is_land * (slope < 14) * step(0.10, 0.2, land)
    field = np.stack([150 + 46 * tint, 164 + 14 * np.cos(tint * 6), 92 + 30 * tint], -1)
    k = (near * 0.8)[..., None]
    rgb[:] = rgb * (1 - k) + field * k
    hedge = ((u % 95 < 4) | (v % 62 < 4)) * near
    put(hedge * 0.75, (84, 100, 62))
    furrow = 5 * np.sin(np.where(tint > 0.5, u, v) * 1.4) * near
    rgb += furrow[..., None]
    # woods
    wood = step(0.75, 1.25, mid + 0.35 * small) * is_land * step(26, 18, slope) * step(150, 90, h) * (m["fen"] < 0.2) * (m["pit"] < 0.1)
    put(wood * 0.85, (72, 98, 62))
    rgb += (9 * fine * wood)[..., None]
    put(is_land * step(0.055, 0.0, land) * step(24, 10, slope), (222, 208, 164))  # beach
    put(is_land * step(30, 44, slope) * 0.85, (134, 128, 120))                    # rock
    fen = m["fen"] * is_land
    put(fen * 0.75, (104, 120, 74))
    put(fen * step(0.2, 0.9, mid + 0.7 * fine) * 0.8, (126, 128, 78))
    put(fen * step(0.9, 1.25, small + 0.8 * mid) * 0.95, (74, 104, 114))
    put(m["pit"] * 0.92, (146, 146, 148))
    put(m["pit"] * step(0.3, 0.8, np.abs(np.sin(h / 11 * math.pi))) * 0.35, (108, 110, 116))
    put(m["pit"] * step(18, 34, slope) * 0.6, (96, 98, 106))
    surf = np.exp(-((land + 0.004) / 0.006) ** 2) * (0.6 + 0.4 * np.clip(fine, -1, 1))
    put(surf * 0.7, (238, 242, 238))
    for track in TRACKS:
        d = line_distance(x, y, track) + 2.5 * mid
        put(step(5.5, 3.0, d) * is_land * 0.9, (206, 192, 156))
    put(m["wall"] * 0.95, (168, 164, 156))
    put(m["jetty"] * 1.0, (150, 132, 106))
    for px, py in MASTS:
        put(np.hypot(x - px, y - py) < 3.2, (60, 60, 60))
    shade_x, shade_y = 7, -6
    for i, (px, py) in enumerate(VILLAGE):
        put(((np.abs(x - px - shade_x) < 9) & (np.abs(y - py - shade_y) < 7)) * 0.5, (50, 60, 50))
        put((np.abs(x - px) < 8) & (np.abs(y - py) < 6), [(176, 92, 70), (186, 104, 78), (150, 84, 72)][i % 3])
        put((np.abs(x - px) < 8) & (np.abs(y - py) < 0.9), (120, 66, 54))
    lx, ly = LIGHTHOUSE
    put((np.hypot(x - lx, y - ly) < 26) * 0.6, (196, 190, 170))
    put(line_distance(x, y, [(lx, ly), (lx + 46, ly - 38)]) < 4, (92, 96, 88))
    put(m["tower"], (246, 244, 238))
    put(np.hypot(x - lx, y - ly) < 2.6, (190, 62, 48))
    rgb += (4.5 * fine * is_land)[..., None]
    return np.clip(rgb, 0, 255).astype(np.uint8)


def fields(cell):
    shape = (int(2 * HALF_Y / cell), int(2 * HALF_X / cell))
    return noise(shape, 1400, cell, 3.0), noise(shape, 320, cell, 2.4), noise(shape, 90, cell, 1.9)


# The noise is drawn once on the fine grid and thinned for the coarse one: picture and heights agree.
FIELDS = fields(2.5)
picture = paint(2.5)
FIELDS = tuple(f[::2, ::2] for f in FIELDS)
_, _, H, _ = heights(5)
H = np.round(H * 10) / 10
write(OUT / "quillmere-elevation.tif", [H.astype(np.float32)], 5, gdal.GDT_Float32,
      ["COMPRESS=DEFLATE", "PREDICTOR=3", "ZLEVEL=9"], meta={"VERTICAL_REFERENCE": "mean sea level"})
write(OUT / "quillmere-imagery.tif", [picture[..., i] for i in range(3)], 2.5, gdal.GDT_Byte,
      ["COMPRESS=JPEG", "JPEG_QUALITY=82", "PHOTOMETRIC=YCBCR", "TILED=YES"])
print("highest", H.max(), "land share", float((H > 0.3).mean()))


def ground(x, y):
    return float(H[int((HALF_Y - y) / 5), int((x + HALF_X) / 5)])


def feature(geometry, data):
    return {"type": "Feature", "geometry": geometry, "properties": {}, "anhinga": data}


def point(x, y):
    lon, lat = geo(x, y)
    return [round(lon, 7), round(lat, 7)]


def ring(points):
    return {"type": "Polygon", "coordinates": [[point(*p) for p in points + points[:1]]]}


class Plan:
    def __init__(self, title, home, **members):
        self.n = 0
        self.features = []
        self.members = {"format": 6, "title": title,
                        "home": {"position": point(*home), "amsl_m": round(ground(*home), 1)}, **members,
                        "terrain": ["quillmere-elevation.tif"], "imagery": ["quillmere-imagery.tif"]}

    def add(self, kind, at=None, height=None, ref="home", **data):
        self.n += 1
        item = {"type": "item", "id": self.n, "kind": kind, **data}
        if height is not None:
            item["height"] = {"value_m": height, "ref": ref}
        geometry = None
        if kind in ("block", "lap"):
            geometry = ring(at)
        elif kind in ("corridor", "face"):
            geometry = {"type": "LineString", "coordinates": [point(*p) for p in at]}
        elif at:
            geometry = {"type": "Point", "coordinates": point(*at)}
        self.features.append(feature(geometry, item))
        return self.n

    def fence(self, kind, name, points):
        self.n += 1
        self.features.append(feature(ring(points), {"type": "fence", "id": self.n, "kind": kind, "name": name}))

    def rally(self, name, at, height, ref="home"):
        self.n += 1
        self.features.append(feature({"type": "Point", "coordinates": point(*at)},
                                     {"type": "rally", "id": self.n, "name": name, "height": {"value_m": height, "ref": ref}}))

    def obstacle(self, kind, name, points, height, margin, **data):
        self.n += 1
        geometry = {"mast": lambda: {"type": "Point", "coordinates": point(*points[0])},
                    "wire": lambda: {"type": "LineString", "coordinates": [point(*p) for p in points]},
                    "trees": lambda: ring(points)}[kind]()
        self.features.append(feature(geometry, {"type": "obstacle", "id": self.n, "kind": kind, "name": name,
                                                "height_m": height, "margin_m": margin, **data}))

    def zone(self, name, zone_class, points, floor, ceiling):
        self.n += 1
        self.features.append(feature(ring(points), {
            "type": "airspace", "id": self.n, "name": name, "class": zone_class,
            "floor": {"value_m": floor, "ref": "ground"}, "ceiling": {"value_m": ceiling, "ref": "amsl"}}))

    def cover(self, source, points):
        self.n += 1
        self.features.append(feature(ring(points), {"type": "airspace-cover", "id": self.n, "source": source}))

    def save(self, name):
        doc = {"type": "FeatureCollection", "anhinga": self.members, "features": self.features}
        (OUT / f"{name}.anhinga.geojson").write_text(json.dumps(doc, indent=0) + "\n")


HOME = (998, -534)
KEEP_IN = [(-1200, 980), (900, 1010), (1380, 100), (1330, -700), (700, -900), (-1150, -780)]
COLONY = [(-640, -250), (-480, -140), (-180, -150), (-30, -300), (-100, -480), (-330, -560), (-590, -470)]
QUARRY_AREA = [(300, 470), (330, 640), (500, 660), (575, 560), (540, 450)]

patrol = Plan("Quarry and summit", HOME, defaults={"height": {"value_m": 60, "ref": "home"}, "speed_mps": 9, "acceptance_m": 2},
              ceiling_m=200, clearance_min_m=15, clearance_margin_m=20, return_height_m=70)
patrol.add("take-off", height=40)
patrol.add("waypoint", (820, -60), 70)
patrol.add("block", QUARRY_AREA, 70, "ground", name="quarry", speed_mps=7,
           pattern={"heading_deg": 80, "overlap_percent": 75, "sidelap_percent": 60, "margin_m": 0})
first = patrol.add("waypoint", (130, 660), 150, actions=[
    {"do": "look-at", "place": point(-470, 430), "height": {"value_m": 2, "ref": "ground"}, "name": "summit cairn"}])
patrol.add("waypoint", (-330, 760), 170)
patrol.add("waypoint", (-780, 480), 178)
patrol.add("waypoint", (-430, 120), 178, actions=[{"do": "repeat", "target": first, "count": 1}])
patrol.add("hold", (60, 60), 110, hold_s=20, actions=[{"do": "look-at-stop"}])
patrol.add("waypoint", (560, -160), 70)
patrol.add("return-home")
patrol.fence("keep-in", "island trust", KEEP_IN)
patrol.fence("keep-out", "colony", COLONY)
patrol.obstacle("wire", "power line", MASTS, 13, 10)
patrol.obstacle("mast", "lighthouse", [LIGHTHOUSE], 38, 15, radius_m=4)
patrol.save("patrol")

quarry = Plan("Quarry stock piles", HOME, defaults={"height": {"value_m": 60, "ref": "home"}, "speed_mps": 8, "acceptance_m": 2},
              ceiling_m=180, return_height_m=70)
quarry.add("take-off", height=40)
quarry.add("waypoint", (820, -60), 80)
quarry.add("block", [(215, 470), (240, 640), (420, 720), (610, 650), (660, 540), (560, 420), (380, 400)], 55, "ground",
           name="stock piles", speed_mps=7, pattern={"heading_deg": 75, "overlap_percent": 75, "sidelap_percent": 60, "margin_m": 10,
                                                     "follow": True, "tolerance_m": 2, "makes": "photos", "when": "distance"})
quarry.add("waypoint", (820, -60), 80)
quarry.add("return-home")
quarry.fence("keep-in", "island trust", KEEP_IN)
quarry.fence("keep-out", "colony", COLONY)
quarry.obstacle("wire", "power line", MASTS, 13, 10)
quarry.obstacle("mast", "lighthouse", [LIGHTHOUSE], 38, 15, radius_m=4)
quarry.save("quarry")

# The sea wall, along the middle of its cells.
gx, gy, gh, masks = heights(5)
wall_at = np.arctan2(gy[masks["wall"]], gx[masks["wall"]])
wall_line = []
for low in np.linspace(-1.08, -0.42, 12):
    here = (wall_at >= low) & (wall_at < low + 0.06)
    if here.any():
        wall_line.append((float(gx[masks["wall"]][here].mean()), float(gy[masks["wall"]][here].mean())))
wall = Plan("Sea wall", HOME, defaults={"height": {"value_m": 45, "ref": "home"}, "speed_mps": 6, "acceptance_m": 2},
            ceiling_m=120, return_height_m=70)
wall.add("take-off", height=60)
wall.add("corridor", wall_line, 45, "amsl", name="sea wall", speed_mps=6,
         pattern={"makes": "photos", "when": "distance", "overlap_percent": 80, "sidelap_percent": 60, "width_m": 40})
wall.add("return-home")
wall.obstacle("wire", "power line", MASTS, 13, 10)
wall.save("seawall")

# The lighthouse: rings about its lantern and shaft, and its southern face. The elevation is of the bare ground; the tower is
# an obstacle.
foot = ground(LIGHTHOUSE[0] + 30, LIGHTHOUSE[1])
lamp = [LIGHTHOUSE[0] + 150, LIGHTHOUSE[1] - 10]
rings = Plan("Lighthouse rings", lamp, defaults={"height": {"value_m": 30, "ref": "home"}, "speed_mps": 3, "acceptance_m": 1},
             ceiling_m=100, return_height_m=60, clearance_min_m=8, clearance_margin_m=10)
rings.add("take-off", height=25)
rings.add("rings", LIGHTHOUSE, 30, "amsl", name="lighthouse",
          pattern={"makes": "photos", "when": "point", "radius_m": 26, "low_m": round(foot + 14, 1), "high_m": round(foot + 38, 1), "step_up_m": 12,
                   "per_ring": 18, "target": {"value_m": round(foot + 19, 1), "ref": "amsl"}})
rings.add("return-home")
rings.obstacle("mast", "lighthouse", [LIGHTHOUSE], 38, 15, radius_m=4)
rings.save("lighthouse-rings")
side = Plan("Lighthouse, southern face", lamp, defaults={"height": {"value_m": 30, "ref": "home"}, "speed_mps": 3, "acceptance_m": 1},
            ceiling_m=100, return_height_m=60, clearance_min_m=8, clearance_margin_m=10)
side.add("take-off", height=25)
south = LIGHTHOUSE[1] - 6
side.add("face", [(LIGHTHOUSE[0] - 9, south), (LIGHTHOUSE[0] + 9, south)], 30, "amsl", name="south side",
         pattern={"makes": "photos", "when": "point", "stand_off_m": 20, "low_m": round(foot + 12, 1), "high_m": round(foot + 38, 1), "step_up_m": 5,
                  "spacing_m": 3, "columns": True})
side.add("return-home")
side.obstacle("mast", "lighthouse", [LIGHTHOUSE], 38, 15, radius_m=4)
side.save("lighthouse-face")

# Around the coast with the fixed wing: a turn over the quarry, a curve round the lighthouse, in over the sea to land.
SKIMMER = {"name": "Skimmer 2", "kind": "fixed-wing", "cruise_mps": 16, "max_mps": 24, "climb_mps": 3, "descent_mps": 2.5,
           "mass_kg": 2.6, "efficiency": 0.5, "other_power_w": 12, "battery_wh": 104}
coast = Plan("Round the coast", HOME, defaults={"height": {"value_m": 110, "ref": "home"}, "speed_mps": 16, "acceptance_m": 10},
             vehicle=SKIMMER, autopilot={"first_waypoint_max_m": 1500}, ceiling_m=280, return_height_m=120)
coast.add("take-off", height=80)
coast.add("waypoint", (1250, 650), 110)
coast.add("waypoint", (700, 1050), 150)
coast.add("circle", (420, 560), 190, turns=2, radius_m=90)
coast.add("waypoint", (-500, 1050), 220)
coast.add("waypoint", (-1400, 620), 200)
coast.add("waypoint", (-1620, 60), 150, spline=True)
coast.add("waypoint", (-1300, -560), 120, spline=True)
coast.add("waypoint", (-300, -900), 110)
coast.add("waypoint", (700, -1000), 110)
coast.add("hold", (1500, -900), 80, hold_s=40)
coast.add("waypoint", (2100, -560), 60)
coast.add("land", HOME, 0)
coast.fence("keep-out", "colony", COLONY)
coast.obstacle("wire", "power line", MASTS, 13, 10)
coast.obstacle("mast", "lighthouse", [LIGHTHOUSE], 38, 15, radius_m=4)
coast.save("coast")

# A plan full of mistakes: each of the rules of a route finds its own, once.
mistakes = Plan("Everything wrong", HOME, defaults={"height": {"value_m": 60, "ref": "home"}, "speed_mps": 8, "acceptance_m": 2},
                vehicle={"name": "Darter 4", "battery_wh": 0.5}, camera={"name": "slow shutter", "shutter_s": 0.004},
                autopilot={"item_limit": 84, "splines": False, "first_waypoint_max_m": 300, "lowest_height_m": 25},
                ceiling_m=150, floor_m=20, return_height_m=20, heights_set_at_amsl_m=60)
mistakes.add("take-off", height=40)
far = mistakes.add("waypoint", (700, -330), 60, name="too far for a first point")
mistakes.add("waypoint", (540, -330), 60, spline=True)
mistakes.add("waypoint", (400, -330), 60, speed_mps=40)
mistakes.add("waypoint", (200, -330), 60, actions=[{"do": "gimbal-pitch", "pitch_deg": -120}, {"do": "photo-interval", "interval_s": 0.5}])
mistakes.add("waypoint", (120, -330), 60, actions=[{"do": "photo-interval", "interval_s": 0}])
mistakes.add("waypoint", (-700, -330), 60, name="through the colony")
mistakes.add("block", [(-1250, -350), (-1250, -200), (-1080, -200), (-1080, -350)], 60, "ground", name="smeared",
             pattern={"heading_deg": 0, "overlap_percent": 75, "sidelap_percent": 65, "margin_m": 0})
mistakes.add("waypoint", (-1300, -150), 60)
mistakes.add("block", [(-1250, -600), (-1250, -550), (-1200, -550), (-1200, -600)], 10, "amsl", name="in the ground",
             pattern={"heading_deg": 0, "overlap_percent": 75, "sidelap_percent": 65, "margin_m": 0})
for k in range(30):
    mistakes.add("waypoint", (-1300 + 20 * (k + 1), 0), 85)
mistakes.add("waypoint", (-660, 0), 110)
mistakes.add("waypoint", (-660, 120), 120)
mistakes.add("waypoint", (-400, 120), 81.5, name="margin only")
mistakes.add("waypoint", (-380, 60), 120)
mistakes.add("waypoint", (-100, 450), 105, name="too low over the ridge")
mistakes.add("waypoint", (150, 280), 122)
mistakes.add("circle", (500, 200), 90, turns=1, radius_m=10)
mistakes.add("height-change", (900, 150), 80, actions=[{"do": "repeat", "target": 9999, "count": 1}])
mistakes.add("waypoint", (1350, 60), 60, actions=[
    {"do": "look-at", "place": point(1200, -100), "height": {"value_m": 2, "ref": "ground"}, "name": "barn"}])
mistakes.add("waypoint", (1350, 60), 60)
mistakes.add("waypoint", (1750, 150), 204.5, "amsl", name="too high")
mistakes.add("waypoint", (1900, 300), 59.5, "amsl", name="below the floor")
mistakes.add("waypoint", (1950, 100), 22, name="too low for the autopilot")
mistakes.add("waypoint", (2650, 100), 60, name="off the map")
mistakes.add("waypoint", (1900, -100), 60, actions=[{"do": "repeat", "target": far, "count": -1}])
mistakes.add("waypoint", (1400, 200), 64.5, "amsl")
mistakes.add("return-home")
mistakes.fence("keep-out", "colony", COLONY)
mistakes.rally("in the colony", (-330, -330), 60)
mistakes.rally("on the ground", (620, 120), 5, "ground")
mistakes.obstacle("mast", "weather mast", [(905, 155)], 12, 15, radius_m=1)
mistakes.zone("training area", "R", [(100, -420), (100, -240), (300, -240), (300, -420)], 0, 300)
mistakes.cover("trust's own map", [(-1600, -900), (-1600, 900), (2200, 900), (2200, -900)])
mistakes.save("mistakes")

#include "app/scene/SceneGround.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/base/Text.h"
#include "core/terrain/Imagery.h"

namespace anhinga {

namespace {

constexpr double kFarthest_m = 15000;
constexpr float kSkirt_m = 25;
constexpr int kPictureSide = 2048;
constexpr int kSide = SceneGround::kPieceCells + 1;

struct Extent {
    double west = INFINITY, south = INFINITY, east = -INFINITY, north = -INFINITY;
    void take(Vec2 p) {
        west = std::min(west, p.x);
        east = std::max(east, p.x);
        south = std::min(south, p.y);
        north = std::max(north, p.y);
    }
};

Extent extentOf(const LocalFrame& frame, const Terrain& terrain) {
    Extent e;
    for (const auto& r : terrain.rasters()) {
        const double east = r->west_deg() + r->stepLon_deg() * r->width();
        const double south = r->north_deg() - std::abs(r->stepLat_deg()) * r->height();
        for (const double lat : {south, r->north_deg()})
            for (const double lon : {r->west_deg(), east}) e.take(frame.toLocal({lat, wrapLongitude(lon)}));
    }
    e.west = std::max(e.west, -kFarthest_m);
    e.south = std::max(e.south, -kFarthest_m);
    e.east = std::min(e.east, kFarthest_m);
    e.north = std::min(e.north, kFarthest_m);
    return e;
}

/// Heights at the knots of a grid; NaN where unknown.
struct Grid {
    double west = 0, south = 0, cell = 5;
    int columns = 0, rows = 0;
    std::vector<float> height;
    float at(int i, int j) const {
        return height[static_cast<std::size_t>(std::clamp(j, 0, rows - 1)) * static_cast<std::size_t>(columns) +
                      static_cast<std::size_t>(std::clamp(i, 0, columns - 1))];
    }
    /// Lambert's law with light from the north-west, 45 degrees high.
    float shade(int i, int j) const {
        const float w = at(i - 1, j), e = at(i + 1, j), s = at(i, j - 1), n = at(i, j + 1);
        if (!std::isfinite(w + e + s + n)) return 0.7f;
        const auto run = static_cast<float>(2 * cell);
        const QVector3D normal = QVector3D(-(e - w) / run, -(n - s) / run, 1).normalized();
        return std::max(0.0f, QVector3D::dotProduct(normal, QVector3D(-0.5f, 0.5f, 0.7071f)));
    }
};

void drape(SceneGround& ground, const UnitBox& box, const std::vector<std::string>& pictures) {
    QImage whole;
    const double wide = box.width(), high = box.height();
    const int w = wide >= high ? kPictureSide : std::max(16, static_cast<int>(kPictureSide * wide / high));
    const int h = wide >= high ? std::max(16, static_cast<int>(kPictureSide * high / wide)) : kPictureSide;
    for (auto file = pictures.rbegin(); file != pictures.rend(); ++file) {
        const auto source = ImagerySource::open(*file);
        if (!source) {
            ground.problem = QString::fromStdString(source.error().message);
            continue;
        }
        const auto pixels = (*source)->read(box, w, h);
        if (!pixels) {
            ground.problem = QString::fromStdString(pixels.error().message);
            continue;
        }
        if (whole.isNull()) {
            whole = QImage(w, h, QImage::Format_RGBA8888);
            whole.fill(0);
        }
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const std::uint8_t* from =
                    pixels->data() + (static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x)) * 4;
                if (from[3] > 127) std::memcpy(whole.scanLine(y) + 4 * x, from, 4);
            }
    }
    ground.picture = whole;
    ground.pictured = !whole.isNull();
}

}  // namespace

std::shared_ptr<const SceneGround> makeGround(const LocalFrame& frame, const Terrain& terrain,
                                              const std::vector<std::string>& pictures, int most_cells,
                                              const std::stop_token& stop) {
    const double started = monotonicMs();
    auto ground = std::make_shared<SceneGround>();
    const Extent e = extentOf(frame, terrain);
    if (!(e.east > e.west && e.north > e.south)) return ground;
    Grid grid;
    grid.cell = std::max(terrain.cell_m(), std::max(e.east - e.west, e.north - e.south) / most_cells);
    grid.west = e.west;
    grid.south = e.south;
    grid.columns = static_cast<int>((e.east - e.west) / grid.cell) + 1;
    grid.rows = static_cast<int>((e.north - e.south) / grid.cell) + 1;
    ground->cell_m = grid.cell;
    std::vector<UnitPoint> mercator;
    grid.height.reserve(static_cast<std::size_t>(grid.columns) * static_cast<std::size_t>(grid.rows));
    mercator.reserve(grid.height.capacity());
    UnitBox box{2, 2, -1, -1};
    float lowest = INFINITY;
    for (int j = 0; j < grid.rows; ++j) {
        if (stop.stop_requested()) return nullptr;
        for (int i = 0; i < grid.columns; ++i) {
            const GeoPoint p = frame.toGeo({grid.west + i * grid.cell, grid.south + j * grid.cell});
            const auto h = terrain.sample(p);
            grid.height.push_back(h ? static_cast<float>(*h) : NAN);
            if (h) lowest = std::min(lowest, static_cast<float>(*h));
            mercator.push_back(toUnitSquare(p));
            const UnitPoint& m = mercator.back();
            box = {std::min(box.left, m.x), std::min(box.top, m.y), std::max(box.right, m.x), std::max(box.bottom, m.y)};
        }
    }
    if (!std::isfinite(lowest)) lowest = 0;
    ground->lowest_amsl_m = static_cast<double>(lowest);
    if (!pictures.empty()) drape(*ground, box, pictures);
    if (stop.stop_requested()) return nullptr;
    const auto vertexAt = [&](int i, int j) {
        i = std::min(i, grid.columns - 1);
        j = std::min(j, grid.rows - 1);
        const float h = grid.at(i, j);
        const UnitPoint& m = mercator[static_cast<std::size_t>(j) * static_cast<std::size_t>(grid.columns) + static_cast<std::size_t>(i)];
        return GroundVertex{static_cast<float>(grid.west + i * grid.cell),
                            static_cast<float>(grid.south + j * grid.cell),
                            std::isfinite(h) ? h : lowest,
                            std::isfinite(h) ? grid.shade(i, j) : -1,
                            static_cast<float>((m.x - box.left) / box.width()),
                            static_cast<float>((m.y - box.top) / box.height())};
    };
    for (int row = 0; row < grid.rows - 1; row += SceneGround::kPieceCells)
        for (int column = 0; column < grid.columns - 1; column += SceneGround::kPieceCells) {
            if (stop.stop_requested()) return nullptr;
            GroundPiece piece;
            piece.vertices.reserve(kSide * kSide + 4 * kSide);
            float low = INFINITY, high = -INFINITY;
            for (int j = 0; j < kSide; ++j)
                for (int i = 0; i < kSide; ++i) {
                    piece.vertices.push_back(vertexAt(column + i, row + j));
                    low = std::min(low, piece.vertices.back().z);
                    high = std::max(high, piece.vertices.back().z);
                }
            // The skirt hides gaps to a neighbour drawn more coarsely.
            const auto lowered = [&](int i, int j) {
                GroundVertex v = piece.vertices[static_cast<std::size_t>(j * kSide + i)];
                v.z -= kSkirt_m;
                piece.vertices.push_back(v);
            };
            for (int i = 0; i < kSide; ++i) lowered(i, 0);
            for (int i = 0; i < kSide; ++i) lowered(i, kSide - 1);
            for (int i = 0; i < kSide; ++i) lowered(0, i);
            for (int i = 0; i < kSide; ++i) lowered(kSide - 1, i);
            const GroundVertex &a = piece.vertices.front(), &b = piece.vertices[kSide * kSide - 1];
            piece.low = {a.x, a.y, low};
            piece.high = {b.x, b.y, high};
            ground->pieces.push_back(std::move(piece));
        }
    ground->made_ms = monotonicMs() - started;
    return ground;
}

std::vector<std::uint16_t> groundTriangles(int level) {
    const int step = 1 << level;
    std::vector<std::uint16_t> out;
    const auto at = [](int i, int j) { return static_cast<std::uint16_t>(j * kSide + i); };
    const auto quad = [&](std::uint16_t a, std::uint16_t b, std::uint16_t c, std::uint16_t d) {
        for (const std::uint16_t k : {a, b, c, b, d, c}) out.push_back(k);
    };
    for (int j = 0; j + step < kSide; j += step)
        for (int i = 0; i + step < kSide; i += step) quad(at(i, j), at(i + step, j), at(i, j + step), at(i + step, j + step));
    const int last = kSide - 1;
    for (int i = 0; i + step < kSide; i += step) {
        const auto skirt = [&](int side, int k) { return static_cast<std::uint16_t>(kSide * kSide + side * kSide + k); };
        quad(at(i, 0), at(i + step, 0), skirt(0, i), skirt(0, i + step));
        quad(at(i, last), at(i + step, last), skirt(1, i), skirt(1, i + step));
        quad(at(0, i), at(0, i + step), skirt(2, i), skirt(2, i + step));
        quad(at(last, i), at(last, i + step), skirt(3, i), skirt(3, i + step));
    }
    return out;
}

int groundLevel(double cell_m, double pixels_per_metre) {
    constexpr double kEdge_px = 9;  // a side of a triangle may be about as long
    const double cell_px = std::max(1e-6, cell_m * pixels_per_metre);
    return std::clamp(static_cast<int>(std::floor(std::log2(kEdge_px / cell_px))), 0, SceneGround::kLevels - 1);
}

}  // namespace anhinga

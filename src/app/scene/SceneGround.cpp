#include "app/scene/SceneGround.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/base/Text.h"
#include "core/terrain/Imagery.h"

namespace anhinga {

namespace {

constexpr double kGroundReach_m = 15000;
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
    e.west = std::max(e.west, -kGroundReach_m);
    e.south = std::max(e.south, -kGroundReach_m);
    e.east = std::min(e.east, kGroundReach_m);
    e.north = std::min(e.north, kGroundReach_m);
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

/// The files' pictures over `box`, the first on top; transparent where none has anything.
QImage imageryOf(const UnitBox& box, const std::vector<std::string>& pictures, QSize size, QString& problem) {
    QImage whole(size, QImage::Format_RGBA8888);
    whole.fill(0);
    const auto row = static_cast<std::size_t>(size.width()) * 4;
    for (auto file = pictures.rbegin(); file != pictures.rend(); ++file) {
        const auto source = ImagerySource::open(*file);
        const auto pixels = source ? (*source)->read(box, size.width(), size.height())
                                   : Result<std::vector<std::uint8_t>>(tl::unexpected(source.error()));
        if (!pixels) {
            problem = QString::fromStdString(pixels.error().message);
            continue;
        }
        for (int y = 0; y < size.height(); ++y) {
            const std::uint8_t* from = pixels->data() + static_cast<std::size_t>(y) * row;
            std::uint8_t* to = whole.scanLine(y);
            for (std::size_t x = 0; x < row; x += 4)
                if (from[x + 3] > 127) std::memcpy(to + x, from + x, 4);
        }
    }
    return whole;
}

/// Colour of bare ground by its height: water, then greens into browns.
QVector3D tintOf(float amsl) {
    const QVector3D low(0.59f, 0.61f, 0.48f), high(0.80f, 0.79f, 0.70f);
    if (amsl < 0.3f) return {0.42f, 0.58f, 0.66f};
    return low + (high - low) * std::clamp(amsl / 300, 0.0f, 1.0f);
}

/// Lights the picture, and paints where it has nothing.
void light(QImage& picture, const Grid& grid, const std::stop_token& stop) {
    const float columns = static_cast<float>(grid.columns - 1), rows = static_cast<float>(grid.rows - 1);
    std::vector<float> shade(grid.height.size());
    for (int j = 0; j < grid.rows; ++j)
        for (int i = 0; i < grid.columns; ++i)
            shade[static_cast<std::size_t>(j) * static_cast<std::size_t>(grid.columns) + static_cast<std::size_t>(i)] =
                grid.shade(i, j);
    const auto between = [&](const std::vector<float>& of, float x, float y) {
        const int i = std::clamp(static_cast<int>(x), 0, grid.columns - 2),
                  j = std::clamp(static_cast<int>(y), 0, grid.rows - 2);
        const float fx = std::clamp(x - static_cast<float>(i), 0.0f, 1.0f),
                    fy = std::clamp(y - static_cast<float>(j), 0.0f, 1.0f);
        const auto at = [&](int c, int r) {
            return of[static_cast<std::size_t>(r) * static_cast<std::size_t>(grid.columns) +
                      static_cast<std::size_t>(c)];
        };
        return (at(i, j) * (1 - fx) + at(i + 1, j) * fx) * (1 - fy) +
               (at(i, j + 1) * (1 - fx) + at(i + 1, j + 1) * fx) * fy;
    };
    for (int y = 0; y < picture.height(); ++y) {
        if (stop.stop_requested()) return;
        std::uint8_t* line = picture.scanLine(y);
        const float gy = (1 - (static_cast<float>(y) + 0.5f) / static_cast<float>(picture.height())) * rows;
        for (int x = 0; x < picture.width(); ++x) {
            std::uint8_t* pixel = line + 4 * x;
            const float gx = (static_cast<float>(x) + 0.5f) / static_cast<float>(picture.width()) * columns;
            const float height = between(grid.height, gx, gy);
            QVector3D c(0.66f, 0.65f, 0.63f);
            if (!std::isfinite(height)) {
                // No height is known here: hatched, at a height that is a guess and looks like one.
                if ((x + y) / 12 % 2 == 0) c *= 0.82f;
            } else {
                c = tintOf(height);
                if (pixel[3] > 127) c = QVector3D(pixel[0], pixel[1], pixel[2]) / 255;
                c *= 0.45f + 0.78f * between(shade, gx, gy);
            }
            for (int k = 0; k < 3; ++k) pixel[k] = static_cast<std::uint8_t>(std::clamp(c[k] * 255, 0.0f, 255.0f));
            pixel[3] = 255;
        }
    }
}

QSize pictureSize(const UnitBox& box) {
    const double wide = box.width(), high = box.height();
    return wide >= high ? QSize(kPictureSide, std::max(16, static_cast<int>(kPictureSide * high / wide)))
                        : QSize(std::max(16, static_cast<int>(kPictureSide * wide / high)), kPictureSide);
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
            box = {std::min(box.left, m.x), std::min(box.top, m.y), std::max(box.right, m.x),
                   std::max(box.bottom, m.y)};
        }
    }
    if (!std::isfinite(lowest)) lowest = 0;
    ground->lowest_amsl_m = static_cast<double>(lowest);
    ground->picture = imageryOf(box, pictures, pictureSize(box), ground->problem);
    light(ground->picture, grid, stop);
    if (stop.stop_requested()) return nullptr;
    const auto vertexAt = [&](int i, int j) {
        i = std::min(i, grid.columns - 1);
        j = std::min(j, grid.rows - 1);
        const float h = grid.at(i, j);
        const UnitPoint& m = mercator[static_cast<std::size_t>(j) * static_cast<std::size_t>(grid.columns) +
                                      static_cast<std::size_t>(i)];
        return GroundVertex{static_cast<float>(grid.west + i * grid.cell),
                            static_cast<float>(grid.south + j * grid.cell), std::isfinite(h) ? h : lowest,
                            static_cast<float>((m.x - box.left) / box.width()),
                            static_cast<float>((m.y - box.top) / box.height())};
    };
    for (int row = 0; row < grid.rows - 1; row += SceneGround::kPieceCells)
        for (int column = 0; column < grid.columns - 1; column += SceneGround::kPieceCells) {
            if (stop.stop_requested()) return nullptr;
            GroundPiece piece;
            piece.vertices.reserve(kSide * kSide);
            float low = INFINITY, high = -INFINITY;
            for (int j = 0; j < kSide; ++j)
                for (int i = 0; i < kSide; ++i) {
                    piece.vertices.push_back(vertexAt(column + i, row + j));
                    low = std::min(low, piece.vertices.back().z);
                    high = std::max(high, piece.vertices.back().z);
                }
            const GroundVertex &a = piece.vertices.front(), &b = piece.vertices[kSide * kSide - 1];
            piece.low = {a.x, a.y, low};
            piece.high = {b.x, b.y, high};
            ground->pieces.push_back(std::move(piece));
        }
    ground->made_ms = monotonicMs() - started;
    return ground;
}

std::vector<GroundVertex> groundKnots(const GroundPiece& piece, int level) {
    const int step = 1 << level, n = SceneGround::kPieceCells / step + 1;
    std::vector<GroundVertex> knots;
    knots.reserve(static_cast<std::size_t>(n * n + 4 * n));
    const auto at = [&](int i, int j) -> const GroundVertex& {
        return piece.vertices[static_cast<std::size_t>(j * step * kSide + i * step)];
    };
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) knots.push_back(at(i, j));
    const auto lowered = [&](int i, int j) {
        knots.push_back(at(i, j));
        knots.back().z -= kSkirt_m;
    };
    for (int i = 0; i < n; ++i) lowered(i, 0);
    for (int i = 0; i < n; ++i) lowered(i, n - 1);
    for (int i = 0; i < n; ++i) lowered(0, i);
    for (int i = 0; i < n; ++i) lowered(n - 1, i);
    return knots;
}

std::vector<std::uint16_t> groundTriangles(int level) {
    const int n = SceneGround::kPieceCells / (1 << level) + 1, last = n - 1;
    std::vector<std::uint16_t> out;
    const auto at = [n](int i, int j) { return static_cast<std::uint16_t>(j * n + i); };
    const auto skirt = [n](int side, int k) { return static_cast<std::uint16_t>(n * n + side * n + k); };
    const auto quad = [&](std::uint16_t a, std::uint16_t b, std::uint16_t c, std::uint16_t d) {
        for (const std::uint16_t k : {a, b, c, b, d, c}) out.push_back(k);
    };
    for (int j = 0; j < last; ++j)
        for (int i = 0; i < last; ++i) quad(at(i, j), at(i + 1, j), at(i, j + 1), at(i + 1, j + 1));
    for (int i = 0; i < last; ++i) {
        quad(at(i, 0), at(i + 1, 0), skirt(0, i), skirt(0, i + 1));
        quad(at(i, last), at(i + 1, last), skirt(1, i), skirt(1, i + 1));
        quad(at(0, i), at(0, i + 1), skirt(2, i), skirt(2, i + 1));
        quad(at(last, i), at(last, i + 1), skirt(3, i), skirt(3, i + 1));
    }
    return out;
}

int groundLevel(double cell_m, double pixels_per_metre) {
    constexpr double kEdge_px = 20;  // a side of a triangle may be about as long
    const double cell_px = std::max(1e-6, cell_m * pixels_per_metre);
    return std::clamp(static_cast<int>(std::floor(std::log2(kEdge_px / cell_px))), 0, SceneGround::kLevels - 1);
}

}  // namespace anhinga

#include "core/geo/Geoid.h"

#include <array>
#include <bit>
#include <cmath>
#include <cstdlib>
#include <filesystem>

#include "core/base/File.h"

namespace anhinga {

namespace {

constexpr std::size_t kHeader = 40, kMostBytes = std::size_t{512} << 20;

template <class Whole>
Whole bigEndian(std::string_view bytes, std::size_t at) {
    Whole v = 0;
    for (std::size_t i = 0; i < sizeof(Whole); ++i)
        v = static_cast<Whole>(v << 8 | static_cast<unsigned char>(bytes[at + i]));
    return v;
}

/// Through four values at -1, 0, 1 and 2 (Catmull and Rom).
double cubic(const std::array<double, 4>& v, double t) {
    return v[1] +
           0.5 * t *
               (v[2] - v[0] + t * (2 * v[0] - 5 * v[1] + 4 * v[2] - v[3] + t * (3 * (v[1] - v[2]) + v[3] - v[0])));
}

}  // namespace

Result<std::shared_ptr<const Geoid>> Geoid::open(const std::string& path) {
    auto bytes = readFile(path, kMostBytes);
    if (!bytes) return tl::unexpected(bytes.error());
    return read(std::move(*bytes), path);
}

Result<std::shared_ptr<const Geoid>> Geoid::read(std::string bytes, const std::string& name) {
    if (bytes.size() < kHeader) return fail("{}: not a geoid grid: its header is not complete", name);
    auto g = std::make_shared<Geoid>();
    const auto real = [&](std::size_t at) { return std::bit_cast<double>(bigEndian<std::uint64_t>(bytes, at)); };
    g->name_ = name;
    g->south_deg_ = real(0);
    g->west_deg_ = real(8);
    g->step_lat_deg_ = real(16);
    g->step_lon_deg_ = real(24);
    g->rows_ = static_cast<std::int32_t>(bigEndian<std::uint32_t>(bytes, 32));
    g->columns_ = static_cast<std::int32_t>(bigEndian<std::uint32_t>(bytes, 36));
    const bool placed = g->south_deg_ >= -90.5 && g->south_deg_ <= 90 && std::abs(g->west_deg_) <= 360.5;
    if (!placed || !(g->step_lat_deg_ > 1e-4 && g->step_lat_deg_ < 10) ||
        !(g->step_lon_deg_ > 1e-4 && g->step_lon_deg_ < 10) || g->rows_ < 4 || g->columns_ < 4)
        return fail("{}: not a geoid grid: its corner, steps or size cannot be", name);
    const auto nodes = static_cast<std::size_t>(g->rows_) * static_cast<std::size_t>(g->columns_);
    if ((bytes.size() - kHeader) / 4 < nodes)
        return fail("{}: a geoid grid of {} x {} that ends after {} bytes", name, g->rows_, g->columns_, bytes.size());
    g->around_ = static_cast<double>(g->columns_) * g->step_lon_deg_ > 359.9;
    g->nodes_.resize(nodes);
    for (std::size_t i = 0; i < nodes; ++i)
        g->nodes_[i] = std::bit_cast<float>(bigEndian<std::uint32_t>(bytes, kHeader + 4 * i));
    return std::shared_ptr<const Geoid>(std::move(g));
}

std::shared_ptr<const Geoid> Geoid::standard() {
    static const std::shared_ptr<const Geoid> kept = [] {
        std::vector<std::string> paths;
        if (const char* own = std::getenv("ANHINGA_GEOID")) paths.emplace_back(own);
        for (const char* variable : {"PROJ_DATA", "PROJ_LIB"})
            if (const char* folder = std::getenv(variable)) paths.push_back(std::string(folder) + "/egm96_15.gtx");
        paths.emplace_back("/usr/share/proj/egm96_15.gtx");
        paths.emplace_back("/usr/local/share/proj/egm96_15.gtx");
        for (const std::string& path : paths) {
            std::error_code none;
            if (!std::filesystem::is_regular_file(path, none)) continue;
            if (auto grid = open(path)) return *grid;
        }
        return std::shared_ptr<const Geoid>();
    }();
    return kept;
}

std::optional<double> Geoid::node(std::int64_t row, std::int64_t column) const {
    if (around_) column = (column % columns_ + columns_) % columns_;
    if (row < 0 || row >= rows_ || column < 0 || column >= columns_) return std::nullopt;
    const double v = static_cast<double>(nodes_[static_cast<std::size_t>(row * columns_ + column)]);
    constexpr double kMost_m = 500;  // what is beyond marks a node without data
    return std::abs(v) < kMost_m ? std::optional(v) : std::nullopt;
}

std::optional<double> Geoid::height_m(GeoPoint p) const {
    if (!isValid(p)) return std::nullopt;
    const double y = (p.lat_deg - south_deg_) / step_lat_deg_;
    double east = std::fmod(p.lon_deg - west_deg_, 360.0);
    if (east < 0) east += 360;
    const double x = east / step_lon_deg_;
    if (y < 0 || y > static_cast<double>(rows_ - 1) || (!around_ && x > static_cast<double>(columns_ - 1)))
        return std::nullopt;
    const auto row = std::min(static_cast<std::int64_t>(y), rows_ - 2),
               column = around_ ? static_cast<std::int64_t>(x) : std::min(static_cast<std::int64_t>(x), columns_ - 2);
    std::array<double, 4> lines{};
    for (std::int64_t j = 0; j < 4; ++j) {
        std::array<double, 4> v{};
        for (std::int64_t i = 0; i < 4; ++i) {
            // At an edge the last node counts twice.
            const auto r = std::clamp<std::int64_t>(row + j - 1, 0, rows_ - 1);
            const auto c = around_ ? column + i - 1 : std::clamp<std::int64_t>(column + i - 1, 0, columns_ - 1);
            const auto n = node(r, c);
            if (!n) return std::nullopt;
            v[static_cast<std::size_t>(i)] = *n;
        }
        lines[static_cast<std::size_t>(j)] = cubic(v, x - static_cast<double>(column));
    }
    return cubic(lines, y - static_cast<double>(row));
}

}  // namespace anhinga

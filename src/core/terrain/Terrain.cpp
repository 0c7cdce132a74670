#include "core/terrain/Terrain.h"

#include <cpl_error.h>
#include <ogr_srs_api.h>

#include <cmath>
#include <filesystem>
#include <limits>
#include <set>

#include "core/geo/Geoid.h"
#include "core/terrain/GdalFile.h"

namespace anhinga {

namespace {

constexpr double kMaxCells = 120e6;
/// Heights outside this are damage, not ground (deepest trench to highest peak, metres AMSL).
constexpr float kLowestGround_m = -11100, kHighestGround_m = 8900;

bool isLatLonGrid(GDALDatasetH dataset, const double transform[6]) {
    OGRSpatialReferenceH reference = GDALGetSpatialRef(dataset);
    return reference != nullptr && OSRIsGeographic(reference) && transform[2] == 0 && transform[4] == 0 &&
           transform[1] > 0 && transform[5] < 0;
}

/// What a raster's heights are measured from, and in what.
struct Vertical {
    bool ellipsoid = false;  // above the ellipsoid, as satellite receivers measure
    double metres = 1;       // one unit of them
    std::string words = "not stated";
};
Vertical verticalOf(GDALDatasetH dataset) {
    Vertical v;
    OGRSpatialReferenceH reference = GDALGetSpatialRef(dataset);
    if (reference != nullptr && OSRIsCompound(reference)) {
        const char* name = OSRGetAttrValue(reference, "COMPD_CS|VERT_CS", 0);
        if (name == nullptr) name = OSRGetAttrValue(reference, "VERT_CS", 0);
        if (name != nullptr && *name != '\0') v.words = name;
        const double unit = OSRGetTargetLinearUnits(reference, "VERT_CS", nullptr);
        if (unit > 0.1 && unit < 10) v.metres = unit;
    } else if (reference != nullptr && OSRGetAxesCount(reference) == 3) {
        // Three axes without a vertical datum: the third is the height above the ellipsoid (EPSG:4979 and its like).
        v.ellipsoid = true;
        v.words = "the ellipsoid";
    }
    if (const char* said = GDALGetMetadataItem(dataset, "VERTICAL_REFERENCE", nullptr)) v.words = said;
    const std::string band = GDALGetRasterUnitType(GDALGetRasterBand(dataset, 1));
    constexpr double kFoot_m = 0.3048, kUsFoot_m = 1200.0 / 3937;
    if (v.metres == 1 && (band == "ft" || band == "foot" || band == "feet")) v.metres = kFoot_m;
    if (v.metres == 1 && (band == "sft" || band == "us_ft" || band == "US survey foot")) v.metres = kUsFoot_m;
    return v;
}

}  // namespace

Result<std::shared_ptr<const ElevationRaster>> ElevationRaster::open(const std::string& path) {
    auto source = openRaster(path);
    if (!source) return tl::unexpected(source.error());
    GdalDataset warped;
    GDALDatasetH dataset = source->get();
    double transform[6] = {};
    if (GDALGetGeoTransform(dataset, transform) != CE_None || !isLatLonGrid(dataset, transform)) {
        auto other = warpedTo(*source, path, "EPSG:4326", false);
        if (!other) return tl::unexpected(other.error());
        warped = std::move(*other);
        dataset = warped.get();
        if (GDALGetGeoTransform(dataset, transform) != CE_None || !isLatLonGrid(dataset, transform))
            return fail("{}: its place on the earth is not known", path);
    }
    auto raster = std::make_shared<ElevationRaster>();
    raster->path_ = path;
    raster->width_ = GDALGetRasterXSize(dataset);
    raster->height_ = GDALGetRasterYSize(dataset);
    if (raster->width_ < 2 || raster->height_ < 2) return fail("{}: a raster of at least 2 x 2 cells is needed", path);
    if (static_cast<double>(raster->width_) * raster->height_ > kMaxCells)
        return fail("{}: {} x {} cells is more than fits in memory; cut it to the area needed", path, raster->width_,
                    raster->height_);
    for (const double t : transform)
        if (!std::isfinite(t)) return fail("{}: its position is damaged", path);
    raster->step_lon_ = transform[1];
    raster->step_lat_ = -transform[5];
    raster->west_ = transform[0] + transform[1] / 2;
    raster->north_ = transform[3] + transform[5] / 2;
    const double south = raster->north_ - raster->step_lat_ * (raster->height_ - 1);
    if (raster->north_ > 90.1 || south < -90.1 || std::abs(raster->west_) > 540)
        return fail("{}: its position ({:.3f} to {:.3f} degrees north) is not on the earth", path, south,
                    raster->north_);
    GDALRasterBandH band = GDALGetRasterBand(dataset, 1);
    raster->cells_.resize(static_cast<std::size_t>(raster->width_) * static_cast<std::size_t>(raster->height_));
    CPLPushErrorHandler(CPLQuietErrorHandler);
    const CPLErr read = GDALRasterIO(band, GF_Read, 0, 0, raster->width_, raster->height_, raster->cells_.data(),
                                     raster->width_, raster->height_, GDT_Float32, 0, 0);
    CPLPopErrorHandler();
    if (read != CE_None) return fail("{}: the heights cannot be read: {}", path, lastGdalError());
    int has_nodata = 0;
    const auto nodata = static_cast<float>(GDALGetRasterNoDataValue(band, &has_nodata));
    const Vertical vertical = verticalOf(source->get());
    for (float& h : raster->cells_) {
        if (std::isfinite(h) && !(has_nodata && h == nodata)) h *= static_cast<float>(vertical.metres);
        if (!std::isfinite(h) || (has_nodata && h == nodata) || h < kLowestGround_m || h > kHighestGround_m)
            h = std::numeric_limits<float>::quiet_NaN();
    }
    if (vertical.ellipsoid)
        if (const auto ok = raster->lowerByGeoid(); !ok) return tl::unexpected(ok.error());
    const GeoPoint middle{(raster->north_ + south) / 2,
                          wrapLongitude(raster->west_ + raster->step_lon_ * raster->width_ / 2)};
    raster->cell_m_ = distance_m(middle, {middle.lat_deg + raster->step_lat_, middle.lon_deg});
    raster->vertical_ = vertical.ellipsoid ? "the ellipsoid, made mean sea level by the geoid" : vertical.words;
    return raster;
}

Result<void> ElevationRaster::lowerByGeoid() {
    const auto geoid = Geoid::standard();
    if (geoid == nullptr)
        return fail(
            "{}: its heights are above the ellipsoid, and no geoid grid is here to make them heights above sea level",
            path_);
    // The geoid changes by centimetres over a kilometre: it is asked at every hundredth of a degree, and goes straight
    // between.
    constexpr double kApart_deg = 0.01;
    const int every = std::max(1, static_cast<int>(kApart_deg / step_lon_));
    std::vector<double> nodes;
    for (int row = 0; row < height_; ++row) {
        const double lat = std::clamp(north_ - row * step_lat_, -90.0, 90.0);
        nodes.clear();
        for (int column = 0; column < width_ + every; column += every)
            nodes.push_back(geoid->height_m({lat, wrapLongitude(west_ + column * step_lon_)}).value_or(NAN));
        for (int column = 0; column < width_; ++column) {
            const auto i = static_cast<std::size_t>(column / every);
            const double share = static_cast<double>(column % every) / every;
            cells_[static_cast<std::size_t>(row) * static_cast<std::size_t>(width_) +
                   static_cast<std::size_t>(column)] -=
                static_cast<float>(nodes[i] + (nodes[i + 1] - nodes[i]) * share);
        }
    }
    return {};
}

std::optional<double> ElevationRaster::sample(GeoPoint p) const {
    if (!isValid(p)) return std::nullopt;
    double lon = p.lon_deg - west_;
    if (lon < -step_lon_ / 2) lon += 360;
    if (lon >= 360 - step_lon_ / 2) lon -= 360;
    double x = lon / step_lon_, y = (north_ - p.lat_deg) / step_lat_;
    // The outermost half cell belongs to the raster too: it takes the edge's value.
    if (!(x >= -0.5 && y >= -0.5 && x <= width_ - 0.5 && y <= height_ - 0.5)) return std::nullopt;
    x = std::clamp(x, 0.0, width_ - 1.0);
    y = std::clamp(y, 0.0, height_ - 1.0);
    const int x0 = std::min(static_cast<int>(x), width_ - 2), y0 = std::min(static_cast<int>(y), height_ - 2);
    const double fx = x - x0, fy = y - y0;
    const float* row = cells_.data() + static_cast<std::size_t>(y0) * static_cast<std::size_t>(width_) + x0;
    const float* next = row + width_;
    double sum = 0;
    const double weights[4] = {(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy};
    const float values[4] = {row[0], row[1], next[0], next[1]};
    for (int i = 0; i < 4; ++i) {
        if (weights[i] == 0) continue;
        if (std::isnan(values[i])) return std::nullopt;
        sum += weights[i] * static_cast<double>(values[i]);
    }
    return sum;
}

Result<std::shared_ptr<const Terrain>> Terrain::open(const std::vector<std::string>& paths) {
    std::vector<Named> files;
    for (const std::string& path : paths) files.push_back({path, path});
    auto terrain = openPresent(files);
    if (!terrain->missing().empty()) return fail("{}", terrain->missing().front().why);
    return terrain;
}

std::shared_ptr<const Terrain> Terrain::openPresent(const std::vector<Named>& files, const Terrain* before) {
    const auto whole = [](const std::string& path) {
        std::error_code none;
        const auto file = std::filesystem::weakly_canonical(path, none);
        return none ? path : file.string();
    };
    auto terrain = std::make_shared<Terrain>();
    std::set<std::string> taken;
    for (const Named& f : files) {
        if (!taken.insert(whole(f.path)).second) continue;
        std::shared_ptr<const ElevationRaster> raster;
        if (before != nullptr)
            for (const auto& r : before->rasters())
                if (r->path() == f.path) raster = r;
        if (!raster) {
            auto opened = ElevationRaster::open(f.path);
            if (!opened) {
                terrain->missing_.push_back({f.name, opened.error().message});
                continue;
            }
            raster = std::move(*opened);
        }
        terrain->rasters_.push_back(std::move(raster));
    }
    return terrain;
}

std::optional<double> Terrain::sample(GeoPoint p) const {
    for (const auto& raster : rasters_)
        if (const auto height = raster->sample(p)) return height;
    return std::nullopt;
}

double Terrain::cell_m() const {
    double finest = rasters_.empty() ? 30 : INFINITY;
    for (const auto& raster : rasters_) finest = std::min(finest, raster->cell_m());
    return finest;
}

}  // namespace anhinga

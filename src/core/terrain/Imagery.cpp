#include "core/terrain/Imagery.h"

#include <cpl_error.h>

#include <algorithm>
#include <cmath>

#include "core/terrain/GdalFile.h"

namespace anhinga {

Result<ImageryTile> readImagery(const std::string& path, int max_side) {
    auto source = openRaster(path);
    if (!source) return tl::unexpected(source.error());
    auto warped = warpedTo(*source, path, "EPSG:3857", true);
    if (!warped) return tl::unexpected(warped.error());
    GDALDatasetH dataset = warped->get();
    double t[6] = {};
    if (GDALGetGeoTransform(dataset, t) != CE_None) return fail("{}: its place on the earth is not known", path);
    const int width = GDALGetRasterXSize(dataset), height = GDALGetRasterYSize(dataset);
    const int bands = GDALGetRasterCount(dataset);
    const double shrink = std::max(1.0, std::max(width, height) / static_cast<double>(max_side));
    ImageryTile tile;
    tile.width = std::max(1, static_cast<int>(width / shrink));
    tile.height = std::max(1, static_cast<int>(height / shrink));
    const double world = 2 * M_PI * 6378137.0;  // EPSG:3857: the equator's length on the sphere it is defined with
    tile.left = t[0] / world + 0.5;
    tile.top = 0.5 - t[3] / world;
    tile.right = (t[0] + t[1] * width) / world + 0.5;
    tile.bottom = 0.5 - (t[3] + t[5] * height) / world;
    if (!std::isfinite(tile.left + tile.top + tile.right + tile.bottom))
        return fail("{}: its position is damaged", path);
    tile.rgba.assign(static_cast<std::size_t>(tile.width) * static_cast<std::size_t>(tile.height) * 4, 255);
    const int colour_bands = bands >= 4 ? 3 : 1;
    CPLPushErrorHandler(CPLQuietErrorHandler);
    CPLErr read = CE_None;
    for (int channel = 0; channel < 4 && read == CE_None; ++channel) {
        const int band = channel == 3 ? bands : std::min(channel + 1, colour_bands);
        read = GDALRasterIO(GDALGetRasterBand(dataset, band), GF_Read, 0, 0, width, height, tile.rgba.data() + channel,
                            tile.width, tile.height, GDT_Byte, 4, 4 * tile.width);
    }
    CPLPopErrorHandler();
    if (read != CE_None) return fail("{}: the picture cannot be read: {}", path, lastGdalError());
    return tile;
}

}  // namespace anhinga

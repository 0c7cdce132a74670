// Opening rasters with GDAL: once-only set-up, quiet errors as text, datasets closed by themselves.
#pragma once

#include <gdal.h>

#include <memory>
#include <string>

#include "core/base/Result.h"

namespace anhinga {

struct GdalCloser {
    void operator()(void* dataset) const { GDALClose(dataset); }
};
using GdalDataset = std::unique_ptr<void, GdalCloser>;

/// GDAL's drivers, once for the whole program.
void registerDrivers();
/// Opens a raster read-only. A directory, an empty or a damaged file gives the reason in words.
Result<GdalDataset> openRaster(const std::string& path);
/// The same raster seen in another reference system ("EPSG:4326"), north up; the source must outlive it.
/// `nodata_alpha` adds an alpha band where the source has nothing.
Result<GdalDataset> warpedTo(const GdalDataset& source, const std::string& path, const char* reference,
                             bool nodata_alpha);
/// GDAL's last message, or "no reason given".
std::string lastGdalError();

}  // namespace anhinga

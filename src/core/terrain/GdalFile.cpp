#include "core/terrain/GdalFile.h"

#include <cpl_conv.h>
#include <cpl_error.h>
#include <gdal_utils.h>
#include <ogr_srs_api.h>
#include <sys/stat.h>

#include <mutex>

namespace anhinga {

std::string lastGdalError() {
    const char* text = CPLGetLastErrorMsg();
    return text != nullptr && *text != '\0' ? text : "no reason given";
}

void registerDrivers() {
    static std::once_flag once;
    std::call_once(once, [] {
        GDALAllRegister();
        CPLSetErrorHandler(CPLQuietErrorHandler);
        CPLSetConfigOption("GDAL_PAM_ENABLED", "NO");
    });
}

Result<GdalDataset> openRaster(const std::string& path) {
    registerDrivers();
    CPLPushErrorHandler(CPLQuietErrorHandler);  // handlers are per thread
    CPLErrorReset();
    struct stat info {};
    if (::stat(path.c_str(), &info) != 0) {
        CPLPopErrorHandler();
        return fail("{}: no such file", path);
    }
    if (!S_ISREG(info.st_mode) && !S_ISDIR(info.st_mode)) {
        CPLPopErrorHandler();
        return fail("{}: is a device or a pipe, a raster file is needed", path);
    }
    if (S_ISDIR(info.st_mode)) {
        CPLPopErrorHandler();
        return fail("{}: is a directory, a raster file is needed", path);
    }
    // Files that hold their pixels themselves. Those that tell where to find them (virtual rasters, descriptions of
    // services) would make a plan reach elsewhere, over the network too.
    static const char* const kDrivers[] = {"GTiff",   "AAIGrid", "SRTMHGT", "HFA",         "PNG",  "JPEG",
                                           "BMP",     "MBTiles", "DTED",    "EHdr",        "ENVI", "XYZ",
                                           "USGSDEM", "GSBG",    "GSAG",    "JP2OpenJPEG", nullptr};
    GdalDataset dataset(GDALOpenEx(path.c_str(), GDAL_OF_RASTER | GDAL_OF_READONLY, kDrivers, nullptr, nullptr));
    CPLPopErrorHandler();
    if (!dataset) return fail("{}: not a raster that can be read: {}", path, lastGdalError());
    if (GDALGetRasterCount(dataset.get()) < 1) return fail("{}: the raster has no bands", path);
    return dataset;
}

Result<GdalDataset> warpedTo(const GdalDataset& source, const std::string& path, const char* reference,
                             bool nodata_alpha) {
    if (GDALGetSpatialRef(source.get()) == nullptr && GDALGetGCPCount(source.get()) == 0)
        return fail("{}: its place on the earth is not known: it names no reference system", path);
    const char* plain[] = {"-t_srs",     reference, "-of", "VRT",     "-r",   "bilinear",
                           "-dstnodata", "nan",     "-ot", "Float32", nullptr};
    const char* alpha[] = {"-t_srs", reference, "-of", "VRT", "-r", "bilinear", "-dstalpha", nullptr};
    CPLPushErrorHandler(CPLQuietErrorHandler);
    CPLErrorReset();
    GDALWarpAppOptions* options = GDALWarpAppOptionsNew(const_cast<char**>(nodata_alpha ? alpha : plain), nullptr);
    GDALDatasetH input = source.get();
    int wrong = 0;
    GdalDataset warped(GDALWarp("", nullptr, 1, &input, options, &wrong));
    GDALWarpAppOptionsFree(options);
    CPLPopErrorHandler();
    if (!warped) return fail("{}: its place on the earth is not known: {}", path, lastGdalError());
    return warped;
}

}  // namespace anhinga

#include "core/terrain/Imagery.h"

#include <cpl_error.h>
#include <cpl_vsi.h>
#include <gdal_utils.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <filesystem>
#include <map>
#include <mutex>

#include "core/terrain/GdalFile.h"

namespace anhinga {

namespace {

/// EPSG:3857: the equator's length on the sphere it is defined with, metres.
constexpr double kWorld_m = 2 * M_PI * 6378137.0;

/// The picture with plain 8-bit bands: palettes become colours, deeper bands are stretched. Null where it is so
/// already.
Result<GdalDataset> plainBands(const GdalDataset& source, const std::string& path) {
    GDALRasterBandH first = GDALGetRasterBand(source.get(), 1);
    const bool palette = GDALGetRasterColorTable(first) != nullptr && GDALGetRasterCount(source.get()) == 1;
    const bool deep = GDALGetRasterDataType(first) != GDT_Byte;
    if (!palette && !deep) return GdalDataset();
    const char* expand[] = {"-of", "VRT", "-expand", "rgba", nullptr};
    const char* stretch[] = {"-of", "VRT", "-ot", "Byte", "-scale", nullptr};
    CPLPushErrorHandler(CPLQuietErrorHandler);
    GDALTranslateOptions* options = GDALTranslateOptionsNew(const_cast<char**>(palette ? expand : stretch), nullptr);
    int wrong = 0;
    GdalDataset plain(GDALTranslate("", source.get(), options, &wrong));
    GDALTranslateOptionsFree(options);
    CPLPopErrorHandler();
    if (!plain) return fail("{}: its colours cannot be read: {}", path, lastGdalError());
    return plain;
}

}  // namespace

struct ImagerySource::Open {
    GdalDataset source, plain, warped;
    double transform[6] = {};
    int width = 0, height = 0, bands = 0;
    ~Open() {
        warped.reset();  // each reads from the one before
        plain.reset();
    }
};

ImagerySource::~ImagerySource() = default;

namespace {
/// Pictures that are open, by what tells one file from another: map, Scene and start page show the same ones.
struct Shared {
    std::mutex mutex;
    std::map<std::string, std::weak_ptr<const ImagerySource>> open;
};
Shared& shared() {
    static Shared s;
    return s;
}
/// Empty for what is no plain file.
std::string identity(const std::string& path) {
    std::error_code error;
    const auto file = std::filesystem::canonical(path, error);
    const auto bytes = error ? 0 : std::filesystem::file_size(file, error);
    const auto changed = error ? std::filesystem::file_time_type() : std::filesystem::last_write_time(file, error);
    return error ? std::string() : fmt::format("{} {} {}", file.string(), bytes, changed.time_since_epoch().count());
}
}  // namespace

Result<std::shared_ptr<const ImagerySource>> ImagerySource::open(const std::string& path) {
    const std::string key = identity(path);
    if (!key.empty()) {
        const std::lock_guard lock(shared().mutex);
        if (auto known = shared().open[key].lock()) return known;
    }
    auto opened = openAnew(path);
    if (opened && !key.empty()) {
        const std::lock_guard lock(shared().mutex);
        std::erase_if(shared().open, [](const auto& o) { return o.second.expired(); });
        shared().open[key] = *opened;
    }
    return opened;
}

Result<std::shared_ptr<const ImagerySource>> ImagerySource::openAnew(const std::string& path) {
    auto source = openRaster(path);
    if (!source) return tl::unexpected(source.error());
    std::shared_ptr<ImagerySource> picture(new ImagerySource);
    picture->path_ = path;
    picture->open_ = std::make_unique<Open>();
    Open& o = *picture->open_;
    o.source = std::move(*source);
    auto plain = plainBands(o.source, path);
    if (!plain) return tl::unexpected(plain.error());
    o.plain = std::move(*plain);
    auto warped = warpedTo(o.plain ? o.plain : o.source, path, "EPSG:3857", true);
    if (!warped) return tl::unexpected(warped.error());
    o.warped = std::move(*warped);
    if (GDALGetGeoTransform(o.warped.get(), o.transform) != CE_None)
        return fail("{}: its place on the earth is not known", path);
    o.width = GDALGetRasterXSize(o.warped.get());
    o.height = GDALGetRasterYSize(o.warped.get());
    o.bands = GDALGetRasterCount(o.warped.get());
    const double* t = o.transform;
    picture->extent_ = {t[0] / kWorld_m + 0.5, 0.5 - t[3] / kWorld_m, (t[0] + t[1] * o.width) / kWorld_m + 0.5,
                        0.5 - (t[3] + t[5] * o.height) / kWorld_m};
    const UnitBox& e = picture->extent_;
    if (!std::isfinite(e.left + e.top + e.right + e.bottom) || !(e.width() > 0) || !(e.height() > 0))
        return fail("{}: its position is damaged", path);
    return std::shared_ptr<const ImagerySource>(picture);
}

Result<std::vector<std::uint8_t>> ImagerySource::read(const UnitBox& box, int width, int height) const {
    if (width < 1 || height < 1 || width > 16384 || height > 16384 || !(box.width() > 0) || !(box.height() > 0))
        return fail("{}: no such part of the picture", path_);
    std::vector<std::uint8_t> rgba(static_cast<std::size_t>(width) * static_cast<std::size_t>(height) * 4, 0);
    if (!box.meets(extent_)) return rgba;
    const Open& o = *open_;
    // The part of the pixels asked for that lies on the picture, and the window of the picture under it.
    const double px = width / box.width(), py = height / box.height();
    const auto column = [&](double x) {
        return std::clamp(static_cast<int>(std::lround((x - box.left) * px)), 0, width);
    };
    const auto row = [&](double y) { return std::clamp(static_cast<int>(std::lround((y - box.top) * py)), 0, height); };
    const int x0 = column(extent_.left), x1 = column(extent_.right), y0 = row(extent_.top), y1 = row(extent_.bottom);
    if (x1 <= x0 || y1 <= y0) return rgba;
    const double kx = o.width / extent_.width(), ky = o.height / extent_.height();
    const double wx0 = std::clamp((box.left + x0 / px - extent_.left) * kx, 0.0, o.width - 0.01);
    const double wy0 = std::clamp((box.top + y0 / py - extent_.top) * ky, 0.0, o.height - 0.01);
    const double wx1 = std::clamp((box.left + x1 / px - extent_.left) * kx, wx0 + 0.01, 1.0 * o.width);
    const double wy1 = std::clamp((box.top + y1 / py - extent_.top) * ky, wy0 + 0.01, 1.0 * o.height);
    GDALRasterIOExtraArg how;
    INIT_RASTERIO_EXTRA_ARG(how);
    how.eResampleAlg = wx1 - wx0 > 2.0 * (x1 - x0) ? GRIORA_Average : GRIORA_Bilinear;
    how.bFloatingPointWindowValidity = TRUE;
    how.dfXOff = wx0;
    how.dfYOff = wy0;
    how.dfXSize = wx1 - wx0;
    how.dfYSize = wy1 - wy0;
    const int ix0 = static_cast<int>(wx0), iy0 = static_cast<int>(wy0);
    const int iw = std::clamp(static_cast<int>(std::ceil(wx1)) - ix0, 1, o.width - ix0);
    const int ih = std::clamp(static_cast<int>(std::ceil(wy1)) - iy0, 1, o.height - iy0);
    const int colour_bands = o.bands >= 4 ? 3 : 1;
    const std::lock_guard lock(mutex_);
    CPLPushErrorHandler(CPLQuietErrorHandler);
    CPLErr done = CE_None;
    for (int channel = 0; channel < 4 && done == CE_None; ++channel) {
        const int band = channel == 3 ? o.bands : std::min(channel + 1, colour_bands);
        std::uint8_t* to =
            rgba.data() +
            (static_cast<std::size_t>(y0) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x0)) * 4 +
            channel;
        done = GDALRasterIOEx(GDALGetRasterBand(o.warped.get(), band), GF_Read, ix0, iy0, iw, ih, to, x1 - x0, y1 - y0,
                              GDT_Byte, 4, static_cast<GSpacing>(4) * width, &how);
    }
    CPLPopErrorHandler();
    if (done != CE_None) return fail("{}: the picture cannot be read: {}", path_, lastGdalError());
    return rgba;
}

Result<std::string> encodePng(const std::vector<std::uint8_t>& rgba, int width, int height) {
    if (width < 1 || height < 1 ||
        rgba.size() != static_cast<std::size_t>(width) * static_cast<std::size_t>(height) * 4)
        return fail("no picture to encode");
    registerDrivers();
    GDALDriverH memory = GDALGetDriverByName("MEM"), png = GDALGetDriverByName("PNG");
    if (memory == nullptr || png == nullptr) return fail("PNG pictures cannot be written here");
    GdalDataset picture(GDALCreate(memory, "", width, height, 4, GDT_Byte, nullptr));
    std::string bytes;
    if (!picture ||
        GDALDatasetRasterIO(picture.get(), GF_Write, 0, 0, width, height, const_cast<std::uint8_t*>(rgba.data()), width,
                            height, GDT_Byte, 4, nullptr, 4, 4 * width, 1) != CE_None)
        return fail("the picture cannot be encoded: {}", lastGdalError());
    static std::atomic<unsigned> number{0};
    const std::string file = fmt::format("/vsimem/anhinga-{}.png", ++number);
    CPLPushErrorHandler(CPLQuietErrorHandler);
    const char* quick[] = {"ZLEVEL=1", nullptr};
    GdalDataset written(
        GDALCreateCopy(png, file.c_str(), picture.get(), FALSE, const_cast<char**>(quick), nullptr, nullptr));
    written.reset();  // closes the file
    CPLPopErrorHandler();
    vsi_l_offset size = 0;
    GByte* content = VSIGetMemFileBuffer(file.c_str(), &size, TRUE);
    if (content == nullptr) return fail("the picture cannot be encoded: {}", lastGdalError());
    bytes.assign(reinterpret_cast<const char*>(content), size);
    VSIFree(content);
    return bytes;
}

}  // namespace anhinga

#include "core/tiles/TileGrid.h"

#include "core/base/Text.h"

namespace anhinga {

bool isValid(const GeoBox& b) {
    return isValid(GeoPoint{b.south, b.west}) && isValid(GeoPoint{b.north, b.east}) && b.south < b.north &&
           b.west != b.east;
}

UnitBox tileBox(TileId t) {
    const double side = std::ldexp(1.0, -t.z);
    return {t.x * side, t.y * side, (t.x + 1) * side, (t.y + 1) * side};
}

TileId tileAt(GeoPoint place, int zoom) {
    const UnitPoint m = toUnitSquare(place);
    const int n = 1 << zoom;
    const int x = static_cast<int>(std::floor(m.x * n));
    return {zoom, ((x % n) + n) % n, std::clamp(static_cast<int>(std::floor(m.y * n)), 0, n - 1)};
}

int zoomFor(double scale_px) {
    return std::clamp(static_cast<int>(std::lround(std::log2(std::max(1.0, scale_px / kTileSide_px)))), 0, kZoomMax);
}

TileWalk::TileWalk(const GeoBox& box, int zoom_from, int zoom_to)
    : box_(box), z_(std::clamp(zoom_from, 0, kZoomMax)), zoom_to_(std::clamp(zoom_to, 0, kZoomMax)) {
    if (!isValid(box_)) z_ = zoom_to_ + 1;  // nothing
    if (z_ <= zoom_to_) range_ = at(z_);
}

TileWalk::Range TileWalk::at(int zoom) const {
    const int n = 1 << zoom;
    const TileId a = tileAt({box_.north, box_.west}, zoom), b = tileAt({box_.south, box_.east}, zoom);
    int columns = b.x - a.x + 1;
    if (box_.west > box_.east && b.x - a.x + n + 1 <= n) columns = b.x - a.x + n + 1;
    if (columns <= 0 || columns > n) columns = n;
    return {a.x, columns, a.y, b.y - a.y + 1};
}

std::optional<TileId> TileWalk::next() {
    while (z_ <= zoom_to_) {
        const auto columns = static_cast<std::uint64_t>(range_.columns);
        if (k_ < columns * static_cast<std::uint64_t>(range_.rows)) {
            const int n = 1 << z_;
            const TileId t{z_, (range_.x0 + static_cast<int>(k_ % columns)) % n,
                           range_.y0 + static_cast<int>(k_ / columns)};
            ++k_;
            return t;
        }
        k_ = 0;
        if (++z_ <= zoom_to_) range_ = at(z_);
    }
    return std::nullopt;
}

std::uint64_t TileWalk::count() const {
    std::uint64_t sum = 0;
    for (int z = z_; z <= zoom_to_; ++z) {
        const Range r = at(z);
        sum += static_cast<std::uint64_t>(r.columns) * static_cast<std::uint64_t>(r.rows);
    }
    return sum;
}

Result<void> checkTilePattern(const std::string& pattern) {
    if (pattern.rfind("http://", 0) != 0 && pattern.rfind("https://", 0) != 0)
        return fail("the address of a tile server begins with http:// or https://");
    for (const char* part : {"{z}", "{x}"})
        if (pattern.find(part) == std::string::npos) return fail("the address needs {} where the number goes", part);
    if (pattern.find("{y}") == std::string::npos && pattern.find("{-y}") == std::string::npos)
        return fail("the address needs {{y}} (rows from the north) or {{-y}} (from the south) where the number goes");
    for (const char c : pattern)
        if (static_cast<unsigned char>(c) <= ' ') return fail("the address has a blank in it");
    return {};
}

std::string tileAddress(const std::string& pattern, TileId tile) {
    std::string address = pattern;
    const std::pair<const char*, int> parts[] = {
        {"{z}", tile.z}, {"{x}", tile.x}, {"{y}", tile.y}, {"{-y}", (1 << tile.z) - 1 - tile.y}};
    for (const auto& [part, value] : parts)
        for (std::size_t at; (at = address.find(part)) != std::string::npos;)
            address.replace(at, std::string_view(part).size(), std::to_string(value));
    return address;
}

}  // namespace anhinga

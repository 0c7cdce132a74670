#include "core/geo/MagneticField.h"

#include <algorithm>
#include <array>

namespace anhinga {

namespace {

constexpr int kDegree = 12;
constexpr double kEpoch = 2025.0, kValid_years = 5.0;
constexpr double kReference_m = 6371200.0;  // the model's reference radius
constexpr double kA_m = 6378137.0, kF = 1 / 298.257223563;
constexpr double kDeg = M_PI / 180;

struct Coefficient {
    int n, m;
    double g, h, g_rate, h_rate;
};
constexpr Coefficient kModel[] = {
#include "core/geo/WmmCoefficients.inc"
};
static_assert(sizeof(kModel) / sizeof(kModel[0]) == kDegree * (kDegree + 3) / 2, "one row for each degree and order");

using Triangle = std::array<std::array<double, kDegree + 1>, kDegree + 1>;

/// Schmidt semi-normalised associated Legendre functions of sin(latitude) and their derivatives by latitude.
void legendre(double sine, double cosine, Triangle& p, Triangle& dp) {
    p[0][0] = 1;
    dp[0][0] = 0;
    for (int n = 1; n <= kDegree; ++n)
        for (int m = 0; m <= n; ++m) {
            if (n == m) {
                const double k = n == 1 ? 1 : std::sqrt(1 - 1.0 / (2 * n));
                p[n][m] = k * cosine * p[n - 1][m - 1];
                dp[n][m] = k * (cosine * dp[n - 1][m - 1] - sine * p[n - 1][m - 1]);
            } else {
                const double a = (2 * n - 1) / std::sqrt(static_cast<double>(n * n - m * m));
                const double b =
                    n - 2 < m ? 0 : std::sqrt(static_cast<double>((n - 1) * (n - 1) - m * m) / (n * n - m * m));
                p[n][m] = a * sine * p[n - 1][m] - (n - 2 < m ? 0 : b * p[n - 2][m]);
                dp[n][m] = a * (sine * dp[n - 1][m] + cosine * p[n - 1][m]) - (n - 2 < m ? 0 : b * dp[n - 2][m]);
            }
        }
}

}  // namespace

bool isMagneticModelValid(double year) {
    return year >= kEpoch && year <= kEpoch + kValid_years;
}

MagneticField magneticField(GeoPoint place, double height_m, double year) {
    // Geodetic to geocentric.
    const double lat = place.lat_deg * kDeg, lon = place.lon_deg * kDeg;
    const double e2 = kF * (2 - kF), normal = kA_m / std::sqrt(1 - e2 * std::sin(lat) * std::sin(lat));
    const double across = (normal + height_m) * std::cos(lat), up = (normal * (1 - e2) + height_m) * std::sin(lat);
    const double r = std::hypot(across, up);
    const double sine = up / r;
    // At the poles "east" has no meaning of its own; the limit along the meridian of `place` is taken.
    const double cosine = std::max(across / r, 1e-10);

    Triangle p{}, dp{};
    legendre(sine, cosine, p, dp);
    const double years = year - kEpoch;
    double north = 0, east = 0, down = 0;
    for (const Coefficient& c : kModel) {
        const double g = c.g + years * c.g_rate, h = c.h + years * c.h_rate;
        const double k = std::pow(kReference_m / r, c.n + 2);
        const double cm = std::cos(c.m * lon), sm = std::sin(c.m * lon);
        north -= k * (g * cm + h * sm) * dp[static_cast<std::size_t>(c.n)][static_cast<std::size_t>(c.m)];
        east += k * c.m * (g * sm - h * cm) * p[static_cast<std::size_t>(c.n)][static_cast<std::size_t>(c.m)] / cosine;
        down -= k * (c.n + 1) * (g * cm + h * sm) * p[static_cast<std::size_t>(c.n)][static_cast<std::size_t>(c.m)];
    }
    // Geocentric to geodetic.
    const double turn = std::asin(std::clamp(sine, -1.0, 1.0)) - lat;
    MagneticField f;
    f.north_nt = north * std::cos(turn) - down * std::sin(turn);
    f.down_nt = north * std::sin(turn) + down * std::cos(turn);
    f.east_nt = east;
    const double level = std::hypot(f.north_nt, f.east_nt);
    f.field_nt = std::hypot(level, f.down_nt);
    f.declination_deg = std::atan2(f.east_nt, f.north_nt) / kDeg;
    f.inclination_deg = std::atan2(f.down_nt, level) / kDeg;
    return f;
}

}  // namespace anhinga

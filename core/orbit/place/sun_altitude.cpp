#include "core/orbit/place/sun_altitude.h"

#include "core/orbit/place/site_place.h"

#include <cmath>

namespace pathmark::orbit {
namespace {

constexpr double kJ2000 = 2451545.0;

} // namespace

Angle sunAltitude(const frame::Site& site, const Utc& time) {
    const double n = time.julian() - kJ2000;
    const double anomaly = Angle::degrees(std::fmod(357.528 + 0.9856003 * n, 360.0)).radians();
    const double longitude =
        Angle::degrees(std::fmod(280.460 + 0.9856474 * n, 360.0) + 1.915 * std::sin(anomaly) +
                       0.020 * std::sin(2.0 * anomaly))
            .radians();
    const double tilt = Angle::degrees(23.439 - 4e-7 * n).radians();
    const double ra = std::atan2(std::cos(tilt) * std::sin(longitude), std::cos(longitude));
    const double sinDec = std::sin(tilt) * std::sin(longitude);
    const double sidereal =
        Angle::degrees(std::fmod(280.46062 + 360.98564737 * n, 360.0)).radians();
    const double hour = sidereal + site.longitude.radians() - ra;
    const double latitude = geodetic(site).latitude.radians();
    return Angle::radians(
        std::asin(std::sin(latitude) * sinDec +
                  std::cos(latitude) * std::sqrt(1.0 - sinDec * sinDec) * std::cos(hour)));
}

} // namespace pathmark::orbit

#include "core/orbit/place/star_parallax.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::orbit {
namespace {

constexpr double kLeastAcrossAu = 0.1;
constexpr double kDaysPerYear = 365.25; // of proper motions

} // namespace

Result<StarParallax>
starParallax(const StarSight& first, const StarSight& second, const ProperMotion& motion) {
    const double years = second.time.secondsSince(first.time) / (kSecondsPerDay * kDaysPerYear);
    const PlanePos seen = toTangentPlane(first.sky, second.sky);
    const double masPerRadian = 1e3 / kRadiansPerArcsec;
    const double xi = seen.xi * masPerRadian - motion.ra * years;
    const double eta = seen.eta * masPerRadian - motion.dec * years;
    // A star at distance d (in units of 1 au / parallax) moves by -parallax times what the Earth goes across.
    const double a = first.sky.longitude.radians();
    const double d = first.sky.latitude.radians();
    const Vec3 east{-std::sin(a), std::cos(a), 0.0};
    const Vec3 north{-std::sin(d) * std::cos(a), -std::sin(d) * std::sin(a), std::cos(d)};
    const Vec3 gone = second.observer - first.observer;
    const double px = -dot(gone, east);
    const double py = -dot(gone, north);
    StarParallax result;
    result.shiftMas = std::hypot(xi, eta);
    result.baselineAu = norm(gone);
    result.baselineAcrossAu = std::hypot(px, py);
    if (result.baselineAcrossAu < kLeastAcrossAu) {
        return fail(ErrorId::OrbitNotDetermined,
                    fmt::format("Between both dates the Earth went {:.3f} au across the line of "
                                "sight: too little to tell a star's parallax. Take dates some half "
                                "a year apart.",
                                result.baselineAcrossAu));
    }
    const double across = result.baselineAcrossAu;
    result.parallaxMas = (xi * px + eta * py) / (across * across);
    result.acrossMas = (eta * px - xi * py) / across;
    result.acrossErrorMas = 1e3 * std::hypot(first.errorArcsec, second.errorArcsec);
    result.errorMas = result.acrossErrorMas / across;
    return result;
}

} // namespace pathmark::orbit

#include "core/orbit/place/two_sites.h"

#include <cmath>

namespace pathmark::orbit {

Result<Parallax> parallaxOf(const SightLine& a, const SightLine& b) {
    const Vec3 u = a.sky.vector();
    const Vec3 v = b.sky.vector();
    const Vec3 baseline = b.geocentric - a.geocentric;
    Parallax parallax;
    parallax.shiftArcsec = separation(a.sky, b.sky).arcsec();
    parallax.baselineAu = norm(baseline);
    const Vec3 across = baseline - dot(baseline, u) * u;
    parallax.baselinePerpendicularAu = norm(across);
    const Vec3 normal = cross(u, v);
    const double squared = dot(normal, normal);
    if (!(squared > 0.0) || !(parallax.baselinePerpendicularAu > 0.0)) {
        return fail(ErrorId::OrbitNotDetermined,
                    "Both sites see the body in one direction: there is no shift to go by.");
    }
    // a + s u and b + t v are nearest to each other there.
    const double s = dot(cross(baseline, v), normal) / squared;
    const double t = dot(cross(baseline, u), normal) / squared;
    if (!(s > 0.0) || !(t > 0.0)) {
        return fail(
            ErrorId::OrbitNotDetermined,
            "The lines of sight do not meet in front of the observers: the sites, the times "
            "or the body in one of the frames are not what they are taken for.");
    }
    const Vec3 place = 0.5 * (a.geocentric + s * u + b.geocentric + t * v);
    parallax.distanceAu = norm(place);
    const Vec3 shift = v - dot(v, u) * u;
    parallax.alongShare =
        std::abs(dot(shift, across)) / (norm(shift) * parallax.baselinePerpendicularAu);
    return parallax;
}

} // namespace pathmark::orbit

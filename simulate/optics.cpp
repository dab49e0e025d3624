#include "simulate/optics.h"

#include <cmath>

namespace pathmark::simulate {

Vec3 unitVector(double raDegrees, double decDegrees) {
    const double ra = raDegrees * kRadiansPerDegree;
    const double dec = decDegrees * kRadiansPerDegree;
    return {std::cos(dec) * std::cos(ra), std::cos(dec) * std::sin(ra), std::sin(dec)};
}

RaDec toRaDec(const Vec3& v) {
    const double ra = std::atan2(v[1], v[0]) / kRadiansPerDegree;
    return {ra < 0.0 ? ra + 360.0 : ra,
            std::atan2(v[2], std::sqrt(v[0] * v[0] + v[1] * v[1])) / kRadiansPerDegree};
}

SkyAxes axesAt(const Vec3& direction) {
    const Vec3 raw = cross(Vec3{0.0, 0.0, 1.0}, direction);
    const Vec3 east = (1.0 / norm(raw)) * raw;
    return {east, cross(direction, east)};
}

std::optional<Optics::Pixel> Optics::place(const Vec3& direction) const {
    const double depth = dot(direction, axis);
    if (depth <= 0.1) {
        return std::nullopt;
    }
    const auto [east, north] = axesAt(axis);
    const double scale = 206264.80624709636 / arcsecPerPixel;
    const double toEast = scale * dot(direction, east) / depth;
    const double toNorth = scale * dot(direction, north) / depth;
    const double angle = rotationDegrees * kRadiansPerDegree;
    // +y points to `angle` from north over east; +x is 90 degrees on, to the west unless mirrored.
    const double y = toNorth * std::cos(angle) + toEast * std::sin(angle);
    const double west = toNorth * std::sin(angle) - toEast * std::cos(angle);
    const double x = mirrored ? -west : west;
    const double stretch = 1.0 + cubic * (x * x + y * y);
    return Pixel{middleX + x * stretch, middleY + y * stretch};
}

} // namespace pathmark::simulate

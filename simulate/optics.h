#pragma once

#include "core/base/angle.h"

#include <optional>

namespace pathmark::simulate {

/// A direction as a unit vector, ICRS axes.
Vec3 unitVector(double raDegrees, double decDegrees);

struct RaDec {
    double raDegrees = 0.0;
    double decDegrees = 0.0;
};

RaDec toRaDec(const Vec3& v);

/// The directions of east and of north on the sky at a place, unit vectors.
struct SkyAxes {
    Vec3 east{};
    Vec3 north{};
};

SkyAxes axesAt(const Vec3& direction);

/// Where light falls on the detector: written here for the made-up sky alone, with vectors and a radial cubic
/// distortion, so that an error in the program's own projection cannot hide in its test data.
///
/// Model    Tangent plane coordinates by dot products with the east and north vectors of the axis; turned, mirrored,
///          scaled; then r' = r (1 + k r^2) about the middle of the frame.
struct Optics {
    Vec3 axis{};
    double arcsecPerPixel = 1.0;
    double rotationDegrees = 0.0; ///< position angle of +y
    bool mirrored = false;
    double middleX = 0.0; ///< pixels from 0
    double middleY = 0.0;
    double cubic = 0.0; ///< per pixel^2

    struct Pixel {
        double x = 0.0;
        double y = 0.0;
    };

    /// nullopt behind the plane.
    [[nodiscard]] std::optional<Pixel> place(const Vec3& direction) const;
};

} // namespace pathmark::simulate

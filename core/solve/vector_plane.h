#pragma once

#include "core/base/angle.h"
#include "core/solve/quad.h"

namespace pathmark::solve {

/// The tangent plane about a direction, for unit vectors: without a sine or cosine, as searches need it. About the poles
/// its axes are arbitrary.
struct VectorPlane {
    Vec3 middle;
    Vec3 east;
    Vec3 north;

    explicit VectorPlane(const Vec3& m) : middle(m), east(cross({0.0, 0.0, 1.0}, m)), north() {
        const double length = norm(east);
        east = length > 1e-9 ? (1.0 / length) * east : Vec3{1.0, 0.0, 0.0};
        north = cross(middle, east);
    }

    /// Only for directions before the plane: dot(v, middle) > 0.
    [[nodiscard]] Place project(const Vec3& v) const {
        const double depth = dot(v, middle);
        return {dot(v, east) / depth, dot(v, north) / depth};
    }

    [[nodiscard]] Vec3 direction(Place p) const {
        return middle + p.real() * east + p.imag() * north;
    }
};

} // namespace pathmark::solve

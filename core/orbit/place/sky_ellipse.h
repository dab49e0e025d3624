#pragma once

#include "core/base/angle.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::orbit {

/// One standard deviation of a place on the sky: half axes and the direction of the longer one.
struct SkyEllipse {
    Angle major;
    Angle minor;
    Angle positionAngle; ///< of the major axis, east of north, [0, 180) degrees

    /// From the covariance of xi (east) and eta (north), radians squared.
    static SkyEllipse fromCovariance(double xiXi, double xiEta, double etaEta) {
        const double middle = 0.5 * (xiXi + etaEta);
        const double half = std::hypot(0.5 * (xiXi - etaEta), xiEta);
        SkyEllipse e;
        e.major = Angle::radians(std::sqrt(std::max(0.0, middle + half)));
        e.minor = Angle::radians(std::sqrt(std::max(0.0, middle - half)));
        // Angle of the major axis from eta (north) towards xi (east).
        const double angle = 0.5 * std::atan2(2.0 * xiEta, etaEta - xiXi);
        e.positionAngle = Angle::radians(angle < 0.0 ? angle + std::numbers::pi : angle);
        return e;
    }
};

} // namespace pathmark::orbit

#pragma once

#include "core/catalog/band.h"
#include "core/measure/comet.h"
#include "core/night/night_sources.h"
#include "core/night/records.h"

#include <optional>
#include <vector>

namespace pathmark::night {

/// Where a comet is and how it lies, for what its light is turned into.
struct CometGeometry {
    double sunAu = 0.0;
    double earthAu = 0.0;
    Angle phase;
    Angle antiSolar; ///< position angle away from the Sun
    Angle behind;    ///< position angle back along its orbit

    [[nodiscard]] double kilometres(double arcsec) const;
};

/// The light of a comet within a circle, and between that and the next smaller one.
struct CometCircle {
    double radiusArcsec = 0.0;
    std::optional<double> magnitude;
    double magnitudeError = 0.0;
    std::optional<double> surface; ///< magnitudes a square arcsec, mean of the ring inside its rim
    std::optional<double> afrho;   ///< A(theta) f rho, centimetres
    std::optional<double> a0frho;  ///< the same as it were at phase zero
    double afrhoError = 0.0;
};

/// A comet on one light, circle by circle.
struct CometLook {
    measure::Measured nucleus;
    double slope = 0.0;
    double extentArcsec = 0.0;
    std::optional<Angle> tail; ///< position angle
    std::optional<CometGeometry> geometry;
    catalog::Band band = catalog::Band::G;
    double fwhmArcsec = 0.0; ///< of the stars
    std::vector<CometCircle> circles;
};

/// What is needed, copied out of a night.
struct CometWish {
    LightRecord light;
    BodyId body;
    SkyPos place; ///< where it was measured, or is predicted
};

/// Measures a comet within circles from the width of a star to the end of its coma.
///
/// Errors   those of MeasurableFile::open and measureComet
Result<CometLook> lookAtComet(const CometWish& wish, const NightSources& sources);

} // namespace pathmark::night

#pragma once

#include "core/base/result.h"
#include "core/measure/measure_body.h"

#include <array>
#include <vector>

namespace pathmark::measure {

/// A nucleus fitted in the light of its coma.
struct ComaFit {
    FittedPlace place;
    double slope = 1.0;
    std::array<double, 3> brightness{}; ///< of each colour; without colours all in the middle one
    std::array<double, 3> brightnessError{};
    double chiSquare = 0.0;
};

/// The steepest that is fitted: the light of a star reaches it.
constexpr double kMostSlope = 1.6;

/// Of a steady coma; most are near it.
constexpr double kUsualSlope = 1.0;

/// Stars that were taken off the light, as well as their flux is known.
struct StarsTakenOff {
    struct Star {
        frame::PixelPos pixel;
        double fluxError = 0.0; ///< electrons
    };

    detect::PointSpread spread;
    std::vector<Star> stars;
};

/// Fits the cusp of a coma near a pixel.
///
/// Shapes   `light`: electrons, the sky taken off; `picture` says noise, colours and the stars' shape.
///          `spread`: of the comet, its trail over the detector in it.
/// Model    See measureComet. `slope`: held; absent: fitted between 0.5 and 1.6. What the stars taken off may be wrong by goes
///          into the errors by linear propagation.
/// Errors   measure.fit_failed, measure.outside
Result<ComaFit> fitComa(const frame::Image& light,
                        const Picture& picture,
                        frame::PixelPos start,
                        const detect::PointSpread& spread,
                        const StarsTakenOff& off,
                        std::optional<double> slope = std::nullopt);

} // namespace pathmark::measure

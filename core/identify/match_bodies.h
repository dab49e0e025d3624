#pragma once

#include "core/identify/sky_source.h"
#include "core/orbit/place/ephemeris.h"

#include <span>
#include <vector>

namespace pathmark::identify {

/// Where a body is expected in a frame, and how surely.
struct ExpectedBody {
    SkyPos sky;
    /// Covariance along east and north, arcsec squared; see expectedFrom.
    double xiXi = 0.0;
    double xiEta = 0.0;
    double etaEta = 0.0;
};

/// A source that agrees with a prediction.
struct BodyMatch {
    std::size_t body = 0;
    std::size_t source = 0;
    double xiArcsec = 0.0; ///< observed minus computed, east on the sky
    double etaArcsec = 0.0;
    double chiSquare = 0.0; ///< of both, by the combined errors
    /// How many unrelated sources would be expected to agree as well: a wide ellipse in a rich field finds one anyway.
    double chance = 0.0;
};

/// The errors that a predicted place has: the orbit's own ellipse where it carries one, else the stated runoff along the
/// orbit, and never less than what an orbit without any statement is trusted to.
///
/// Model    Without a covariance: 0.5" along both axes; along the orbit as it is seen (Place::aheadOnOrbit) the runoff of the
///          longitude (arcsec a decade, the MPC's U parameter; 5" where none is stated) since the orbit's epoch besides.
/// Source   Runoff: Marsden, Sekanina & Yeomans 1978, AJ 83, 64 (definition kept by the MPC).
ExpectedBody expectedFrom(const orbit::Elements& elements, const orbit::Place& place);

/// Sources and predictions that belong together, each at most once, the likeliest first.
///
/// Model    A pair agrees where the difference is within 99.9 % of its combined errors; of several the least chi-square
///          counts.
/// Units    `squareArcsec` is the area of sky that the sources stand on.
/// Threads  Pure.
std::vector<BodyMatch> matchBodies(std::span<const ExpectedBody> bodies,
                                   std::span<const SkySource> sources,
                                   double squareArcsec);

} // namespace pathmark::identify

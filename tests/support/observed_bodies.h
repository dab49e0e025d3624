#pragma once

#include "core/orbit/determine/sighting.h"

#include <optional>
#include <random>
#include <string>
#include <vector>

namespace pathmark::test_support {

/// A made-up body with the places that somebody measured of it.
struct ObservedBody {
    std::string kind;         ///< "main belt", "near-Earth", "comet"
    orbit::StateVector state; ///< the truth, heliocentric at `epoch`
    Tdb epoch;
    double arcDays = 0.0;
    double noiseArcsec = 0.0;
    std::vector<orbit::Observation> observations;
};

/// What bodies are drawn from.
struct BodyDraw {
    double leastArcDays = 1.0 / 24.0;
    double mostArcDays = 1095.0;
    double leastNoiseArcsec = 0.1;
    double mostNoiseArcsec = 1.0;
};

/// Draws a body and observes it from one site on nights over the arc, three or four times a night, at more than 50
/// degrees from the Sun, with normal noise that is stated in the observations.
///
/// The places come from another integrator of another library (other_integrator.h) and their own light time, not
/// from the code that fits them.
ObservedBody drawBody(std::mt19937& random, const orbit::Planets& planets, const BodyDraw& draw);

/// The site of the observations, as a list of codes.
orbit::SiteCodes drawnSites();

} // namespace pathmark::test_support

#pragma once

#include "core/base/result.h"
#include "core/orbit/determine/sighting.h"

#include <span>
#include <vector>

namespace pathmark::orbit {

/// An orbit that passes near the sightings, to start a fit from.
struct StartOrbit {
    StateVector state; ///< heliocentric
    Tdb epoch;
    double meanSquare =
        0.0; ///< of the weighted residuals of the sightings it was judged by; 1 is perfect
};

/// Orbits through the sightings of a short arc, the best first; several where the places allow several.
///
/// Model    Two bodies. The body is put at two distances on the lines of sight of the first and the last sighting of
///          a sub-arc; the orbit through both places is judged by all the others. Distances are searched on a grid
///          (0.001 to 60 au, approach and recession up to escape speed) and refined by least squares: it
///          needs no first guess and does not fail where the three sightings lie nearly on a great circle.
/// Domain   Three sightings at least, in order of time; sub-arcs of up to 30, 8, 90 and 2.5 days are tried.
/// Errors   orbit.too_few_observations, orbit.not_determined
/// Cost     5 to 50 ms.
/// Source   Two distances as unknowns: Herget 1965, AJ 70, 1; systematic search: Farnocchia, Chesley & Micheli 2015,
///          Icarus 258, 18.
Result<std::vector<StartOrbit>> findStartOrbits(std::span<const Sighting> sightings);

} // namespace pathmark::orbit

#pragma once

#include "core/base/result.h"
#include "core/orbit/determine/sighting.h"

#include <span>
#include <vector>

namespace pathmark::orbit {

/// One orbit of the cloud that agrees with an arc too short for a single one.
struct RangingCell {
    double distanceAu = 0.0; ///< from the observer, at the middle sighting
    double auPerDay = 0.0;   ///< change of it
    double chiSquare = 0.0;
    StateVector state; ///< heliocentric, at the cloud's epoch
};

struct OrbitCloud {
    Tdb epoch; ///< of the states: emission differs from cell to cell, the states are carried here
    std::vector<RangingCell> cells; ///< those within the region, the best first
    double leastChiSquare = 0.0;    ///< of the normal points
    /// The best cell with its place and motion on the sky moved: four steps whose squares add up to what the places leave open at one
    /// distance and rate (a root of that covariance).
    std::vector<StateVector> aside;
};

struct RangingOptions {
    double nearestAu = 0.0005;
    double farthestAu = 60.0;
    int distances = 60;
    int rates = 41;
    /// Cells up to this much above the least chi-square are kept: 12.6 holds 95 % for six unknowns.
    double above = 12.6;
};

/// All orbits bound to the Sun that agree with a short arc.
///
/// Model    On a grid over distance and its change the place and motion on the sky are fitted by least squares to normal
///          points (normalPoints); two bodies. A second grid is laid over what the first one keeps.
/// Domain   Two sightings at least, arcs up to some days: beyond that the grid is coarser than the cloud.
/// Errors   orbit.too_few_observations, orbit.not_determined
/// Cost     0.1 to 0.5 s on two cores.
/// Source   Farnocchia, Chesley & Micheli 2015, Icarus 258, 18.
Result<OrbitCloud> rangeSystematically(std::span<const Sighting> sightings,
                                       const RangingOptions& options = {});

/// Where the cloud says the body is: one direction a cell, two bodies.
std::vector<SkyPos> directionsOf(const OrbitCloud& cloud, const Observer& observer);

/// Where OrbitCloud::aside says that the best cell's body is.
std::vector<SkyPos> directionsAside(const OrbitCloud& cloud, const Observer& observer);

} // namespace pathmark::orbit

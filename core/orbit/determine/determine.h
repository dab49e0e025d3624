#pragma once

#include "core/orbit/determine/correction.h"

namespace pathmark::orbit {

/// An orbit from scratch.
struct OrbitFit {
    CorrectedOrbit orbit;
    Elements elements; ///< with the covariance; the epoch is near the middle of the arc
    double arcDays = 0.0;
    /// Half the length of the 1 sigma ellipsoid along its weakest direction, as a share of the distance from the Sun:
    /// above 0.1 the ellipse is no longer the truth, a cloud is.
    double weakness = 0.0;
};

/// Finds and corrects an orbit of one body.
///
/// Model    Start orbits of sub-arcs; each is corrected on its window with two-body-like ease, then on ever longer arcs up
///          to all sightings with all that pulls; the best fit of all counts. Where even that is bad, orbits of the cloud of a short
///          stretch are starts too.
/// Errors   orbit.too_few_observations, orbit.not_determined, base.cancelled
/// Cost     0.1 to 1 s; up to 10 s where every start ends in a wrong valley.
Result<OrbitFit> determineOrbit(std::span<const Sighting> sightings,
                                const Planets& planets,
                                const std::string& name,
                                const CorrectionOptions& options = {});

/// The same from a known orbit: tonight's positions against a catalogue's.
Result<OrbitFit> improveOrbit(const Elements& known,
                              std::span<const Sighting> sightings,
                              const Planets& planets,
                              const CorrectionOptions& options = {},
                              const std::vector<bool>& use = {});

} // namespace pathmark::orbit

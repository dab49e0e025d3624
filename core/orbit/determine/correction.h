#pragma once

#include "core/base/result.h"
#include "core/orbit/determine/initial_orbit.h"
#include "core/orbit/motion/forces.h"

#include <span>
#include <stop_token>
#include <vector>

namespace pathmark::orbit {

/// What a differential correction may do.
struct CorrectionOptions {
    bool reject = true;      ///< leave out what does not fit
    bool outgassing = false; ///< fit A1 and A2 too
    int rounds = 80;
    double rejectChi = 9.2;  ///< squared, of two dimensions: 1 % of good ones
    double recoverChi = 7.4; ///< one that fits better than this again comes back
    std::stop_token stop{};  ///< asked before every round
};

/// O - C of one sighting.
struct Residual {
    double xiArcsec = 0.0; ///< observed minus computed, along right ascension on the sky
    double etaArcsec = 0.0;
    double chiSquare = 0.0; ///< of both, by the sighting's own error
    bool used = true;
};

/// An orbit by least squares.
struct CorrectedOrbit {
    StateVector state; ///< heliocentric at the epoch
    Tdb epoch;
    std::optional<Outgassing> outgassing;
    OrbitCovariance covariance;      ///< formal, not scaled by the fit
    std::vector<Residual> residuals; ///< one for each sighting
    double chiSquare = 0.0;          ///< of those used
    int used = 0;
    int unknowns = 6;

    [[nodiscard]] double reducedChiSquare() const {
        return chiSquare / std::max(1, 2 * used - unknowns);
    }

    /// Root mean square of the residuals used, arcsec.
    [[nodiscard]] double rmsArcsec() const;
};

/// Least squares over all sightings with all that pulls.
///
/// Model    Gauss-Newton with Marquardt's damping on position and velocity at the epoch; partials from the variational
///          equations; sightings are left out and taken back between rounds by their chi-square, the orbit's own
///          uncertainty taken off (Carpino et al.).
/// Shapes   `use`, where not empty, has one entry for each sighting: those that are false have no part, but
///          a residual.
/// Errors   orbit.not_determined  it does not converge; base.cancelled; and what the motion can fail with
/// Source   Milani & Gronchi 2010, Theory of Orbit Determination, ch. 5; rejection: Carpino, Milani & Chesley 2003,
///          Icarus 166, 248.
Result<CorrectedOrbit> correctOrbit(const StartOrbit& start,
                                    std::span<const Sighting> sightings,
                                    const Forces& forces,
                                    const CorrectionOptions& options = {},
                                    const std::vector<bool>& use = {});

/// Residuals of an orbit as it is.
Result<std::vector<Residual>> residualsOf(const StateVector& state,
                                          const Tdb& epoch,
                                          std::span<const Sighting> sightings,
                                          const Forces& forces);

} // namespace pathmark::orbit

#pragma once

#include "core/orbit/determine/sighting.h"

#include <optional>
#include <span>

namespace pathmark::orbit {

/// Orbits through two lines of sight at chosen distances, and how well they pass the other sightings.
class TwoPlaceOrbit {
  public:
    /// `sightings` must outlive it; the first and the last are the two places.
    explicit TwoPlaceOrbit(std::span<const Sighting> sightings);

    /// Heliocentric state at the first sighting's emission for distances from the observer there and at the last.
    ///
    /// Errors   nullopt where no orbit of less than half a turn joins the places
    /// Source   Lagrange's coefficients iterated to the transfer's own: Danby 1988, sec. 7.4.
    [[nodiscard]] std::optional<StateVector> through(double first, double last) const;

    /// Weighted squares of the residuals, all sightings, first and last too (they are zero but for rounding).
    [[nodiscard]] double chiSquare(const StateVector& state, double firstDistance) const;

    /// O - C over sigma, xi then eta of each sighting.
    void residuals(const StateVector& state, double firstDistance, std::vector<double>& out) const;

    /// Moment of emission of the first sighting at a distance.
    [[nodiscard]] Tdb emission(double firstDistance) const;

    [[nodiscard]] double arcDays() const { return arcDays_; }

  private:
    std::span<const Sighting> sightings_;
    std::vector<Vec3> lines_;     ///< unit vectors
    std::vector<Vec3> observers_; ///< heliocentric
    double arcDays_ = 0.0;
};

} // namespace pathmark::orbit

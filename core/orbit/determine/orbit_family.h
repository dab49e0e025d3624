#pragma once

#include "core/orbit/elements.h"

#include <Eigen/Core>

#include <array>

namespace pathmark::orbit {

/// The orbits that a covariance leaves open: one orbit, moved along the axes of its covariance.
///
/// Model    Places and velocities differ by a factor of 100: the axes are those of the matrix with ones on its diagonal.
class OrbitFamily {
  public:
    static constexpr std::size_t kAxes = 6;
    using Sigmas =
        std::array<double, kAxes>; ///< standard deviations along each axis, the least first

    /// Elements and the state that they are of.
    OrbitFamily(Elements elements,
                const Tdb& epoch,
                const StateVector& state,
                const OrbitCovariance& covariance);

    /// Domain   Elements with a covariance.
    explicit OrbitFamily(const Elements& elements);

    [[nodiscard]] Elements at(const Sigmas& sigmas) const;

  private:
    Elements elements_;
    Tdb epoch_;
    StateVector state_;
    Eigen::Matrix<double, 6, 6> steps_; ///< columns: one standard deviation along each axis
};

} // namespace pathmark::orbit

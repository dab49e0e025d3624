#pragma once

#include "core/detect/point_spread.h"

#include <vector>

namespace pathmark::measure {

/// What a coma of brightness rho^-slope about a nucleus leaves in a pixel: drawn through the point-spread function and the
/// motion's trail.
///
/// Model    The profile of a point, integrated over the pixel, convolved with rho^-slope on a grid of four nodes a pixel; the
///          cell of the nucleus, where rho^-slope has no bound, by its exact integral. Cubic between the nodes.
/// Domain   0 < slope < 2; |dx|, |dy| <= half
/// Units    One unit is the light per square pixel at a distance of one pixel, without the point-spread function.
/// Source   Jewitt & Meech 1987, ApJ 317, 992 (profiles of comae).
class ComaProfile {
  public:
    struct Sample {
        double value = 0.0;
        double slopeX = 0.0; ///< d value / d dx
        double slopeY = 0.0;
    };

    ComaProfile(const detect::PointSpread& spread, double slope, int half);

    /// In the pixel whose centre is (dx, dy) from the nucleus.
    [[nodiscard]] Sample at(double dx, double dy) const;

  private:
    int side_ = 0;       ///< nodes along an axis
    double first_ = 0.0; ///< of the first node, pixels
    std::vector<double> table_;
};

/// The mean of rho^-slope over a square of side 1 about the nucleus; that of side h is h^-slope times it.
double meanOverNucleus(double slope);

} // namespace pathmark::measure

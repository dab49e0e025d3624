#pragma once

#include "core/base/linear.h"
#include "core/detect/point_spread.h"

#include <span>

namespace pathmark::detect {

/// A pixel about a faint light, relative to the window's middle.
struct FaintPixel {
    double dx = 0.0;
    double dy = 0.0;
    double value = 0.0;
    double weight = 1.0; ///< one over its variance
    double colour = 1.0; ///< of a mosaic: the light that it sees over the mean
};

/// What else lies under a light, linear in its own parameters: the sky, neighbours.
struct UnderLight {
    Eigen::MatrixXd terms;   ///< a row for each pixel, a column for each parameter
    Eigen::VectorXd weights; ///< of what is known of each parameter; 0: nothing
    Eigen::VectorXd known;   ///< that value
};

/// Second moments, about a fitted place, of where a faint light may stand: the likelihood of every place within `reach`,
/// its flux and what is under it at their best there.
///
/// Why      The errors of a fit's normal equations are those of small steps. Below a signal to noise of ten, noise beside
///          the light is often nearly as high as the light itself, and the fit goes there: at 6 one place in fifty
///          is off by three such errors and one in a thousand by five.
/// Model    Every place alike likely before, no negative light; sums over a grid of `step` pixels.
/// Units    Pixels^2.
/// Source   Gregory 2005, Bayesian Logical Data Analysis, ch. 11 (marginal likelihood, linear parameters maximised).
Eigen::Matrix2d placeMoments(const PointSpread& spread,
                             std::span<const FaintPixel> pixels,
                             const UnderLight& under,
                             const Eigen::Vector2d& fitted,
                             double step,
                             double reach);

} // namespace pathmark::detect

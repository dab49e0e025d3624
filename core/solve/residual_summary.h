#pragma once

#include "core/solve/star_residuals.h"

#include <span>
#include <vector>

namespace pathmark::solve {

/// The mean residual of the stars in one part of the frame.
struct ResidualCell {
    frame::PixelPos middle;
    double dxPixels = 0.0;
    double dyPixels = 0.0;
    double sigmaPixels = 0.0; ///< of the mean, along an axis, from the scatter
    int stars = 0;
};

/// Median residuals of the used stars in `across` columns of square cells: single stars' errors fade, what the solution
/// misses stays. Cells with fewer than four stars are left out.
std::vector<ResidualCell>
residualCells(std::span<const StarResidual> stars, FrameSize size, int across);

/// A value that goes with another one.
struct TrendPoint {
    double at = 0.0;
    double value = 0.0;
};

/// A part of a trend: the medians of both.
struct TrendBin {
    double at = 0.0;
    double median = 0.0;
    int points = 0;
};

/// Running medians over parts with equally many points, in order of `at`; fewer than `bins` where points are few.
std::vector<TrendBin> trendOf(std::vector<TrendPoint> points, int bins);

} // namespace pathmark::solve

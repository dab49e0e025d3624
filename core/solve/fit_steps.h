#pragma once

#include "core/solve/solve_frame.h"

namespace pathmark::solve {

/// Indices of sources that look like stars, the brightest first.
std::vector<std::size_t> starlike(const detect::Detection& detection);

/// The error of a source's place against a star's that a fit reckons with, along an axis in pixels.
double pairError(const detect::Source& source, const catalog::Star& star, double scaleArcsec);

/// From a rough WCS to the full solution: all sources against all stars, the degree growing. A solution that is kept
/// is to be completed.
///
/// Errors   solve.no_match  too few stars agree
Result<Solution> fitInSteps(const detect::Detection& detection,
                            std::span<const std::size_t> sources,
                            std::span<const catalog::Star> field,
                            frame::Wcs wcs,
                            FrameSize size,
                            double radiusPixels);

/// Adds what a search has no need of: the light beside the matched stars, the solution that trusts those less that it may have moved,
/// and the polynomial of the way back.
void complete(Solution& solution,
              const detect::Detection& detection,
              std::span<const catalog::Star> field,
              FrameSize size);

} // namespace pathmark::solve

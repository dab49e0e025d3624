#pragma once

#include "core/night/lost_paths.h"

namespace pathmark::night {

/// Paths along the line of an orbit's error.
///
/// Model    The orbit moved along the direction of its covariance that moves it most on the sky over these frames, kLineSigmas to both
///          sides, with all that pulls; two more directions linearly. Without a covariance the body may be a tenth of a day early or late.
/// Source   Milani et al. 2005, A&A 431, 729 (line of variations).
/// Errors   orbit.*
Result<std::unique_ptr<LostPaths>> orbitPaths(const LostBody& body,
                                              std::span<const StackLight> lights,
                                              const std::vector<std::vector<std::size_t>>& fields);

} // namespace pathmark::night

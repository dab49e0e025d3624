#pragma once

#include "core/base/angle.h"
#include "core/orbit/elements.h"

#include <optional>

namespace pathmark::orbit {

/// V magnitude of the H-G or H-G1-G2 system, or a comet's total magnitude; nullopt where the orbit has none.
///
/// Source   H-G: Bowell et al. 1989, Asteroids II, p. 524; H-G1-G2: Muinonen et al. 2010, Icarus 209, 542 (its
///          table of the three basis functions).
std::optional<double>
magnitudeOf(const Brightness& brightness, double sunDistanceAu, double distanceAu, Angle phase);

} // namespace pathmark::orbit

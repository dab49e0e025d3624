#pragma once

#include "core/orbit/determine/sighting.h"

#include <span>
#include <vector>

namespace pathmark::orbit {

/// Sightings in a row put together: one place with the weighted mean of time, observer and sky.
///
/// Model    Groups of neighbours, none longer than ten minutes: over so short a time place and observer move evenly to
///          0.001", and the mean place belongs to the mean time. Weights 1 / (sigma_xi^2 + sigma_eta^2) for
///          all, so that none of the means runs ahead of the others.
/// Shapes   About `most` points, more where the times do not allow; the sightings themselves where they are no more.
/// Source   Normal places: Danby 1988, Fundamentals of Celestial Mechanics, 2nd ed., sec. 7.1.
std::vector<Sighting> normalPoints(std::span<const Sighting> sightings, std::size_t most);

} // namespace pathmark::orbit

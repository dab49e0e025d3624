#pragma once

#include "core/night/lost_paths.h"

namespace pathmark::night {

/// Paths of the orbits that agree with an arc too short for a single one.
///
/// Model    Every orbit of the cloud is a place in a space of its places at thirteen times, weighted by its likelihood. The first coordinate goes
///          along the principal axis of that, on a curve of the third degree through it, over 99 % of the likelihood; two more go along the
///          principal axes of what is left, linearly. What place and motion on the sky leave open at one distance
///          (OrbitCloud::aside) is added to all. Two bodies.
/// Errors   sweep.no_motion  over more than a day; orbit.*
Result<std::unique_ptr<LostPaths>> cloudPaths(const LostBody& body,
                                              std::span<const StackLight> lights);

} // namespace pathmark::night

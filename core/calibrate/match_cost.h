#pragma once

#include "core/calibrate/match.h"

namespace pathmark::calibrate {

/// What it costs to use `candidate` in a role for `user` (the lights, or the flats that it is taken from).
MasterCandidate costOf(Role role,
                       const FrameGroup& user,
                       std::span<const FrameGroup> groups,
                       std::size_t candidate);

/// "the same night", "3 days earlier", or "at an unknown time".
std::string nearnessOf(const FrameGroup& user, const FrameGroup& candidate);

/// Below this a mechanical shutter's shape shows in a flat, in seconds.
inline constexpr double kShortestFlatSeconds = 1.0;

} // namespace pathmark::calibrate

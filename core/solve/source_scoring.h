#pragma once

#include "core/solve/likelihood.h"
#include "core/solve/pair_up.h"

#include <array>
#include <span>

namespace pathmark::solve {

/// Tells a likelihood of sources in turn, each with the nearest star within reach that no other has taken.
///
/// Shapes   `sources` in pixels from the middle of the frame, brightest first; `stars` in the plane; `assumed` are places
///          of sources that the likelihood took for granted: they and their stars are passed over.
void scoreSources(PlaceLikelihood& likelihood,
                  std::span<const Place> sources,
                  std::span<const Place> stars,
                  std::span<const Place> assumed);

/// log10 of the bound on chance that sources lie on stars as they do, where the only question was by how much a known
/// picture of the stars is shifted.
///
/// Shapes   `stars` in pixels from the middle of the frame before the shift; `possible` shifts were told apart.
double chanceOfShift(std::span<const Place> sources,
                     std::span<const Place> stars,
                     Place offset,
                     FrameSize size,
                     double possible);

} // namespace pathmark::solve

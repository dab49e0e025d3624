#pragma once

#include "core/solve/quad.h"

#include <optional>
#include <span>

namespace pathmark::solve {

/// A shift that many pairs agree on.
struct CommonShift {
    Place offset;          ///< from sources to stars, pixels
    double possible = 0.0; ///< shifts that were told apart
};

/// The shift from sources to stars that most of the bright ones share, up to `most` pixels along each axis.
///
/// Model    Votes of all pairs in bins of 6 pixels; the middle of the pairs in the fullest bin and around it.
/// Shapes   Both lists brightest first.
/// Errors   nullopt: no five pairs agree
std::optional<CommonShift>
commonShift(std::span<const Place> sources, std::span<const Place> stars, double most);

} // namespace pathmark::solve

#pragma once

#include "core/base/angle.h"

#include <cstdint>

namespace pathmark::survey {

/// A place on one of the twelve faces of HEALPix: 0 to 1 along the sides that rise to the north-east and to the north-west.
struct FacePos {
    int face = 0;
    double x = 0.0;
    double y = 0.0;
};

/// Source   Gorski et al. 2005, ApJ 622, 759, sec. 5.
FacePos toFace(const SkyPos& sky);

/// The number of a cell in nested order: its face, then the bits of both coordinates in turn, x the lower.
std::int64_t nestedCell(int order, int face, std::int64_t x, std::int64_t y);

/// A place of the ICRS with galactic longitude and latitude in the place of right ascension and declination.
///
/// Source   Hipparcos and Tycho Catalogues (ESA SP-1200, 1997), vol. 1, sec. 1.5.3: its matrix A_G.
SkyPos galacticOf(const SkyPos& sky);

} // namespace pathmark::survey

#pragma once

#include "core/measure/picture.h"

namespace pathmark::measure {

/// A star that trails by more FWHM than this over a stack shines into a pixel for less than about half of the frames: it is clipped there.
constexpr double kClippedTrailFwhm = 1.3;

/// Finds a body near its predicted place and measures it with the stars' own point-spread function,
/// lengthened by its trail, together with the stars around it.
///
/// Model    The best peak of a matched filter within the search radius, the expected light of catalogue stars
///          taken off; then fitPoint with those stars' fluxes held to 5 %. Comets: place from
///          the same fit on their core, brightness in an aperture of 3 FWHM.
/// Errors   measure.not_seen    nothing above 3 sigma there
///          measure.outside     too near the edge
///          measure.fit_failed
Result<Measured> measureBody(const Picture& picture, const Target& target);

} // namespace pathmark::measure

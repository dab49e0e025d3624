#pragma once

#include "core/base/result.h"
#include "core/frame/image.h"

namespace pathmark::stack {

/// A picture that is compared with another of the same pixels.
struct ComparedPicture {
    const frame::Image& values; ///< linear in light; NaN: nothing there
    double fwhm = 3.0;          ///< of its stars, pixels
    double saturation =
        1e30; ///< in its own units, sky and all; from there on a pixel tells nothing
};

/// One picture less another.
struct MatchedDifference {
    frame::Image values;   ///< in the light of the first; NaN where nothing can be told
    double noise = 0.0;    ///< sigma of a pixel, as it scatters
    double mismatch = 0.0; ///< by what share of a star's light the one misses the other
};

/// What is left of a picture when another of the same place is taken off, the sharper of the two brought to the stars of the broader.
///
/// Model    Skies are taken off, the second is brought to the electrons of the first by stars of both, and the sharper is
///          laid through a MatchingKernel. There is no value where either is saturated; of bright stars there remains `mismatch`.
/// Shapes   Both of one size; the first in electrons.
/// Errors   solve.too_few_stars  there are too few stars in both for a kernel
Result<MatchedDifference> matchedDifference(const ComparedPicture& picture,
                                            const ComparedPicture& other);

} // namespace pathmark::stack

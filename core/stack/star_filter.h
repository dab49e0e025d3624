#pragma once

#include "core/detect/moffat.h"

#include <vector>

namespace pathmark::stack {

/// The light of a star in the pixels about it, as a matched filter takes it, and its square.
struct StarFilter {
    int half = 0;
    std::vector<float> light; ///< 2 half + 1 squared, row by row; the star's light is 1
    std::vector<float> square;

    /// Model    The profile averaged over each pixel, out to 1.7 FWHM.
    static StarFilter of(const detect::Moffat& star);
};

} // namespace pathmark::stack

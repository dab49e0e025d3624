#pragma once

#include "core/stack/matching_kernel.h"

#include <functional>
#include <vector>

namespace pathmark::stack {

/// What stars tell of the kernel between a picture and a model of it.
struct StampStars {
    double fwhm = 3.0;  ///< of the picture's stars, pixels
    double noise = 1.0; ///< in units of the model: stars are so many times brighter
    double most = 1e30; ///< of a peak, in units of the model
    std::function<bool(frame::PixelPos)> isWanted = {}; ///< empty: all are
};

/// Squares about bright stars from all over a picture, of fainter ones too where there are few.
///
/// Shapes   `model` reaches beyond the picture by marginOf the kernel on every side.
std::vector<MatchingKernel::Stamp> kernelStamps(const frame::Image& picture,
                                                const frame::Image& model,
                                                const MatchingKernel& kernel,
                                                const StampStars& stars);

} // namespace pathmark::stack

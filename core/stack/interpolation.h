#pragma once

#include "core/detect/moffat.h"

#include <optional>
#include <string_view>

namespace pathmark::stack {

/// How values between pixels are made.
enum class Kernel {
    Cubic,   ///< cubic convolution over 4 x 4 pixels
    Lanczos3 ///< a sinc under a window of the same form, 6 x 6 pixels
};

const char* name(Kernel kernel);
std::optional<Kernel> kernelNamed(std::string_view name);

/// Pixels that a kernel reaches to either side.
constexpr int reachOf(Kernel kernel) {
    return kernel == Kernel::Cubic ? 2 : 3;
}

/// The kernel along one axis, at a distance in pixels; 0 beyond its reach.
///
/// Source   Keys 1981, IEEE Trans. ASSP 29, 1153 (cubic convolution, a = -1/2); Duchon 1979, J. Appl. Meteorology 18, 1016
///          (Lanczos window).
double kernelAt(Kernel kernel, double distance);

/// What interpolation makes of the sigma of a pixel, the mean over all places between pixels: below 1, for neighbours then share
/// their noise, and sums over many pixels have the noise that they had.
double pixelNoiseFactor(Kernel kernel);

/// What interpolation leaves of the peak of a star, the mean over all places within a pixel: narrow stars lose most.
double peakFactor(Kernel kernel, const detect::Moffat& star);

} // namespace pathmark::stack

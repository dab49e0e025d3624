#pragma once

#include "core/frame/image.h"

#include <vector>

namespace pathmark::stack {

/// A light in a part of a frame.
struct LightNear {
    frame::PixelPos pixel;
    double snr = 0.0; ///< of its peak under a filter of the stars' width
};

/// The brightest lights within `radius` of a place: stars, comae, whatever has a peak.
///
/// Model    Peaks of the image smoothed by a Gaussian of the stars' width, above 5 sigma of what lies around; then the
///          mean place under a Gaussian weight that is carried along until it rests.
/// Shapes   `part`: the frame around the place, beyond `radius` by five widths where the frame goes on.
/// Returns  Up to `most`, the brightest first.
/// Source   Stone 1989, AJ 97, 1227 (centring).
std::vector<LightNear> lightsNear(
    const frame::Image& part, frame::PixelPos place, double radius, double fwhm, std::size_t most);

} // namespace pathmark::stack

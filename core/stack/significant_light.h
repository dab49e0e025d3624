#pragma once

#include "core/frame/image.h"

namespace pathmark::stack {

/// The stars of a picture as they were fitted, to where they are lost in its noise, and nothing else.
frame::Image fittedStars(const frame::Image& picture);

/// What a stack on the stars shows beside its noise: a model of the sky that adds little to what it is taken from.
///
/// Model    Stars are their fitted profiles. Of what is left a level of cells of 64 pixels is kept; of the rest, light and variance are
///          summed over squares of about the width of a star and of five of them: with f the larger of the two signal-to-noise ratios
///          a pixel keeps f^4 / (f^4 + 256) of its value: next to nothing of its noise, all of what stands out by 10, and of what
///          lies between never more than 2.3 of its noise is lost. What is less than noise becomes nought.
/// Shapes   `variance` as the picture, as if its pixels were independent; NaN stays NaN. `fwhmPixels` of its stars.
/// Cost     One detection, and a few passes over the pixels.
frame::Image
significantLight(const frame::Image& picture, const frame::Image& variance, double fwhmPixels);

} // namespace pathmark::stack

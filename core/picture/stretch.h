#pragma once

#include "core/picture/colour_picture.h"

#include <optional>
#include <string>
#include <string_view>

namespace pathmark::picture {

/// How light becomes brightness on a screen.
struct Stretch {
    enum class Curve { Linear, Asinh };

    Curve curve = Curve::Asinh;
    double black = 0.0;    ///< in the units of the picture
    double white = 1.0;    ///< likewise
    double softness = 1.0; ///< light above black from which asinh goes on as a logarithm, likewise
    double saturation = 1.0; ///< what colours are multiplied by about the grey; 0: none are left
};

/// What is asked for of a stretch; what is absent is found from the picture.
struct StretchWish {
    Stretch::Curve curve = Stretch::Curve::Asinh;
    std::optional<double> black;
    std::optional<double> white;
    std::optional<double> softness;
};

/// "auto", "linear" or "asinh:SOFTNESS".
std::optional<StretchWish> stretchNamed(std::string_view words);

/// A stretch of a picture as wished.
///
/// Model    Black is 1.5 sigma below the sky, the logarithm begins 3 sigma above black, white is what one pixel in 4000 exceeds, but at
///          least 40 sigma above the sky.
Stretch stretchFor(const ColourPicture& picture, const StretchWish& wish);

/// The curve alone: brightness of light without a colour, 0 at black and 1 at white.
double brightnessOf(const Stretch& stretch, double light);

/// Brightness from 0 to 1, for a screen as it is.
///
/// Model    The intensity goes through the curve and its pixel's planes with it, so that colours stay; what becomes brighter than
///          white in a plane is drawn towards white as far as it must. Below black colours fade with the light: noise has none.
/// Source   Lupton et al. 2004, PASP 116, 133 (asinh, colours kept).
ColourPicture stretched(const ColourPicture& picture, const Stretch& stretch);

} // namespace pathmark::picture

#pragma once

#include "core/measure/picture.h"

#include <optional>
#include <span>

namespace pathmark::measure {

/// The light of a point at a place that is given.
struct FixedLight {
    double flux = 0.0; ///< electrons; may be negative
    double fluxError = 0.0;
    double chiSquare = 0.0; ///< per degree of freedom
};

/// Fits the light of a body at the very place where it is said to be, with a constant under it; nothing is looked for.
///
/// Model    The stars' profile drawn out by the body's motion; catalogue stars taken off with the flux expected of them, or
///          fitted along where it is not known. Bright ones near by are fitted along too, their flux and place held to what is known of
///          them. Linear least squares, variance = noise^2 + light.
/// Errors   measure.outside  most of its window is off the picture or without values
Result<FixedLight> lightAt(const Picture& picture, const Target& target, frame::PixelPos place);

/// What the body and the stars of a picture look like: made once for many places.
struct PointForms {
    const detect::PointSpread& body;
    const detect::PointSpread& star;
};

/// The same with forms that are at hand.
Result<FixedLight> lightAt(const Picture& picture,
                           const PointForms& forms,
                           frame::PixelPos place,
                           std::span<const StarNearby> neighbours);

/// The magnitude of the faintest light that would be seen about a place, see leastSeen; its trail and the stars about it count. Nothing
/// without a zero point, or where lightAt fails.
std::optional<double> limitAt(const Picture& picture, const Target& target, frame::PixelPos place);

} // namespace pathmark::measure

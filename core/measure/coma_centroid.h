#pragma once

#include "core/base/result.h"
#include "core/detect/point_spread.h"
#include "core/frame/image.h"
#include "core/measure/picture.h"

#include <optional>
#include <string_view>

namespace pathmark::measure {

/// What of a comet's light its place is.
enum class ComaCentroid {
    Cusp,     ///< where the fitted coma has its cusp: the nucleus
    Peak,     ///< the brightest point of the light as a star's filter sees it
    Symmetry, ///< the point about which the inner coma is most like itself turned by half a turn
    Isophote, ///< the centre of the light that stands above the contour of a quarter of the peak
};

/// "coma", "peak", "symmetry", "isophote".
const char* name(ComaCentroid which);
std::optional<ComaCentroid> comaCentroidNamed(std::string_view name);

/// A comet's light about its nucleus.
struct ComaLight {
    const frame::Image& light;         ///< electrons, the sky taken off, of one colour
    const detect::PointSpread& spread; ///< of the comet, its trail over the detector in it
    double noise = 1.0;                ///< electrons per pixel
    double lightVariance = 1.0;        ///< as Picture::lightVariance
};

/// The place of a comet by its light alone, without a model of the coma.
///
/// Model    All three look at the light within `radius` of `start`, and move with it until they stand. Peak: highest point of the light
///          filtered with the point-spread function, by the paraboloid through nine pixels. Symmetry: least squares of the
///          differences of opposite pixels; the slopes of the filtered light stand for those of the coma (an instrument that the
///          pixels' own noise does not bend). Isophote: first moment of what stands above the contour, over the pixels whose filtered light does.
/// Errors   measure.fit_failed  it runs away, or nothing stands out
/// Threads  Pure.
/// Source   Peak: least squares of a parabola. Errors: linear propagation of the pixels' noise.
Result<FittedPlace>
comaCentroid(ComaCentroid which, const ComaLight& coma, frame::PixelPos start, double radius);

} // namespace pathmark::measure

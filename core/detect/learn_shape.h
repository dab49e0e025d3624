#pragma once

#include "core/base/result.h"
#include "core/detect/background.h"
#include "core/detect/matched_filter.h"
#include "core/detect/point_spread_field.h"
#include "core/frame/image.h"

#include <optional>
#include <span>

namespace pathmark::detect {

struct ShapeOptions {
    std::optional<double> saturation; ///< electrons
    double firstFwhm = 3.0;           ///< pixels, of the filter that found the peaks
};

/// The frame's star shape from its own stars.
///
/// Model    One Moffat profile for all chosen stars, each with its place, flux and sky: Gauss-Newton on all pixels, stars
///          that do not fit left out. Each star then says how far its own size and shears are off; polynomials of
///          the place of degree 1 or 2 follow these where they predict left-out stars better than a constant.
///          An elongated profile gives way to a round one with a short trail where that fits clearly better.
///          Where no star stands alone but the stars' light is drawn out alike, the profile is smeared along a common trail.
/// Shapes   `peaks` brightest first.
/// Errors   detect.no_sources  fewer than three stars to learn from
Result<FieldShape> learnShape(const frame::Image& image,
                              const Background& sky,
                              std::span<const Peak> peaks,
                              const ShapeOptions& options);

} // namespace pathmark::detect

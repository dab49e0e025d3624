#pragma once

#include "core/detect/background.h"
#include "core/detect/detect.h"
#include "core/detect/point_spread_field.h"
#include "core/frame/image.h"

#include <optional>
#include <vector>

namespace pathmark::detect {

/// By how much the noise of a matched filter exceeds what the pixels' own noise makes of it: what is left of dust, of a
/// flat that does not fit, or of interpolation is correlated from pixel to pixel, and no star.
class FilterExcess {
  public:
    FilterExcess() = default;

    /// Model    In cells of 64 pixels: from the middle to the 2.3 % lowest values of the filtered frame, where no star adds to
    ///          it, over the two sigma that it should be; the median of 3 x 3 cells; below 1.15 taken for 1.
    /// Shapes   `filtered` signal-to-noise; where `light` has no value it does not count.
    FilterExcess(const frame::Image& filtered, const frame::Image& light);

    /// 1 where the noise is as it should be.
    [[nodiscard]] double at(double x, double y) const;

  private:
    int columns_ = 0;
    int rows_ = 0;
    std::vector<float> cells_;
};

/// What a second look finds.
struct SecondLook {
    std::vector<Source>
        sources; ///< places to the pixel, fluxes from its light alone: starts of fits
    FilterExcess excess;
};

/// Sources that show only once the light of the known ones is taken off: faint ones in the wings of others, and those
/// that a filter of about the right width, over a sky with unmeasured stars in it, left below the threshold.
///
/// Model    Each pixel of what is left is held against the noise of the sky, of the light taken off, and a share of that
///          light, by which a profile may be wrong. Nothing is looked for where no fit holds: in saturated stars and in
///          what is no point.
SecondLook secondLook(const frame::Image& image,
                      const Background& sky,
                      const PointSpreadField& spread,
                      const std::vector<Source>& known,
                      const DetectOptions& options,
                      int border);

} // namespace pathmark::detect

#pragma once

#include "core/detect/background.h"
#include "core/detect/matched_filter.h"
#include "core/frame/image.h"

#include <optional>
#include <span>
#include <vector>

namespace pathmark::detect {

/// What the brightest patches of light of a frame have in common where the telescope moved during the exposure.
struct CommonTrail {
    double x = 0.0; ///< pixels from end to end
    double y = 0.0;
    double fwhm = 0.0;         ///< across the trail
    std::vector<Peak> middles; ///< of the patches that agree, the brightest first
};

/// Looks for one drawn-out form that most of the bright patches of light share.
///
/// Model    A patch is what hangs together above 3 sigma around a peak; its second moments give length (L^2 / 12),
///          direction and width. A frame is trailed where the median axis ratio is 1.8 or more and the directions
///          agree to 10 degrees.
/// Errors   nullopt: round stars, or fewer than three patches
std::optional<CommonTrail>
findCommonTrail(const frame::Image& image, const Background& sky, std::span<const Peak> peaks);

} // namespace pathmark::detect

#pragma once

#include "core/detect/background.h"
#include "core/detect/detect.h"
#include "core/detect/point_spread_field.h"
#include "core/frame/image.h"

#include <optional>
#include <vector>

namespace pathmark::detect {

/// Sources that show only once the light of the known ones is taken off: faint ones in the wings of others, and those
/// that a filter of about the right width, over a sky with unmeasured stars in it, left below the threshold.
///
/// Model    Each pixel of what is left is held against the noise of the sky, of the light taken off, and a share of that
///          light, by which a profile may be wrong. Nothing is looked for where no fit holds: in saturated stars and in
///          what is no point.
/// Shapes   Places to the pixel, fluxes from its light alone: starts of fits.
std::vector<Source> secondLook(const frame::Image& image,
                               const Background& sky,
                               const PointSpreadField& spread,
                               const std::vector<Source>& known,
                               const DetectOptions& options,
                               int border);

} // namespace pathmark::detect

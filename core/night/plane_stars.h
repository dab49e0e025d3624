#pragma once

#include "core/base/time.h"
#include "core/catalog/star_store.h"
#include "core/frame/image.h"
#include "core/picture/star_colours.h"
#include "core/stack/pixel_grid.h"

#include <array>
#include <vector>

namespace pathmark::night {

/// The stars of three planes on one grid, found in the second, with their magnitudes and colours where a catalogue is given.
std::vector<picture::PlaneStar> planeStars(const std::array<const frame::Image*, 3>& planes,
                                           const catalog::StarStore* store,
                                           const stack::PixelGrid& grid,
                                           const Utc& time);

} // namespace pathmark::night

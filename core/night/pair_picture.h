#pragma once

#include "core/night/records.h"

namespace pathmark::night {

/// What is shown of two frames of one field.
enum class PairPart { Other, Added };

/// A picture of a solution of its own on the pixels of a light.
///
/// Errors   measure.outside  they have no sky in common
Result<frame::Image>
onPixelsOf(const LightRecord& light, const frame::Image& image, const frame::Wcs& wcs);

/// Another frame on the pixels of one, as bright as that one's stars, its sky taken off; or both added there. Frames of two sites, a body
/// nearby stands twice in the sum, the stars once.
///
/// Domain   Both are calibrated and solved.
/// Errors   frame.* of their files; measure.outside  they have no sky in common
Result<frame::Image> pairPicture(const LightRecord& here, const LightRecord& other, PairPart part);

} // namespace pathmark::night

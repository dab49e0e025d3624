#pragma once

#include "core/frame/image.h"
#include "core/night/records.h"
#include "core/report/page/page.h"

namespace pathmark::night {

/// The sky about a measurement, north up and east left, its own pixels from side to side; undefined beyond the frame.
///
/// Shapes   2 halfPixels + 1 square
/// Errors   those of the reader; frame.bad_wcs; measure.outside
Result<frame::Image> cutOutOf(const MeasurementRecord& measurement, int halfPixels);

/// The same as a grey picture: the sky dark, its own scatter hardly seen, the brightest there white.
report::PagePicture greyOf(const frame::Image& image, const std::string& caption);

} // namespace pathmark::night

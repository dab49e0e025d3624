#pragma once

#include "core/frame/image.h"
#include "core/night/source_records.h"

#include <vector>

namespace pathmark::night {

/// How broad stars are in a picture of then, pixels at half of their peak: of the brightest lights of now that are not saturated, each from
/// the rings about it. `otherwise` where none of them stands out.
///
/// Domain   Places of `sources` are pixels of the picture.
double starWidth(const frame::Image& then, std::vector<SourceRecord> sources, double otherwise);

} // namespace pathmark::night

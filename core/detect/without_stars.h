#pragma once

#include "core/frame/image.h"

#include <optional>
#include <string>

namespace pathmark::detect {

/// Why no stars were found, as the pixels tell: none has a value, all are alike, most are saturated, few levels are left, or
/// nothing of the kind, so that it is the sky's or the telescope's doing.
std::string withoutStars(const frame::Image& image, const std::optional<double>& saturation);

} // namespace pathmark::detect

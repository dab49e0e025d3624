#pragma once

#include "core/calibrate/apply.h"
#include "core/catalog/band.h"
#include "core/frame/fits_header.h"

#include <optional>
#include <string>

namespace pathmark::night {

/// The band that a light's stars are compared in: that of its filter, else G; on a plane of a colour camera the one next to its colour.
///
/// Shapes   `colour`: which plane of a colour camera it is; nothing: the camera has none.
catalog::Band bandOf(const std::string& filter, std::optional<calibrate::Colour> colour);

/// The same for a file whose header may say which plane it is.
catalog::Band bandOf(const std::string& filter, const frame::Header& header);

} // namespace pathmark::night

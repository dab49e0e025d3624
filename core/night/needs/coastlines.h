#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <vector>

namespace pathmark::night {

/// A place on the Earth in degrees, east and north positive.
struct EarthPoint {
    double longitude = 0.0;
    double latitude = 0.0;
};

/// Lines along the coasts: a file with a line each of "longitude,latitude longitude,latitude ...".
///
/// Errors   frame.not_readable
Result<std::vector<std::vector<EarthPoint>>> readCoastlines(const std::filesystem::path& path);

} // namespace pathmark::night

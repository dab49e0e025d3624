#pragma once

#include "core/orbit/formats/site_codes.h"

#include <filesystem>
#include <span>

namespace pathmark::night {

/// The observatory codes of the lists named, or of the observer's own list where none is (observersSiteCodes).
///
/// Errors   orbit.not_readable
Result<orbit::SiteCodes> knownSites(std::span<const std::filesystem::path> lists);

} // namespace pathmark::night

#pragma once

#include "core/night/light_curves.h"

#include <filesystem>
#include <vector>

namespace pathmark::night {

/// Targets and stars that were chosen once, by place: for other nights, filters and cameras.
struct SavedSet {
    std::vector<SetStar> targets;
    ComparisonSet stars;
};

/// A CSV of role, name, ra, dec, band, mag: role is target, comparison or check, places in degrees; band and magnitude may be empty.
///
/// Errors   catalog.bad_table  which line, and what is wrong with it
Result<SavedSet> readSet(const std::filesystem::path& path);

/// Writes the targets that stand still, the comparison stars and the check star of all bands.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeSet(const std::filesystem::path& path,
                      const LightCurves& curves,
                      std::span<const CurveTarget> targets);

} // namespace pathmark::night

#pragma once

#include "core/night/light_curves.h"

#include <filesystem>

namespace pathmark::night {

/// One row for each target, band and frame.
///
/// Errors   base.cannot_write, base.disk_full; so for the others
Result<bool> writeCurvesCsv(const std::filesystem::path& path, const LightCurves& curves);

/// One block for each target and band, as the exchange format for light curves of minor planets has them.
///
/// Source   ALCDEF standard, version 2.3.
Result<bool> writeCurvesAlcdef(const std::filesystem::path& path, const LightCurves& curves);

/// Source   VOTable 1.4 (IVOA recommendation 2019).
Result<bool> writeCurvesVotable(const std::filesystem::path& path, const LightCurves& curves);

} // namespace pathmark::night

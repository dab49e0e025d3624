#pragma once

#include "core/night/alcdef.h"

#include <filesystem>

namespace pathmark::night {

/// One row for each target, band and frame.
///
/// Errors   base.cannot_write, base.disk_full; so for the others
Result<bool> writeCurvesCsv(const std::filesystem::path& path, const LightCurves& curves);

/// See alcdefText.
Result<bool> writeCurvesAlcdef(const std::filesystem::path& path,
                               const LightCurves& curves,
                               const CurveOrigin& origin);

/// Source   VOTable 1.4 (IVOA recommendation 2019).
Result<bool> writeCurvesVotable(const std::filesystem::path& path, const LightCurves& curves);

/// In the format that a file's ending asks for: .vot, .txt (ALCDEF), else CSV.
Result<bool> writeCurves(const std::filesystem::path& path,
                         const LightCurves& curves,
                         const CurveOrigin& origin);

} // namespace pathmark::night

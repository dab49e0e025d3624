#pragma once

#include "core/frame/equipment.h"
#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark::night {

/// A solved light or stack as read from its file, without a night around it.
struct SolvedLight {
    frame::LoadedFrame
        loaded; ///< with the zero point of the solution beside it where its own header has none
    frame::FrameInfo info;
    frame::Wcs
        wcs; ///< as it holds for these pixels: in the sums of a colour camera's cells a star lies beside its true place
    Utc middle; ///< of the first row
    double electronsPerUnit = 1.0;
};

/// `wcsFolder`: see identify::solutionOf.
///
/// Errors   frame.*; frame.bad_wcs where it is not solved or is the raw mosaic of a colour camera; frame.no_time
Result<SolvedLight> readSolvedLight(const std::filesystem::path& file,
                                    const std::filesystem::path& wcsFolder,
                                    const frame::ReadingRules& rules);

/// A zero point as a header of ours states it.
struct StatedZeroPoint {
    double value = 0.0; ///< magnitude of one unit per second
    std::string band;
};

std::optional<StatedZeroPoint> zeroPointOf(const frame::Header& header);

} // namespace pathmark::night

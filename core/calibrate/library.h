#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/calibrate/master.h"

#include <filesystem>
#include <vector>

namespace pathmark::calibrate {

/// The masters of earlier nights: a folder of FITS files whose headers say what they fit. Any master of
/// yours may be put there.
///
/// Errors   base.cancelled; a folder that is not there yet holds nothing
Result<std::vector<frame::FrameInfo>> scanLibrary(const std::filesystem::path& folder,
                                                  const Job& job);

/// Where a master goes in the library, e.g. "dark_60s_-10C_2031-04-05_3f9a12.fits".
std::filesystem::path libraryPath(const std::filesystem::path& folder, const Master& master);

} // namespace pathmark::calibrate

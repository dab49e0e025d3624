#pragma once

#include "core/base/result.h"
#include "core/night/night_file.h"

#include <filesystem>

namespace pathmark::night {

/// The one name of a file, whatever folder a command was given from: decisions about frames are kept by it.
std::filesystem::path wholePath(const std::filesystem::path& path);

/// Makes an output folder ready: what a killed run left half-written is cleared away, and the night file opened
/// (OUT/night.pmnight where `nightFile` is empty).
///
/// Errors   base.cannot_write  the folder holds results that no run wrote; base.disk_full; those of NightFile::open
Result<NightFile> openResults(const std::filesystem::path& out,
                              const std::filesystem::path& nightFile);

} // namespace pathmark::night

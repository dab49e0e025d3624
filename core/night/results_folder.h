#pragma once

#include "core/base/folder_lock.h"
#include "core/base/result.h"
#include "core/night/night_file.h"

#include <filesystem>
#include <string>

namespace pathmark::night {

/// An output folder that this run alone writes to.
struct Results {
    FolderLock lock;
    NightFile file;
};

/// Makes an output folder for the frames of `folder` ready: what a killed run left half-written is cleared away, and the night file
/// opened (OUT/night.pmnight where `nightFile` is empty).
///
/// Errors   frame.no_frames  there is no such folder of frames, and no output folder is made for it; base.cannot_write  the folder holds results that no run wrote; night.in_use  another run is going on there;
///          base.disk_full; those of NightFile::open
Result<Results> openResults(const std::filesystem::path& folder,
                            const std::filesystem::path& out,
                            const std::filesystem::path& nightFile);

/// "(2912345)" to "2912345", "C/2031 A1" to "C-2031-A1": safe in a file name.
std::string fileWord(const std::string& body);

} // namespace pathmark::night

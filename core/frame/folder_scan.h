#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/frame/frame_info.h"

#include <filesystem>
#include <vector>

namespace pathmark::frame {

/// What a folder holds: the frames that opened and the files that did not, with the reason.
struct FolderScan {
    std::vector<FrameInfo> frames; ///< sorted by path
    std::vector<Error> failures;   ///< one per unreadable file
    int ownResults = 0;            ///< files passed over because an earlier run wrote them
};

/// Opens every FITS file below a folder (links to folders are not followed), but for
/// the calibrated frames, masters and stacks that earlier runs wrote.
///
/// Errors   frame.no_frames  the folder is missing or holds no FITS file
///          base.cancelled
Result<FolderScan> scanFolder(const std::filesystem::path& folder, const Job& job);

} // namespace pathmark::frame

#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/frame/equipment.h"
#include "core/frame/frame_info.h"

#include <filesystem>
#include <vector>

namespace pathmark::frame {

/// What a folder holds: the frames that opened and the files that did not, with the reason.
struct FolderScan {
    std::vector<FrameInfo> frames; ///< sorted by path
    std::vector<Error> failures;   ///< one per unreadable file or folder
    int ownResults = 0;            ///< files passed over because an earlier run wrote them
};

/// Opens every frame below a folder (links to folders are not followed), but for the calibrated frames,
/// masters and stacks that earlier runs wrote. A frame that neither header nor names speak of is sorted by
/// its pixels.
///
/// Errors   frame.no_frames  the folder is missing or holds no frame
///          base.cancelled
/// Cost     Reads the header and up to 32 rows of each file, several at once.
Result<FolderScan>
scanFolder(const std::filesystem::path& folder, const Job& job, const ReadingRules& rules = {});

/// One file as scanFolder sees it.
///
/// Errors   frame.*
Result<FrameInfo> describeFile(const std::filesystem::path& path, const ReadingRules& rules);

} // namespace pathmark::frame

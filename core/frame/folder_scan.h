#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/frame/equipment.h"
#include "core/frame/frame_info.h"

#include <filesystem>
#include <span>
#include <vector>

namespace pathmark::frame {

/// What a folder holds: the frames that opened and the files that did not, with the reason.
struct FolderScan {
    std::vector<FrameInfo> frames; ///< sorted by path
    std::vector<Error> failures;   ///< one per unreadable file or folder
    int ownResults = 0;            ///< files passed over because an earlier run wrote them
};

/// Files of frames, sorted and each once, and what could not be looked at.
struct FrameList {
    std::vector<std::filesystem::path> files;
    std::vector<Error> failures;
};

/// The files named, whatever their names, and all below the folders named that look like frames (links to folders are not
/// followed). What is not there is a failure.
FrameList listFrames(std::span<const std::filesystem::path> places);

/// Opens every frame that is named or lies below a folder (links to folders are not followed), but for the calibrated frames,
/// masters and stacks that earlier runs wrote. A frame that neither header nor names speak of is sorted by
/// its pixels.
///
/// Errors   frame.no_frames  nothing that is named is there or holds a frame
///          base.cancelled
/// Cost     Reads the header and up to 32 rows of each file, several at once.
Result<FolderScan> scanFrames(std::span<const std::filesystem::path> places,
                              const Job& job,
                              const ReadingRules& rules = {});

/// scanFrames of one folder.
Result<FolderScan>
scanFolder(const std::filesystem::path& folder, const Job& job, const ReadingRules& rules = {});

/// One file as scanFrames sees it.
///
/// Errors   frame.*
Result<FrameInfo> describeFile(const std::filesystem::path& path, const ReadingRules& rules);

} // namespace pathmark::frame

#pragma once

#include "core/base/result.h"
#include "core/frame/frame_info.h"

#include <cstdint>
#include <filesystem>

namespace pathmark::night {

/// What tells that the file of a frame is still the one that was read.
struct FileStamp {
    std::int64_t size = -1; ///< bytes; -1 where there is no such file
    std::int64_t changed = 0;

    explicit FileStamp(const std::filesystem::path& frame);
};

/// The digest of a frame's file; of one image of several (frame::ImagePath), that and its number.
///
/// Errors   frame.not_readable
Result<frame::FrameId> frameIdOf(const std::filesystem::path& frame);

} // namespace pathmark::night

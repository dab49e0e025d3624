#pragma once

#include "core/frame/folder_scan.h"
#include "core/frame/open_frame.h"

namespace pathmark::fuzz {

/// A file described and read through, but for pictures that would take most of a second.
inline void readThrough(const std::filesystem::path& path) {
    const auto info = frame::describeFile(path, {});
    if (info && static_cast<long long>(info->width) * info->height < 4'000'000) {
        (void)frame::readFrame(path);
    }
}

} // namespace pathmark::fuzz

#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <functional>
#include <string_view>

namespace pathmark {

/// Writes a file whole or not at all: `write` fills a temporary name in the same folder, which is
/// synced and renamed, and the folder synced: what this returned from outlives a power cut. Whatever goes wrong, the temporary file is gone and an older file untouched.
///
/// Errors   base.disk_full     no space is left for it
///          base.cannot_write  the folder is read-only, missing or not ours
///          and whatever `write` returns
Result<bool> writeWhole(const std::filesystem::path& path,
                        const std::function<Result<bool>(const std::filesystem::path&)>& write);

/// writeWhole for a text.
Result<bool> writeWholeText(const std::filesystem::path& path, std::string_view text);

/// Takes away the temporary files that this process is writing: for one that has to end at once.
void removeTemporaries();

/// Makes a folder and its parents.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> makeFolder(const std::filesystem::path& path);

/// Brings the names in a folder onto the disk: what was renamed into it is still there after a power cut. A file system that knows no such
/// thing does without.
void syncFolder(const std::filesystem::path& folder);

/// The error that an errno value of a failed write means.
Error writeError(int errnoValue, const std::filesystem::path& path);

} // namespace pathmark

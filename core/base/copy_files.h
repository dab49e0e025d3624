#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <string>

namespace pathmark {

/// Copies a file to where there is none yet, on the disk when this returns.
///
/// Returns  the digest of its content
/// Errors   frame.not_readable, base.cannot_write, base.disk_full
Result<std::string> copyFile(const std::filesystem::path& from, const std::filesystem::path& to);

/// Copies all files below a folder into another that need not be there.
///
/// Errors   those of copyFile
Result<bool> copyFolder(const std::filesystem::path& from, const std::filesystem::path& to);

/// Gives a folder its name, on the disk when this returns; never over one that holds something.
///
/// Errors   base.cannot_write
Result<bool> renameFolder(const std::filesystem::path& from, const std::filesystem::path& to);

} // namespace pathmark

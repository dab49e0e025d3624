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

/// Gives a file that is whole its name, in place of an older one: on the disk when this returns.
///
/// Errors   base.disk_full, base.cannot_write  the older file is untouched, and the new one has its first name still
Result<bool> moveIntoPlace(const std::filesystem::path& from, const std::filesystem::path& to);

} // namespace pathmark

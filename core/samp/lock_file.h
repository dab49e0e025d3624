#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <string>

namespace pathmark::samp {

/// Where a hub is reached, and the word that lets a program in.
struct HubAddress {
    std::string url;
    std::string secret;
};

/// The file that a hub of this user tells its address in: .samp in the home folder, or what SAMP_HUB (std-lockurl:file:...) names.
///
/// Source   IVOA Recommendation SAMP 1.3, section 4.2
std::filesystem::path lockFile();

/// Errors   samp.no_hub  there is no such file, others may read it, or it names no hub of this machine
Result<HubAddress> readLockFile(const std::filesystem::path& path);

/// Tells an address to this user alone; never over the file of another hub that is there.
///
/// Errors   samp.no_hub  it is there already; base.cannot_write
Result<bool> writeLockFile(const std::filesystem::path& path, const HubAddress& hub);

} // namespace pathmark::samp

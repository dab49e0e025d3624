#pragma once

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark {

/// The bytes of a file, unpacked where it is gzip; nullopt where it is missing, unreadable or cut off in the packing.
std::optional<std::string> readWholeFile(const std::filesystem::path& path);

} // namespace pathmark

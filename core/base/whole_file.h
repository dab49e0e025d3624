#pragma once

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark {

/// The bytes of a file, unpacked where it is gzip; nullopt where it is missing, unreadable, cut off in the packing, or
/// unpacks to more than 64 times its size and 64 MB.
std::optional<std::string> readWholeFile(const std::filesystem::path& path);

} // namespace pathmark

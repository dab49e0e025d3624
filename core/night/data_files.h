#pragma once

#include <filesystem>

namespace pathmark::night {

/// A file that ships with the program: in ../share/pathmark beside the running program's folder, or in the
/// folder that the environment variable PATHMARK_DATA names.
std::filesystem::path dataFile(const std::filesystem::path& name);

} // namespace pathmark::night

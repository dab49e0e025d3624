#pragma once

#include <filesystem>

namespace pathmark::night {

/// A file that ships with the program: in ../share/pathmark beside the running program's folder, or in the
/// folder that the environment variable PATHMARK_DATA names.
std::filesystem::path dataFile(const std::filesystem::path& name);

/// The observer's own list of observatory codes, looked into where none is named: pathmark/observatory-codes.txt in the
/// folder for data (XDG_DATA_HOME). It need not exist.
std::filesystem::path observersSiteCodes();

} // namespace pathmark::night

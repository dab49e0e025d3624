#pragma once

#include <filesystem>

namespace pathmark::night {

/// A file that ships with the program: in ../share/pathmark beside the running program's folder, or in the
/// folder that the environment variable PATHMARK_DATA names.
std::filesystem::path dataFile(const std::filesystem::path& name);

/// A file of the observer's own data, in pathmark/ of the folder for data (XDG_DATA_HOME), and of settings (XDG_CONFIG_HOME). They need
/// not exist.
std::filesystem::path observersData(const std::filesystem::path& name);
std::filesystem::path observersSettings(const std::filesystem::path& name);

/// The observer's own list of observatory codes, looked into where none is named: pathmark/observatory-codes.txt in the
/// folder for data (XDG_DATA_HOME). It need not exist.
std::filesystem::path observersSiteCodes();

} // namespace pathmark::night

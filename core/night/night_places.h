#pragma once

#include <filesystem>
#include <string>

namespace pathmark::night {

/// Where a night's files lie. Inside the night file paths are kept relative to these two folders, so that a night that is
/// moved, renamed or copied finds its frames and results again.
struct NightPlaces {
    std::filesystem::path folder; ///< of the raw frames
    std::filesystem::path out;    ///< of the results

    /// The path as the night file keeps it: "@folder/...", "@out/...", or whole.
    [[nodiscard]] std::filesystem::path stored(const std::filesystem::path& path) const;

    /// The path where it is now.
    [[nodiscard]] std::filesystem::path resolved(const std::filesystem::path& stored) const;
};

/// The one name of a file, whatever folder a command was given from.
std::filesystem::path wholePath(const std::filesystem::path& path);

/// A folder as a night file at `nightFolder` remembers it, and where it is now: beside the night file as it was, where
/// `holds` says so, else where it was.
std::string rememberedFolder(const std::filesystem::path& folder,
                             const std::filesystem::path& nightFolder);
std::filesystem::path foundFolder(const std::string& remembered,
                                  const std::filesystem::path& nightFolder,
                                  const std::filesystem::path& witness);

} // namespace pathmark::night

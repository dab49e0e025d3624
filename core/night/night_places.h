#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// Where a night's files lie. Inside the night file paths are kept relative to these two folders, so that a night that is
/// moved, renamed or copied finds its frames and results again.
struct NightPlaces {
    std::filesystem::path folder; ///< of the raw frames
    std::filesystem::path out;    ///< of the results
    std::vector<std::filesystem::path> only =
        {}; ///< the files and folders of it that are the night; empty: all of it

    /// The whole paths of what a run was given.
    static NightPlaces of(const std::filesystem::path& folder,
                          const std::filesystem::path& out,
                          std::span<const std::filesystem::path> only);

    /// The path as the night file keeps it: "@folder/...", "@out/...", or whole.
    [[nodiscard]] std::filesystem::path stored(const std::filesystem::path& path) const;

    /// The path where it is now.
    [[nodiscard]] std::filesystem::path resolved(const std::filesystem::path& stored) const;
};

/// The one name of a file, whatever folder a command was given from.
std::filesystem::path wholePath(const std::filesystem::path& path);

/// The folder that files and folders have in common: the one folder that is given, else the innermost that holds them all.
std::filesystem::path commonFolder(std::span<const std::filesystem::path> places);

/// A folder as a night file at `nightFolder` remembers it, and where it is now: beside the night file as it was, where
/// `holds` says so, else where it was.
std::string rememberedFolder(const std::filesystem::path& folder,
                             const std::filesystem::path& nightFolder);
std::filesystem::path foundFolder(const std::string& remembered,
                                  const std::filesystem::path& nightFolder,
                                  const std::filesystem::path& witness);

} // namespace pathmark::night

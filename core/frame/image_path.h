#pragma once

#include <filesystem>

namespace pathmark::frame {

/// One image of a file that holds several: "night.fits[2]" is its third unit, counted from 0 as FITS extensions are.
struct ImagePath {
    std::filesystem::path file;
    int unit = -1; ///< -1: whichever counts when the file alone is named

    /// The parts of a path. A file of that very name comes first.
    static ImagePath of(const std::filesystem::path& path);

    [[nodiscard]] std::filesystem::path path() const;
};

} // namespace pathmark::frame

#pragma once

#include "core/base/result.h"
#include "core/frame/wcs.h"
#include "core/picture/colour_picture.h"

#include <filesystem>
#include <string>

namespace pathmark::picture {

/// What a file says of the picture in it.
struct PictureNote {
    std::string object;
    std::string time;    ///< ISO UTC
    std::string filters; ///< in words, which light became which plane
    frame::Wcs wcs;

    /// One sentence: object, time, scale, orientation.
    [[nodiscard]] std::string sentence() const;
};

/// Whether a name's ending is that of a picture that can be written: .fits, .fit, .tif, .tiff, .png.
bool isPictureName(const std::filesystem::path& path);

/// Writes a picture in the format of its name.
///
/// Model    FITS: the linear planes as a cube (red, green, blue) with the WCS, then STRETCHED, what a screen shows, from 0 to 1. TIFF and
///          PNG: 16 bits a plane, the top row first, with the sRGB profile and the note.
/// Errors   base.cannot_write, base.disk_full
Result<bool> writePicture(const std::filesystem::path& path,
                          const ColourPicture& linear,
                          const ColourPicture& stretched,
                          const PictureNote& note);

} // namespace pathmark::picture

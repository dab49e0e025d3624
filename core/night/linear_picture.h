#pragma once

#include "core/base/result.h"
#include "core/base/time.h"
#include "core/frame/wcs.h"
#include "core/picture/layered_picture.h"
#include "core/picture/picture_file.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

struct JoinedPicture;

/// A picture in linear light as a file of the results keeps it: green first, then RED and BLUE (of a grey picture one plane), the same of
/// its STARS, of the SKY that was taken off, the EXTENT of the comet, and the PATH of the body.
struct LinearPicture {
    picture::LayeredPicture layers;
    frame::Wcs wcs;
    picture::ColourPicture sky; ///< in cells of kSkyCell pixels; empty: not known
    frame::Image extent;        ///< likewise
    std::vector<SkyPos> path;   ///< of the body, frame by frame
    SkyPos body;                ///< where it stands
};

/// What a joined picture keeps.
LinearPicture linearOf(JoinedPicture&& joined, const SkyPos& body, std::vector<SkyPos> path);

/// Writes one, whole or not at all. `key`: of the product.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeLinear(const std::filesystem::path& path,
                         const LinearPicture& picture,
                         const picture::PictureNote& note,
                         const std::string& key);

/// Errors   frame.* of the file; frame.bad_wcs
Result<LinearPicture> readLinear(const std::filesystem::path& path);

/// What marks say of a picture.
picture::MarkedSky markedSky(const LinearPicture& picture, const picture::PictureNote& note);

/// Writes a picture as it looks, with its marks, in the format of the name.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeSeen(const std::filesystem::path& path,
                       const LinearPicture& picture,
                       const picture::Look& look,
                       const picture::PictureNote& note);

/// The colours of a picture's stars against the catalogue's, as a table beside it: bp_rp, blue_less_red, fitted.
std::filesystem::path coloursBeside(const std::filesystem::path& picture);

/// Errors   base.cannot_write, base.disk_full
Result<bool> writeColours(const std::filesystem::path& path,
                          std::span<const picture::ColourPoint> points);

/// None where there is no such table, or it is damaged.
std::vector<picture::ColourPoint> readColours(const std::filesystem::path& path);

} // namespace pathmark::night

#pragma once

#include "core/base/result.h"
#include "core/base/time.h"
#include "core/frame/wcs.h"
#include "core/picture/colour_picture.h"

#include <filesystem>
#include <string>

namespace pathmark::night {

/// A picture in linear light as a file of the results keeps it: green first, then RED and BLUE; of a grey picture one plane.
struct LinearPicture {
    picture::ColourPicture planes;
    frame::Wcs wcs;
};

/// Writes one, whole or not at all. `key`: of the product.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeLinear(const std::filesystem::path& path,
                         const LinearPicture& picture,
                         const std::string& object,
                         const Utc& time,
                         const std::string& key);

/// Errors   frame.* of the file; frame.bad_wcs
Result<LinearPicture> readLinear(const std::filesystem::path& path);

} // namespace pathmark::night

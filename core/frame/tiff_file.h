#pragma once

#include "core/frame/frame_source.h"

#include <filesystem>
#include <memory>

namespace pathmark::frame {

/// A TIFF picture: 8 or 16 bits unsigned or 32-bit float, one plane or several together (their mean is
/// read). What its tags say stands in the header under the FITS keywords (DATE-OBS, INSTRUME,
/// EXPTIME where the description is a set of FITS cards).
///
/// Errors   frame.not_readable, frame.truncated
///          frame.not_an_image  a sample format other than those
Result<std::unique_ptr<FrameSource>> openTiff(const std::filesystem::path& path);

} // namespace pathmark::frame

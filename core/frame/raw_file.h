#pragma once

#include "core/frame/frame_source.h"

#include <filesystem>
#include <memory>

namespace pathmark::frame {

/// A still camera's raw file: the sensor's own values of its light-sensitive area, top row first, nothing
/// interpolated or scaled, with the camera's tags under the FITS keywords (DATE-OBS from the camera's
/// clock, taken as UTC, EXPTIME, GAIN = ISO, INSTRUME, FOCALLEN, BAYERPAT).
///
/// Errors   frame.not_readable, frame.truncated
///          frame.not_an_image  a sensor without a 2 x 2 colour pattern or plain grey values
Result<std::unique_ptr<FrameSource>> openRaw(const std::filesystem::path& path);

} // namespace pathmark::frame

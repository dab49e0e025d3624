#pragma once

#include "core/frame/fits_file.h"
#include "core/frame/frame_source.h"

#include <filesystem>
#include <memory>

namespace pathmark::frame {

/// True where the name says that a file is a picture of a kind that openFrame reads: FITS (plain, `.gz`,
/// tile-compressed `.fz`), TIFF, or a still camera's raw file.
bool looksLikeFrame(const std::filesystem::path& path);

/// The FITS part of looksLikeFrame.
bool looksLikeFits(const std::filesystem::path& path);

/// Opens a picture, or one image of a file (ImagePath), by what stands in the file: FITS or TIFF by their first bytes, anything else as raw.
///
/// Errors   frame.not_readable, frame.not_an_image, frame.truncated
Result<std::unique_ptr<FrameSource>> openFrame(const std::filesystem::path& path);

/// The whole picture and its header.
Result<LoadedFrame> readFrame(const std::filesystem::path& path);

} // namespace pathmark::frame

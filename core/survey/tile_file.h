#pragma once

#include "core/base/result.h"
#include "core/frame/image.h"

#include <filesystem>

namespace pathmark::survey {

/// What the tiles of a survey are written as.
enum class TileFormat { Fits, Png, Jpeg };

/// "fits", "png", "jpg": the ending of a tile's name.
const char* ending(TileFormat format);

/// Reads a tile, the first row at the bottom; colours as their mean. PNG and JPEG hold 0 to 255, and are not linear in light; what is
/// transparent in a PNG has no value.
///
/// Errors   frame.not_readable, frame.not_an_image, frame.truncated
Result<frame::Image> readTile(const std::filesystem::path& path, TileFormat format);

} // namespace pathmark::survey

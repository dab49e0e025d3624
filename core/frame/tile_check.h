#pragma once

#include <fitsio.h>

#include <cstddef>
#include <span>

namespace pathmark::frame {

/// True where a Rice-coded tile holds as many pixels as it should. The library's own decoder runs past the end
/// of a damaged one.
///
/// Source   FITS Standard 4.0, sec. 10.4.1.
bool riceTileIsWhole(std::span<const unsigned char> bytes,
                     std::size_t pixels,
                     std::size_t block,
                     int bytesPerPixel);

/// True where a tile compressed by gzip can be unpacked to its end. The library's own decoder does not come back from a
/// damaged one.
bool gzipTileIsWhole(std::span<const unsigned char> bytes);

/// True where every tile of these rows of the compressed image in hand is whole, of those coded by Rice or gzip; images
/// compressed in another way are taken as they are.
bool compressedRowsAreWhole(fitsfile* file, int width, int height, int firstRow, int rows);

} // namespace pathmark::frame

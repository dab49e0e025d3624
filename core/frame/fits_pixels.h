#pragma once

#include <cstddef>
#include <optional>
#include <span>

namespace pathmark::frame {

/// How the pixels of an uncompressed FITS image stand in its file.
struct FitsPixelLayout {
    int bitsPerPixel = 16;          ///< BITPIX: 8, 16, 32, 64, -32 or -64
    double scale = 1.0;             ///< BSCALE
    double zero = 0.0;              ///< BZERO
    std::optional<long long> blank; ///< BLANK, of integer types

    [[nodiscard]] std::size_t bytesPerPixel() const;
};

/// Big-endian FITS bytes as floats, scaled, BLANK as NaN.
///
/// Shapes   bytes.size() = out.size() * layout.bytesPerPixel()
/// Accuracy The value that double arithmetic gives, rounded once to float (tested against cfitsio).
/// Source   FITS Standard 4.0, sec. 4.4.2.5 and 5.2.
void convertFitsPixels(std::span<const std::byte> bytes,
                       const FitsPixelLayout& layout,
                       std::span<float> out);

/// Floats as big-endian FITS bytes of BITPIX = -32.
void toFitsFloats(std::span<const float> values, std::span<std::byte> bytes);

} // namespace pathmark::frame

#pragma once

#include "core/detect/detect.h"
#include "core/frame/wcs.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// A source of a light as the night file keeps it.
struct SourceRecord {
    frame::PixelPos pixel;
    double sigmaPixels = 0.0; ///< of the place along an axis
    double flux = 0.0;        ///< electrons
    double snr = 0.0;
    std::uint32_t flags = 0; ///< detect::SourceFlag
    bool isStar = false;     ///< a star of the catalogue lies there
};

/// The sources of a light; which of them are stars is not known yet.
std::vector<SourceRecord> sourceRecords(const detect::Detection& detection);

/// Packed for storing, 32 bytes each, and back; nothing where the bytes are not of that form.
std::string packSources(std::span<const SourceRecord> sources);
std::vector<SourceRecord> unpackSources(std::string_view bytes);

/// Which of `count` sources lie on stars of the catalogue, one bit each.
std::string packStars(std::span<const std::size_t> stars, std::size_t count);

/// Lays packStars over the sources; bytes of another length say nothing.
void markStars(std::span<SourceRecord> sources, std::string_view bytes);

} // namespace pathmark::night

#include "core/picture/raster.h"

#include "core/picture/glyphs.h"

#include <algorithm>
#include <cmath>

namespace pathmark::picture {
namespace {

constexpr double kLineShare = 0.6;

std::uint8_t byteOf(float brightness) {
    return static_cast<std::uint8_t>(std::lround(255.0F * std::clamp(brightness, 0.0F, 1.0F)));
}

} // namespace

Raster::Raster(const ColourPicture& stretched, bool isEven)
    : width_(isEven ? stretched.width() / 2 * 2 : stretched.width()),
      height_(isEven ? stretched.height() / 2 * 2 : stretched.height()),
      bytes_(3 * static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_)) {
    std::size_t next = 0;
    for (int y = height_ - 1; y >= 0; --y) {
        for (int x = 0; x < width_; ++x) {
            for (const auto& plane : stretched.planes) {
                bytes_[next++] = byteOf(plane.at(x, y));
            }
        }
    }
}

void Raster::blend(int x, int y, Rgb colour, double share) {
    if (x < 0 || y < 0 || x >= width_ || y >= height_) {
        return;
    }
    const std::size_t at =
        3 * (static_cast<std::size_t>(height_ - 1 - y) * static_cast<std::size_t>(width_) +
             static_cast<std::size_t>(x));
    const std::array<std::uint8_t, 3> planes{colour.red, colour.green, colour.blue};
    for (std::size_t c = 0; c < 3; ++c) {
        bytes_[at + c] = static_cast<std::uint8_t>(
            std::lround((1.0 - share) * bytes_[at + c] + share * planes[c]));
    }
}

int Raster::widthOf(std::string_view text, int size) {
    return static_cast<int>(text.size()) * (kGlyphWidth + 1) * size - size;
}

void Raster::write(std::string_view text, frame::PixelPos at, int size, Rgb colour) {
    int left = static_cast<int>(std::lround(at.x));
    const int bottom = static_cast<int>(std::lround(at.y));
    for (const char character : text) {
        const auto rows = glyphOf(character);
        for (int v = 0; v < kGlyphHeight * size; ++v) {
            const auto row = rows[static_cast<std::size_t>(kGlyphHeight - 1 - v / size)];
            for (int u = 0; u < kGlyphWidth * size; ++u) {
                if (((row >> (kGlyphWidth - 1 - u / size)) & 1U) != 0U) {
                    blend(left + u, bottom + v, colour, 1.0);
                }
            }
        }
        left += (kGlyphWidth + 1) * size;
    }
}

void Raster::line(frame::PixelPos from, frame::PixelPos to, Rgb colour) {
    const double length = std::hypot(to.x - from.x, to.y - from.y);
    if (!std::isfinite(length) || length > 1e5) {
        return;
    }
    const int steps = std::max(1, static_cast<int>(std::ceil(length)));
    for (int k = 0; k <= steps; ++k) {
        const double t = static_cast<double>(k) / steps;
        blend(static_cast<int>(std::lround(from.x + t * (to.x - from.x))),
              static_cast<int>(std::lround(from.y + t * (to.y - from.y))),
              colour,
              kLineShare);
    }
}

} // namespace pathmark::picture

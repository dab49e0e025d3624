#include "core/picture/raster.h"

#include <algorithm>
#include <cmath>

namespace pathmark::picture {
namespace {

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

} // namespace pathmark::picture

#pragma once

#include "core/picture/colour_picture.h"

#include <cstdint>
#include <span>
#include <vector>

namespace pathmark::picture {

/// A picture of 8 bits a plane as a screen shows it: the top row first.
class Raster {
  public:
    /// From brightness of 0 to 1; sizes are made even by leaving out a row and a column, as films need it.
    Raster(const ColourPicture& stretched, bool isEven);

    [[nodiscard]] int width() const { return width_; }

    [[nodiscard]] int height() const { return height_; }

    /// Red, green and blue of all pixels.
    [[nodiscard]] std::span<const std::uint8_t> bytes() const { return bytes_; }

  private:
    int width_;
    int height_;
    std::vector<std::uint8_t> bytes_;
};

} // namespace pathmark::picture

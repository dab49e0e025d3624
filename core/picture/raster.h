#pragma once

#include "core/picture/colour_picture.h"

#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

namespace pathmark::picture {

struct Rgb {
    std::uint8_t red = 0;
    std::uint8_t green = 0;
    std::uint8_t blue = 0;
};

/// A picture of 8 bits a plane as a screen shows it: the top row first. Places are those of the frame, y upwards from the bottom row.
class Raster {
  public:
    /// From brightness of 0 to 1; sizes are made even by leaving out a row and a column, as films need it.
    Raster(const ColourPicture& stretched, bool isEven);

    [[nodiscard]] int width() const { return width_; }

    [[nodiscard]] int height() const { return height_; }

    /// Red, green and blue of all pixels.
    [[nodiscard]] std::span<const std::uint8_t> bytes() const { return bytes_; }

    /// Text with its lower left corner at a place; `size`: pixels of one of its dots.
    void write(std::string_view text, frame::PixelPos at, int size, Rgb colour);

    /// A line from place to place, half transparent.
    void line(frame::PixelPos from, frame::PixelPos to, Rgb colour);

    /// Pixels that a text is wide.
    static int widthOf(std::string_view text, int size);

  private:
    void blend(int x, int y, Rgb colour, double share);

    int width_;
    int height_;
    std::vector<std::uint8_t> bytes_;
};

} // namespace pathmark::picture

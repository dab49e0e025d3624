#pragma once

#include "core/picture/colour_picture.h"

#include <string_view>

namespace pathmark::picture {

/// Brightness of a pen, 0 to 1.
struct Ink {
    float red = 1.0F;
    float green = 1.0F;
    float blue = 1.0F;
};

/// The pen that marks are drawn with.
inline constexpr Ink kMarkInk{1.0F, 0.77F, 0.36F};

/// Draws on a picture of brightness from 0 to 1. Places are those of its pixels, y upwards from the bottom row.
class Drawing {
  public:
    explicit Drawing(ColourPicture& picture) : picture_(picture) {}

    /// Text with its lower left corner at a place; `size`: pixels of one of its dots.
    void write(std::string_view text, frame::PixelPos at, int size, Ink ink);

    /// A line from place to place, half transparent, so many pixels wide.
    void line(frame::PixelPos from, frame::PixelPos to, int width, Ink ink);

    /// Pixels that a text is wide, and high.
    static int widthOf(std::string_view text, int size);
    static int heightOf(int size);

  private:
    void blend(int x, int y, Ink ink, float share);

    ColourPicture& picture_;
};

} // namespace pathmark::picture

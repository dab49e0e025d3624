#include "core/picture/drawing.h"

#include "core/picture/glyphs.h"

#include <algorithm>
#include <cmath>

namespace pathmark::picture {
namespace {

constexpr float kLineShare = 0.6F;

} // namespace

void Drawing::blend(int x, int y, Ink ink, float share) {
    if (!picture_.planes[0].contains(x, y)) {
        return;
    }
    const std::array<float, 3> colours{ink.red, ink.green, ink.blue};
    for (std::size_t c = 0; c < 3; ++c) {
        float& v = picture_.planes[c].at(x, y);
        v = (1.0F - share) * std::clamp(v, 0.0F, 1.0F) + share * colours[c];
    }
}

int Drawing::widthOf(std::string_view text, int size) {
    return static_cast<int>(text.size()) * (kGlyphWidth + 1) * size - size;
}

int Drawing::heightOf(int size) {
    return kGlyphHeight * size;
}

void Drawing::write(std::string_view text, frame::PixelPos at, int size, Ink ink) {
    int left = static_cast<int>(std::lround(at.x));
    const int bottom = static_cast<int>(std::lround(at.y));
    for (const char character : text) {
        const auto rows = glyphOf(character);
        for (int v = 0; v < kGlyphHeight * size; ++v) {
            const auto row = rows[static_cast<std::size_t>(kGlyphHeight - 1 - v / size)];
            for (int u = 0; u < kGlyphWidth * size; ++u) {
                if (((row >> (kGlyphWidth - 1 - u / size)) & 1U) != 0U) {
                    blend(left + u, bottom + v, ink, 1.0F);
                }
            }
        }
        left += (kGlyphWidth + 1) * size;
    }
}

void Drawing::line(frame::PixelPos from, frame::PixelPos to, int width, Ink ink) {
    const double length = std::hypot(to.x - from.x, to.y - from.y);
    if (!std::isfinite(length) || length > 1e5) {
        return;
    }
    // Every pixel whose middle is near enough, once: what is half transparent must not be laid on twice.
    const double half = 0.5 * width;
    const int left = static_cast<int>(std::floor(std::min(from.x, to.x) - half));
    const int right = static_cast<int>(std::ceil(std::max(from.x, to.x) + half));
    const int bottom = static_cast<int>(std::floor(std::min(from.y, to.y) - half));
    const int top = static_cast<int>(std::ceil(std::max(from.y, to.y) + half));
    const double ux = length > 0.0 ? (to.x - from.x) / length : 1.0;
    const double uy = length > 0.0 ? (to.y - from.y) / length : 0.0;
    for (int y = std::max(0, bottom); y <= std::min(top, picture_.height() - 1); ++y) {
        for (int x = std::max(0, left); x <= std::min(right, picture_.width() - 1); ++x) {
            const double along = (x - from.x) * ux + (y - from.y) * uy;
            const double across = (x - from.x) * uy - (y - from.y) * ux;
            if (along >= -0.5 && along <= length + 0.5 && std::abs(across) <= half) {
                blend(x, y, ink, kLineShare);
            }
        }
    }
}

} // namespace pathmark::picture

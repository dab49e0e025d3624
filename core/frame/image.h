#pragma once

#include "core/base/expects.h"
#include "core/base/large_pages.h"

#include <algorithm>
#include <cstddef>
#include <limits>
#include <span>
#include <vector>

namespace pathmark::frame {

/// A place on a frame in pixels; the first pixel's centre is (0, 0). Files and everything shown
/// count from 1: toFits and fromFits convert.
struct PixelPos {
    double x = 0.0;
    double y = 0.0;
};

constexpr PixelPos toFits(PixelPos p) {
    return {p.x + 1.0, p.y + 1.0};
}

constexpr PixelPos fromFits(PixelPos p) {
    return {p.x - 1.0, p.y - 1.0};
}

/// What a pixel without a value holds.
inline constexpr float kNoValue = std::numeric_limits<float>::quiet_NaN();

/// Pixels of one frame, row-major, the first row first as in the file. NaN: no value.
class Image {
  public:
    Image() = default;

    Image(int width, int height, float value = 0.0F)
        : width_(width), height_(height),
          pixels_(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), value) {}

    [[nodiscard]] int width() const { return width_; }

    [[nodiscard]] int height() const { return height_; }

    [[nodiscard]] bool empty() const { return pixels_.empty(); }

    [[nodiscard]] std::size_t index(int x, int y) const {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) +
               static_cast<std::size_t>(x);
    }

    [[nodiscard]] float at(int x, int y) const { return pixels_[index(x, y)]; }

    float& at(int x, int y) { return pixels_[index(x, y)]; }

    [[nodiscard]] bool contains(int x, int y) const {
        return x >= 0 && y >= 0 && x < width_ && y < height_;
    }

    [[nodiscard]] std::span<const float> pixels() const { return pixels_; }

    std::span<float> pixels() { return pixels_; }

    [[nodiscard]] std::span<const float> row(int y) const {
        return std::span(pixels_).subspan(index(0, y), static_cast<std::size_t>(width_));
    }

    std::span<float> row(int y) {
        return std::span(pixels_).subspan(index(0, y), static_cast<std::size_t>(width_));
    }

    /// The rectangle whose first pixel is (x, y). All of it lies within.
    [[nodiscard]] Image part(int x, int y, int width, int height) const {
        PATHMARK_EXPECTS(x >= 0 && y >= 0 && x + width <= width_ && y + height <= height_);
        Image cut(width, height);
        for (int j = 0; j < height; ++j) {
            const auto from = row(y + j).subspan(static_cast<std::size_t>(x), cut.row(j).size());
            std::copy(from.begin(), from.end(), cut.row(j).begin());
        }
        return cut;
    }

  private:
    int width_ = 0;
    int height_ = 0;
    std::vector<float, LargePages<float>> pixels_;
};

} // namespace pathmark::frame

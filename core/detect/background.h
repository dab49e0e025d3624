#pragma once

#include "core/frame/image.h"

#include <span>
#include <vector>

namespace pathmark::detect {

/// Sky level and its noise over a frame, from a mesh of cells, bilinear between their middles.
class Background {
  public:
    /// Model    Clipped mean and sigma (3 sigma) of every other pixel of a cell of `cell` pixels; each cell is then replaced by
    ///          the median of its 3 x 3 neighbourhood, so that a bright object does not lift the sky.
    /// Domain   NaN pixels are passed over; a frame without any finite pixel gives level and noise 0.
    explicit Background(const frame::Image& image, int cell = 64);

    [[nodiscard]] float level(double x, double y) const { return interpolate(levels_, x, y); }

    [[nodiscard]] float noise(double x, double y) const { return interpolate(noises_, x, y); }

    /// The same for every pixel of a row at once.
    void levelRow(int y, std::span<float> out) const { interpolateRow(levels_, y, out); }

    void noiseRow(int y, std::span<float> out) const { interpolateRow(noises_, y, out); }

    /// Median over the cells.
    [[nodiscard]] double typicalLevel() const;
    [[nodiscard]] double typicalNoise() const;

    /// The image less the level; NaN stays NaN.
    [[nodiscard]] frame::Image subtractFrom(const frame::Image& image) const;

  private:
    [[nodiscard]] float interpolate(const std::vector<float>& values, double x, double y) const;
    void interpolateRow(const std::vector<float>& values, int y, std::span<float> out) const;
    void smooth(std::vector<float>& values) const;

    int cell_ = 64;
    int columns_ = 0;
    int rows_ = 0;
    std::vector<float> levels_;
    std::vector<float> noises_;
};

} // namespace pathmark::detect

#pragma once

#include "core/frame/image.h"

#include <span>
#include <vector>

namespace pathmark::detect {

/// A round patch of a frame.
struct Disc {
    double x = 0.0;
    double y = 0.0;
    double radius = 0.0; ///< pixels
};

/// Sky level and its noise over a frame, from a mesh of cells, bilinear between their middles.
class Background {
  public:
    /// Model    Clipped mean and sigma (3 sigma) of every other row of a cell of `cell` pixels; each cell is then replaced by
    ///          the median of its 3 x 3 neighbourhood, so that a bright object does not lift the sky.
    /// Domain   NaN pixels are passed over; a frame without any finite pixel gives level and noise 0.
    explicit Background(const frame::Image& image, int cell = 64);

    /// The same with the light of known sources left out: wings that no clipping sees would lift the sky.
    /// Cells that lie all but wholly under discs keep what they had.
    void remeasure(const frame::Image& image, std::span<const Disc> discs);

    [[nodiscard]] float level(double x, double y) const { return interpolate(levels_, x, y); }

    [[nodiscard]] float noise(double x, double y) const { return interpolate(noises_, x, y); }

    /// The same for the pixels of a row from x on.
    void levelRow(int y, std::span<float> out, int x = 0) const {
        interpolateRow(levels_, x, y, out);
    }

    void noiseRow(int y, std::span<float> out, int x = 0) const {
        interpolateRow(noises_, x, y, out);
    }

    /// Median over the cells.
    [[nodiscard]] double typicalLevel() const;
    [[nodiscard]] double typicalNoise() const;

    /// The image less the level; NaN stays NaN.
    [[nodiscard]] frame::Image subtractFrom(const frame::Image& image) const;

  private:
    /// The pixels that a cell is measured by.
    [[nodiscard]] std::vector<float> sample(const frame::Image& image, int column, int row) const;
    void maskDisc(const Disc& disc, int column, int row, std::vector<float>& values) const;
    [[nodiscard]] int columnEnd(int column) const;
    [[nodiscard]] int rowEnd(int row) const;
    [[nodiscard]] float interpolate(const std::vector<float>& values, double x, double y) const;
    void
    interpolateRow(const std::vector<float>& values, int x0, int y, std::span<float> out) const;
    void smooth(std::vector<float>& values) const;

    int width_ = 0;
    int height_ = 0;
    int cell_ = 64;
    int columns_ = 0;
    int rows_ = 0;
    std::vector<float> levels_;
    std::vector<float> noises_;
};

} // namespace pathmark::detect

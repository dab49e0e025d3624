#pragma once

#include "core/detect/moffat.h"

#include <cmath>
#include <cstddef>
#include <vector>

namespace pathmark::detect {

/// Values and slopes of a profile in every pixel of a square window, row after row.
struct SpreadPatch {
    explicit SpreadPatch(int half);

    [[nodiscard]] std::size_t index(int dx, int dy) const {
        return static_cast<std::size_t>((dy + half) * stride + dx + half);
    }

    int half; ///< the window reaches from -half to +half
    int stride; ///< floats from row to row, a multiple of 16; those beyond the window are any finite number
    std::vector<float> value;
    std::vector<float> slopeX; ///< d value / d dx
    std::vector<float> slopeY;
};

/// The light of a point in one frame: the fraction of its flux that falls in a pixel, as a table of
/// eight places per pixel with cubic interpolation, so that any profile costs the same to fit.
class PointSpread {
  public:
    struct Sample {
        double value = 0.0;
        double slopeX = 0.0; ///< d value / d dx
        double slopeY = 0.0;
    };

    /// `trailX`, `trailY`: the way of the point during the exposure in pixels, smeared evenly.
    /// `radius`: pixels that the table reaches; 0: 3.5 FWHM and half the trail.
    explicit PointSpread(const Moffat& shape,
                         double trailX = 0.0,
                         double trailY = 0.0,
                         int radius = 0);

    /// The fraction in the pixel whose centre is (dx, dy) from the point; 0 outside radius().
    [[nodiscard]] Sample at(double dx, double dy) const;

    /// Adds weight x profile of a point at (x, y), |x|, |y| <= 2, from the middle pixel of a window. All pixels share
    /// one place inside the pixel and so one set of interpolation weights: a tenth of the cost of at().
    ///
    /// Domain   patch.half + 2 <= radius()
    void addPatch(double x, double y, float weight, SpreadPatch& patch) const;

    [[nodiscard]] int radius() const { return radius_; }

    /// Pixels from the middle to where the light of a point of that flux falls below a level, by the profile alone.
    [[nodiscard]] double lightRadius(double flux, double level) const;

    /// Of the profile without the trail.
    [[nodiscard]] double fwhm() const { return shape_.fwhm(); }

    /// Half the length of the trail in pixels.
    [[nodiscard]] double trailHalf() const { return 0.5 * std::hypot(trailX_, trailY_); }

    [[nodiscard]] double trailX() const { return trailX_; }

    [[nodiscard]] double trailY() const { return trailY_; }

    [[nodiscard]] const Moffat& shape() const { return shape_; }

    /// Sum of the squares of the fractions: 1 / (pixels that count as noise) in a matched filter.
    [[nodiscard]] double squareSum() const { return squareSum_; }

  private:
    /// Node (i, j), eight of them a pixel; those of one place inside the pixel lie together (see addPatch).
    [[nodiscard]] std::size_t place(int i, int j) const {
        const auto plane = static_cast<std::size_t>(j % 8 * 8 + i % 8);
        return (plane * static_cast<std::size_t>(rows_) + static_cast<std::size_t>(j / 8)) *
                   static_cast<std::size_t>(columns_) +
               static_cast<std::size_t>(i / 8);
    }

    Moffat shape_;
    double trailX_ = 0.0;
    double trailY_ = 0.0;
    int radius_ = 0;
    int side_ = 0; ///< nodes along an axis
    int rows_ = 0; ///< of one plane
    int columns_ = 0;
    double squareSum_ = 0.0;
    std::vector<float> table_;
};

} // namespace pathmark::detect

#pragma once

#include "core/detect/moffat.h"

#include <cstddef>
#include <vector>

namespace pathmark::detect {

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
    explicit PointSpread(const Moffat& shape, double trailX = 0.0, double trailY = 0.0);

    /// The fraction in the pixel whose centre is (dx, dy) from the point; 0 outside radius().
    [[nodiscard]] Sample at(double dx, double dy) const;

    [[nodiscard]] int radius() const { return radius_; }

    /// Of the profile without the trail.
    [[nodiscard]] double fwhm() const { return shape_.fwhm(); }

    /// Half the length of the trail in pixels.
    [[nodiscard]] double trailHalf() const { return trailHalf_; }

    [[nodiscard]] const Moffat& shape() const { return shape_; }

    /// Sum of the squares of the fractions: 1 / (pixels that count as noise) in a matched filter.
    [[nodiscard]] double squareSum() const { return squareSum_; }

  private:
    void smear(double trailX, double trailY);

    [[nodiscard]] double node(int i, int j) const {
        return table_[static_cast<std::size_t>(j) * static_cast<std::size_t>(side_) +
                      static_cast<std::size_t>(i)];
    }

    Moffat shape_;
    int radius_ = 0;
    int side_ = 0;
    double squareSum_ = 0.0;
    double trailHalf_ = 0.0;
    std::vector<double> table_;
};

} // namespace pathmark::detect

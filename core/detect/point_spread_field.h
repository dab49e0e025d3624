#pragma once

#include "core/detect/point_spread.h"
#include "core/frame/image.h"

#include <array>
#include <vector>

namespace pathmark::detect {

/// The star's shape over a frame: size and shears as polynomials of the place, beta and any trail everywhere the same.
struct FieldShape {
    MoffatForm middle;
    double trailX = 0.0; ///< pixels
    double trailY = 0.0;
    int width = 1; ///< of the frame
    int height = 1;
    /// Of u, v, u^2, u v, v^2 (u, v from -1 to 1 over the frame) for logSize, g1 and g2; 0: the same everywhere.
    std::array<std::array<double, 5>, 3> terms{};

    [[nodiscard]] bool varies() const;
    [[nodiscard]] Moffat at(double x, double y) const;
};

/// The point-spread function at every place of a frame: tables on a coarse grid, bilinear between them.
class PointSpreadField {
  public:
    /// `radius`: pixels that the tables reach; 0: as far as each one's light.
    explicit PointSpreadField(const FieldShape& shape, int radius = 0);

    /// Writes profile and slopes of a unit point at (x, y) of the frame into the window about pixel (cx, cy),
    /// |x - cx|, |y - cy| <= 2.
    void patch(double x, double y, int cx, int cy, SpreadPatch& patch) const;

    /// What of a point at (x, y) falls in the pixel whose centre is (dx, dy) away, and its slopes.
    [[nodiscard]] PointSpread::Sample sampleAt(double x, double y, double dx, double dy) const;

    [[nodiscard]] const FieldShape& shape() const { return shape_; }

    /// Of the middle of the frame.
    [[nodiscard]] const PointSpread& middle() const { return nodes_[nodes_.size() / 2]; }

    /// A table, and its share of the profile at a place.
    struct Share {
        const PointSpread* spread = nullptr;
        double weight = 1.0;
    };

    /// What the profile at (x, y) is mixed of; weights sum to one.
    [[nodiscard]] std::vector<Share> sharesAt(double x, double y) const;

    /// The least radius of the tables.
    [[nodiscard]] int radius() const { return radius_; }

  private:
    struct Corner {
        std::size_t node;
        double weight;
    };

    [[nodiscard]] std::array<Corner, 4> corners(double x, double y) const;

    FieldShape shape_;
    int side_ = 1; ///< tables along an axis
    int radius_ = 0;
    std::vector<PointSpread> nodes_;
};

} // namespace pathmark::detect

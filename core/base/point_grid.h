#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

namespace pathmark {

/// Points of the plane in square cells, to be looked up by place. `Point` has x and y.
template <typename Point>
class PointGrid {
  public:
    /// Cells begin at (left, bottom) and reach to (right, top); what lies outside goes into the outermost ones. The points
    /// must outlive the grid.
    PointGrid(const std::vector<Point>& points,
              double cell,
              double left,
              double bottom,
              double right,
              double top)
        : points_(points), cell_(cell), left_(left), bottom_(bottom),
          columns_(static_cast<int>((right - left) / cell) + 1),
          rows_(static_cast<int>((top - bottom) / cell) + 1) {
        const auto cellOf = [&](const Point& p) {
            return static_cast<std::size_t>(row(p.y) * columns_ + column(p.x));
        };
        // Counting sort: the members of a cell lie together, in their own order.
        starts_.assign(static_cast<std::size_t>(columns_ * rows_) + 1, 0);
        for (const Point& p : points) {
            ++starts_[cellOf(p) + 1];
        }
        for (std::size_t i = 1; i < starts_.size(); ++i) {
            starts_[i] += starts_[i - 1];
        }
        std::vector<std::size_t> next(starts_.begin(), starts_.end() - 1);
        members_.resize(points.size());
        for (std::size_t i = 0; i < points.size(); ++i) {
            members_[next[cellOf(points[i])]++] = i;
        }
    }

    /// Calls near(index, squared distance) for every point within `radius` of a place.
    template <typename Near>
    void forNear(double x, double y, double radius, const Near& near) const {
        for (int j = row(y - radius); j <= row(y + radius); ++j) {
            for (int i = column(x - radius); i <= column(x + radius); ++i) {
                const auto cell = static_cast<std::size_t>(j * columns_ + i);
                for (std::size_t k = starts_[cell]; k < starts_[cell + 1]; ++k) {
                    const Point& p = points_[members_[k]];
                    const double dx = p.x - x;
                    const double dy = p.y - y;
                    if (dx * dx + dy * dy <= radius * radius) {
                        near(members_[k], dx * dx + dy * dy);
                    }
                }
            }
        }
    }

  private:
    [[nodiscard]] int column(double x) const {
        return std::clamp(static_cast<int>((x - left_) / cell_), 0, columns_ - 1);
    }

    [[nodiscard]] int row(double y) const {
        return std::clamp(static_cast<int>((y - bottom_) / cell_), 0, rows_ - 1);
    }

    const std::vector<Point>& points_;
    double cell_;
    double left_;
    double bottom_;
    int columns_;
    int rows_;
    std::vector<std::size_t> starts_; ///< where each cell begins in members_
    std::vector<std::size_t> members_;
};

} // namespace pathmark

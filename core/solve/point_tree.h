#pragma once

#include <nanoflann.hpp>

#include <algorithm>
#include <array>
#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::solve {

/// Nearest-neighbour look-up among points of the plane; keeps its own copy of them.
template <typename PlanePoint>
class BasicPointTree {
  public:
    explicit BasicPointTree(std::span<const PlanePoint> points)
        : cloud_{{points.begin(), points.end()}}, index_(2, cloud_, {10}) {}

    BasicPointTree(const BasicPointTree&) = delete;
    BasicPointTree& operator=(const BasicPointTree&) = delete;

    /// Indices of up to `count` nearest points, the nearest first.
    [[nodiscard]] std::vector<std::size_t> nearest(PlanePoint at, std::size_t count) const {
        std::vector<std::size_t> found(std::min(count, cloud_.points.size()));
        std::vector<double> distances(found.size());
        const std::array<double, 2> query{at.x, at.y};
        const auto n = index_.knnSearch(query.data(), found.size(), found.data(), distances.data());
        found.resize(n);
        return found;
    }

    [[nodiscard]] std::optional<std::size_t> nearestWithin(PlanePoint at, double radius) const {
        std::size_t found = 0;
        double distance = 0.0;
        const std::array<double, 2> query{at.x, at.y};
        if (cloud_.points.empty() || index_.knnSearch(query.data(), 1, &found, &distance) == 0 ||
            distance > radius * radius) {
            return std::nullopt;
        }
        return found;
    }

    /// Indices of all points within a radius, in ascending order.
    [[nodiscard]] std::vector<std::size_t> within(PlanePoint at, double radius) const {
        std::vector<std::pair<std::size_t, double>> hits;
        const std::array<double, 2> query{at.x, at.y};
        index_.radiusSearch(query.data(), radius * radius, hits, nanoflann::SearchParams());
        std::vector<std::size_t> found;
        found.reserve(hits.size());
        for (const auto& hit : hits) {
            found.push_back(hit.first);
        }
        std::sort(found.begin(), found.end());
        return found;
    }

  private:
    struct Cloud {
        std::vector<PlanePoint> points;

        [[nodiscard]] std::size_t kdtree_get_point_count() const { return points.size(); }

        [[nodiscard]] double kdtree_get_pt(std::size_t i, std::size_t axis) const {
            return axis == 0 ? points[i].x : points[i].y;
        }

        template <typename Box>
        bool kdtree_get_bbox(Box&) const {
            return false;
        }
    };

    using Index = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Cloud>,
                                                      Cloud,
                                                      2,
                                                      std::size_t>;
    Cloud cloud_;
    Index index_;
};

} // namespace pathmark::solve

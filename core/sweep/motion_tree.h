#pragma once

#include "core/sweep/motion_zones.h"

#include <span>
#include <vector>

namespace pathmark::sweep {

/// Frames in pairs, pairs in pairs: sums of few frames are the same for many motions.
///
/// Model    Frames are halved in time, first at long pauses. A node's frames span less time than all of them, so that motions
///          that differ by less than a pixel over that time share its sum: a node knows motions by cells of 2^bitsAlong by
///          2^bitsAcross points of the lattice.
/// Source   Brady 1998, SIAM J. Comput. 27, 107 (sums along lines by halves).
class MotionTree {
  public:
    struct Node {
        int left = -1; ///< of a pair
        int right = -1;
        int frame = -1;     ///< of a leaf
        double time = 0.0;  ///< mean by information
        double first = 0.0; ///< of its first frame
        double share = 0.0; ///< of all information
        int bitsAlong = 0;
        int bitsAcross = 0;
    };

    /// Shapes   `times` ascending, `shares` of the same size: two frames or more.
    MotionTree(std::span<const double> times, std::span<const double> shares);

    /// The root comes last.
    [[nodiscard]] const std::vector<Node>& nodes() const { return nodes_; }

  private:
    int grow(std::span<const double> times, std::span<const double> shares, int first, int end);

    std::vector<Node> nodes_;
};

} // namespace pathmark::sweep

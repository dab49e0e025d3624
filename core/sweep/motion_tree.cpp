#include "core/sweep/motion_tree.h"

#include <algorithm>
#include <cmath>

namespace pathmark::sweep {
namespace {

constexpr double kPause = 3.0; ///< usual steps that part two runs
constexpr int kAllBits = 24;   ///< of a frame alone: one cell for all motions

/// Where a run of frames is cut.
int cutOf(std::span<const double> times, int first, int end) {
    const int count = end - first;
    int longest = first + 1;
    double pause = 0.0;
    for (int i = first + 1; i < end; ++i) {
        const double step =
            times[static_cast<std::size_t>(i)] - times[static_cast<std::size_t>(i - 1)];
        if (step > pause) {
            pause = step;
            longest = i;
        }
    }
    const double usual = (times[static_cast<std::size_t>(end - 1)] -
                          times[static_cast<std::size_t>(first)] - pause) /
                         std::max(1, count - 2);
    return count > 2 && pause > kPause * usual ? longest : first + count / 2;
}

} // namespace

MotionTree::MotionTree(std::span<const double> times, std::span<const double> shares) {
    PATHMARK_EXPECTS(times.size() >= 2 && times.size() == shares.size());
    grow(times, shares, 0, static_cast<int>(times.size()));
}

int MotionTree::grow(std::span<const double> times,
                     std::span<const double> shares,
                     int first,
                     int end) {
    Node node;
    node.first = times[static_cast<std::size_t>(first)];
    if (end - first == 1) {
        node.frame = first;
        node.time = node.first;
        node.share = shares[static_cast<std::size_t>(first)];
        node.bitsAlong = kAllBits;
        node.bitsAcross = kAllBits;
    } else {
        const int cut = cutOf(times, first, end);
        node.left = grow(times, shares, first, cut);
        node.right = grow(times, shares, cut, end);
        const Node& left = nodes_[static_cast<std::size_t>(node.left)];
        const Node& right = nodes_[static_cast<std::size_t>(node.right)];
        node.share = left.share + right.share;
        node.time = node.share > 0.0
                        ? (left.share * left.time + right.share * right.time) / node.share
                        : 0.5 * (left.time + right.time);
        const double last = times[static_cast<std::size_t>(end - 1)];
        const double reach = std::max({node.time - node.first, last - node.time, 1e-6});
        // Cells of the root are single motions; half the time, twice the cell.
        const int most = std::min(left.bitsAlong, right.bitsAlong);
        node.bitsAlong = std::clamp(static_cast<int>(std::floor(std::log2(1.0 / reach))), 0, most);
        node.bitsAcross = node.bitsAlong;
    }
    nodes_.push_back(node);
    return static_cast<int>(nodes_.size()) - 1;
}

} // namespace pathmark::sweep

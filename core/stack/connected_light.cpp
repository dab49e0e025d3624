#include "core/stack/connected_light.h"

#include "core/base/robust.h"
#include "core/stack/cell_mask.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::stack {
namespace {

constexpr int kBlockPixels = 8;
constexpr double kStandsOut = 2.5; ///< sigma of the blocks

/// Blocks of a picture, row by row.
struct Blocks {
    int columns = 0;
    int rows = 0;
    std::vector<double> medians; ///< NaN where nothing is seen
};

Blocks blocksOf(const frame::Image& picture) {
    Blocks blocks;
    blocks.columns = (picture.width() + kBlockPixels - 1) / kBlockPixels;
    blocks.rows = (picture.height() + kBlockPixels - 1) / kBlockPixels;
    std::vector<float> values;
    for (int row = 0; row < blocks.rows; ++row) {
        for (int column = 0; column < blocks.columns; ++column) {
            values.clear();
            for (int k = 0; k < kBlockPixels * kBlockPixels; ++k) {
                const int x = column * kBlockPixels + k % kBlockPixels;
                const int y = row * kBlockPixels + k / kBlockPixels;
                if (picture.contains(x, y) && std::isfinite(picture.at(x, y))) {
                    values.push_back(picture.at(x, y));
                }
            }
            blocks.medians.push_back(medianInPlace(std::span(values)));
        }
    }
    return blocks;
}

CellMask connected(const Blocks& blocks, double radius) {
    std::vector<double> finite;
    std::copy_if(blocks.medians.begin(),
                 blocks.medians.end(),
                 std::back_inserter(finite),
                 [](double v) { return std::isfinite(v); });
    const RobustMoments moments = medianAndDeviation(std::move(finite));
    const double least = moments.centre + kStandsOut * moments.sigma;
    CellMask kept{blocks.columns, blocks.rows, std::vector<bool>(blocks.medians.size(), false)};
    const double middleX = 0.5 * (blocks.columns - 1);
    const double middleY = 0.5 * (blocks.rows - 1);
    for (int y = 0; y < blocks.rows; ++y) {
        for (int x = 0; x < blocks.columns; ++x) {
            kept.marked[kept.index(x, y)] =
                std::hypot(x - middleX, y - middleY) * kBlockPixels <= radius;
        }
    }
    kept.spread([&](std::size_t i) { return blocks.medians[i] > least; }); // false for NaN
    return kept.widened();
}

} // namespace

void keepConnectedLight(frame::Image& picture, double radius) {
    const Blocks blocks = blocksOf(picture);
    const CellMask kept = connected(blocks, radius);
    for (int y = 0; y < picture.height(); ++y) {
        for (int x = 0; x < picture.width(); ++x) {
            if (!kept.marked[kept.index(x / kBlockPixels, y / kBlockPixels)]) {
                picture.at(x, y) = 0.0F;
            }
        }
    }
}

} // namespace pathmark::stack

#include "core/stack/connected_light.h"

#include "core/base/robust.h"

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

    [[nodiscard]] std::size_t index(int x, int y) const {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(columns) +
               static_cast<std::size_t>(x);
    }
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

/// A mark of the blocks' neighbours as well.
std::vector<bool> widened(const Blocks& blocks, const std::vector<bool>& kept) {
    std::vector<bool> wide = kept;
    for (int y = 0; y < blocks.rows; ++y) {
        for (int x = 0; x < blocks.columns; ++x) {
            for (int k = 0; k < 9 && !wide[blocks.index(x, y)]; ++k) {
                const int u = x + k % 3 - 1;
                const int v = y + k / 3 - 1;
                if (u >= 0 && v >= 0 && u < blocks.columns && v < blocks.rows &&
                    kept[blocks.index(u, v)]) {
                    wide[blocks.index(x, y)] = true;
                }
            }
        }
    }
    return wide;
}

std::vector<bool> connected(const Blocks& blocks, double radius) {
    std::vector<double> finite;
    std::copy_if(blocks.medians.begin(),
                 blocks.medians.end(),
                 std::back_inserter(finite),
                 [](double v) { return std::isfinite(v); });
    const RobustMoments moments = medianAndDeviation(std::move(finite));
    const double least = moments.centre + kStandsOut * moments.sigma;
    std::vector<bool> kept(blocks.medians.size(), false);
    std::vector<std::pair<int, int>> next;
    const double middleX = 0.5 * (blocks.columns - 1);
    const double middleY = 0.5 * (blocks.rows - 1);
    for (int y = 0; y < blocks.rows; ++y) {
        for (int x = 0; x < blocks.columns; ++x) {
            if (std::hypot(x - middleX, y - middleY) * kBlockPixels <= radius) {
                kept[blocks.index(x, y)] = true;
                next.emplace_back(x, y);
            }
        }
    }
    while (!next.empty()) {
        const auto [x, y] = next.back();
        next.pop_back();
        for (int k = 0; k < 9; ++k) {
            const int u = x + k % 3 - 1;
            const int v = y + k / 3 - 1;
            if (u < 0 || v < 0 || u >= blocks.columns || v >= blocks.rows) {
                continue;
            }
            const std::size_t i = blocks.index(u, v);
            if (!kept[i] && blocks.medians[i] > least) { // false for NaN
                kept[i] = true;
                next.emplace_back(u, v);
            }
        }
    }
    return widened(blocks, kept);
}

} // namespace

void keepConnectedLight(frame::Image& picture, double radius) {
    const Blocks blocks = blocksOf(picture);
    const auto kept = connected(blocks, radius);
    for (int y = 0; y < picture.height(); ++y) {
        for (int x = 0; x < picture.width(); ++x) {
            if (!kept[blocks.index(x / kBlockPixels, y / kBlockPixels)]) {
                picture.at(x, y) = 0.0F;
            }
        }
    }
}

} // namespace pathmark::stack

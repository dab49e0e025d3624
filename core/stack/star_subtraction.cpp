#include "core/stack/star_subtraction.h"

#include "core/base/parallel.h"
#include "core/stack/convolution.h"
#include "core/stack/pixel_kernels.h"

#include <algorithm>
#include <cmath>

namespace pathmark::stack {
namespace {

constexpr int kBlock = 64; ///< pixels over which the kernel is one
constexpr int kCellsX = 8;
constexpr int kCellsY = 6;
constexpr std::size_t kMostInCell = 3;

} // namespace

std::vector<frame::PixelPos>
brightStars(const frame::Image& model, double least, double most, int margin) {
    struct Peak {
        float value;
        int x;
        int y;
    };

    std::vector<frame::PixelPos> stars;
    const int width = model.width();
    const int height = model.height();
    for (int cell = 0; cell < kCellsX * kCellsY; ++cell) {
        const int x0 = std::max(margin, cell % kCellsX * width / kCellsX);
        const int x1 = std::min(width - margin, (cell % kCellsX + 1) * width / kCellsX);
        const int y0 = std::max(margin, cell / kCellsX * height / kCellsY);
        const int y1 = std::min(height - margin, (cell / kCellsX + 1) * height / kCellsY);
        std::vector<Peak> peaks;
        for (int y = y0; y < y1; ++y) {
            for (int x = x0; x < x1; ++x) {
                const float v = model.at(x, y);
                if (static_cast<double>(v) > least && static_cast<double>(v) < most &&
                    v >= model.at(x - 1, y) && v > model.at(x + 1, y) && v >= model.at(x, y - 1) &&
                    v > model.at(x, y + 1)) {
                    peaks.push_back({v, x, y});
                }
            }
        }
        const std::size_t count = std::min(peaks.size(), kMostInCell);
        std::partial_sort(peaks.begin(),
                          peaks.begin() + static_cast<std::ptrdiff_t>(count),
                          peaks.end(),
                          [](const Peak& a, const Peak& b) { return a.value > b.value; });
        for (std::size_t k = 0; k < count; ++k) {
            stars.push_back({static_cast<double>(peaks[k].x), static_cast<double>(peaks[k].y)});
        }
    }
    return stars;
}

namespace {

/// A block of a model with a margin; beyond the edge, and where nothing is known, nothing is to be taken off.
frame::Image blockOf(const frame::Image& model, int x0, int y0, int width, int height, int margin) {
    frame::Image block(width + 2 * margin, height + 2 * margin);
    const int left = std::max(0, x0 - margin);
    const int right = std::min(model.width(), x0 + width + margin);
    for (int y = std::max(0, y0 - margin); y < std::min(model.height(), y0 + height + margin);
         ++y) {
        const float* const from = &model.row(y)[static_cast<std::size_t>(left)];
        float* const to = &block.at(left - x0 + margin, y - y0 + margin);
        for (int i = 0; i < right - left; ++i) {
            to[i] = std::isfinite(from[i]) ? from[i] : 0.0F;
        }
    }
    return block;
}

} // namespace

void subtractStars(frame::Image& picture,
                   const frame::Image& model,
                   const MatchingKernel& kernel,
                   const StackFrame& frame) {
    const int half = kernel.half();
    const int columns = (picture.width() + kBlock - 1) / kBlock;
    const int rows = (picture.height() + kBlock - 1) / kBlock;
    const auto most = static_cast<float>(frame.noise / std::max(kernel.mismatch(), 1e-4));
    const auto modelCeiling =
        static_cast<float>(std::min(kMostOfSaturation * frame.saturation * frame.fluxScale, 3e38));
    parallelFor(static_cast<std::size_t>(columns * rows), [&](std::size_t block) {
        const int x0 = static_cast<int>(block) % columns * kBlock;
        const int y0 = static_cast<int>(block) / columns * kBlock;
        const int width = std::min(kBlock, picture.width() - x0);
        const int height = std::min(kBlock, picture.height() - y0);
        const auto here = kernel.at({x0 + 0.5 * width, y0 + 0.5 * height});
        const frame::Image stars = blockOf(model, x0, y0, width, height, half);
        std::vector<float> taken(static_cast<std::size_t>(width));
        for (int y = 0; y < height; ++y) {
            convolveRow(stars, here, half, 0, y, taken);
            const auto from = static_cast<std::size_t>(x0);
            takeLight({taken, model.row(y0 + y).subspan(from, taken.size()), most, modelCeiling},
                      picture.row(y0 + y).subspan(from, taken.size()));
        }
    });
}

} // namespace pathmark::stack

#include "core/stack/star_subtraction.h"

#include "core/base/parallel.h"
#include "core/stack/convolution.h"

#include <algorithm>

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

void subtractStars(frame::Image& picture,
                   const frame::Image& raw,
                   const frame::Image& model,
                   const MatchingKernel& kernel,
                   const StackFrame& frame) {
    const int half = kernel.half();
    // Beyond the edge, and where nothing is known, nothing is taken off.
    frame::Image padded(picture.width() + 2 * half, picture.height() + 2 * half);
    for (int y = 0; y < picture.height(); ++y) {
        for (int x = 0; x < picture.width(); ++x) {
            const float v = model.at(x, y);
            padded.at(x + half, y + half) = std::isfinite(v) ? v : 0.0F;
        }
    }
    const int columns = (picture.width() + kBlock - 1) / kBlock;
    const int rows = (picture.height() + kBlock - 1) / kBlock;
    const auto most = static_cast<float>(frame.noise / std::max(kernel.mismatch(), 1e-4));
    const auto ceiling = static_cast<float>(std::min(0.95 * frame.saturation, 3e38));
    const auto modelCeiling =
        static_cast<float>(std::min(kMostOfSaturation * frame.saturation * frame.fluxScale, 3e38));
    parallelFor(static_cast<std::size_t>(columns * rows), [&](std::size_t block) {
        const int x0 = static_cast<int>(block) % columns * kBlock;
        const int y0 = static_cast<int>(block) / columns * kBlock;
        const int width = std::min(kBlock, picture.width() - x0);
        const int height = std::min(kBlock, picture.height() - y0);
        const auto here = kernel.at({x0 + 0.5 * width, y0 + 0.5 * height});
        std::vector<float> taken(static_cast<std::size_t>(width));
        for (int y = y0; y < y0 + height; ++y) {
            convolveRow(padded, here, half, x0, y, taken);
            for (int x = x0; x < x0 + width; ++x) {
                const float light = taken[static_cast<std::size_t>(x - x0)];
                const bool isTrusted = light < most && raw.at(x, y) < ceiling &&
                                       model.at(x, y) < modelCeiling; // false for NaN
                picture.at(x, y) = isTrusted ? picture.at(x, y) - light : frame::kNoValue;
            }
        }
    });
}

} // namespace pathmark::stack

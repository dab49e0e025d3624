#include "core/stack/star_subtraction.h"

#include "core/base/parallel.h"
#include "core/stack/convolution.h"
#include "core/stack/pixel_kernels.h"

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
    const auto lowest = static_cast<float>(least);
    const auto highest = static_cast<float>(std::min(most, 3e38));
    for (int cell = 0; cell < kCellsX * kCellsY; ++cell) {
        const int x0 = std::max(margin, cell % kCellsX * width / kCellsX);
        const int x1 = std::min(width - margin, (cell % kCellsX + 1) * width / kCellsX);
        const int y0 = std::max(margin, cell / kCellsX * height / kCellsY);
        const int y1 = std::min(height - margin, (cell / kCellsX + 1) * height / kCellsY);
        std::vector<Peak> peaks;
        for (int y = y0; y < y1; ++y) {
            for (int x = x0; x < x1; ++x) {
                const float v = model.at(x, y);
                if (v > lowest && v < highest && v >= model.at(x - 1, y) &&
                    v > model.at(x + 1, y) && v >= model.at(x, y - 1) && v > model.at(x, y + 1)) {
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

/// Rows of a model with a margin all around; beyond the edge, and where nothing is known, nothing is to be taken off.
frame::Image bandOf(const frame::Image& model, int y0, int height, int margin) {
    frame::Image band(model.width() + 2 * margin, height + 2 * margin);
    for (int y = std::max(0, y0 - margin); y < std::min(model.height(), y0 + height + margin);
         ++y) {
        copyFinite(model.row(y),
                   band.row(y - y0 + margin)
                       .subspan(static_cast<std::size_t>(margin), model.row(y).size()));
    }
    return band;
}

} // namespace

void subtractStars(frame::Image& picture,
                   const frame::Image& model,
                   const MatchingKernel& kernel,
                   const StackFrame& frame) {
    const int half = kernel.half();
    const int bands = (picture.height() + kBlock - 1) / kBlock;
    const auto most = static_cast<float>(frame.noise / std::max(kernel.mismatch(), 1e-4));
    const auto modelCeiling =
        static_cast<float>(std::min(kMostOfSaturation * frame.saturation * frame.fluxScale, 3e38));
    parallelFor(static_cast<std::size_t>(bands), [&](std::size_t b) {
        const int y0 = static_cast<int>(b) * kBlock;
        const int height = std::min(kBlock, picture.height() - y0);
        std::vector<std::vector<float>> kernels;
        for (int x0 = 0; x0 < picture.width(); x0 += kBlock) {
            const int width = std::min(kBlock, picture.width() - x0);
            kernels.push_back(kernel.at({x0 + 0.5 * width, y0 + 0.5 * height}));
        }
        const frame::Image stars = bandOf(model, y0, height, half);
        std::vector<float> taken(static_cast<std::size_t>(picture.width()));
        for (int y = 0; y < height; ++y) {
            for (std::size_t k = 0; k < kernels.size(); ++k) {
                const std::size_t x0 = k * kBlock;
                convolveRow(
                    stars,
                    kernels[k],
                    half,
                    static_cast<int>(x0),
                    y,
                    std::span(taken).subspan(x0, std::min<std::size_t>(kBlock, taken.size() - x0)));
            }
            takeLight({taken, model.row(y0 + y), most, modelCeiling}, picture.row(y0 + y));
        }
    });
}

} // namespace pathmark::stack

#include "core/stack/star_subtraction.h"

#include "core/base/parallel.h"
#include "core/stack/convolution.h"
#include "core/stack/pixel_kernels.h"

#include <algorithm>
#include <array>
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

/// The part of a model that a kernel needs for rows of a picture; where nothing is known, nothing is to be taken off.
frame::Image bandOf(const frame::Image& model, int y0, int height, int width) {
    frame::Image band(width, height);
    for (int y = 0; y < height; ++y) {
        copyFinite(model.row(y0 + y).subspan(1, band.row(y).size()), band.row(y));
    }
    return band;
}

/// Rows of light as they come, and the brightest light beside each pixel of the row before the last.
class BrightestBeside {
  public:
    explicit BrightestBeside(std::size_t width) : beside_(width) {
        rows_.fill(std::vector<float>(width));
    }

    /// The row to be written next.
    std::span<float> next() {
        std::rotate(rows_.begin(), rows_.begin() + 1, rows_.end());
        return rows_.back();
    }

    [[nodiscard]] std::span<const float> before() const { return rows_[1]; }

    /// Of three by three pixels.
    std::span<const float> beside() {
        brightestBeside(rows_[0], rows_[1], rows_[2], beside_);
        return beside_;
    }

  private:
    std::array<std::vector<float>, 3> rows_;
    std::vector<float> beside_;
};

/// No value is left within `reach` of a place.
void dropDisc(frame::Image& picture, int x, int y, int reach) {
    for (int dy = -reach; dy <= reach; ++dy) {
        const int across = static_cast<int>(std::sqrt(reach * reach - dy * dy));
        const int x0 = std::max(0, x - across);
        const int x1 = std::min(picture.width(), x + across + 1);
        if (y + dy >= 0 && y + dy < picture.height() && x0 < x1) {
            std::ranges::fill(picture.row(y + dy).subspan(static_cast<std::size_t>(x0),
                                                          static_cast<std::size_t>(x1 - x0)),
                              frame::kNoValue);
        }
    }
}

/// No value is left about what a model does not know, as far as a kernel carries the light that is missing there. Beyond the edge of
/// the picture a model may have nothing to tell: there only what is too bright counts.
void dropAroundUnknown(
    const frame::Image& model, float ceiling, int margin, int reach, frame::Image& picture) {
    const auto isUnknown = [&](int x, int y) {
        const float light = model.at(x, y);
        return picture.contains(x - margin, y - margin) ? !(light < ceiling) : light >= ceiling;
    };
    for (int y = 1; y + 1 < model.height(); ++y) {
        for (int x = 1; x + 1 < model.width(); ++x) {
            if (isUnknown(x, y) && !(isUnknown(x - 1, y) && isUnknown(x + 1, y) &&
                                     isUnknown(x, y - 1) && isUnknown(x, y + 1))) {
                dropDisc(picture, x - margin, y - margin, reach);
            }
        }
    }
}

} // namespace

void subtractStars(frame::Image& picture,
                   const frame::Image& model,
                   const MatchingKernel& kernel,
                   const StackFrame& frame) {
    const int half = kernel.half();
    const int margin = marginOf(kernel);
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
        // A row more on either side: what a kernel misses of a star is missing beside its brightest pixel as well.
        const frame::Image stars =
            bandOf(model, y0, height + 2 + 2 * half, picture.width() + 2 * half);
        BrightestBeside brightest(static_cast<std::size_t>(picture.width()));
        for (int y = -1; y <= height; ++y) {
            const std::span<float> taken = brightest.next();
            for (std::size_t k = 0; k < kernels.size(); ++k) {
                const std::size_t x0 = k * kBlock;
                convolveRow(stars,
                            kernels[k],
                            half,
                            static_cast<int>(x0),
                            y + 1,
                            taken.subspan(x0, std::min<std::size_t>(kBlock, taken.size() - x0)));
            }
            if (y > 0) {
                const int row = y0 + y - 1;
                takeLight({brightest.before(),
                           brightest.beside(),
                           model.row(row + margin).subspan(static_cast<std::size_t>(margin)),
                           most,
                           modelCeiling},
                          picture.row(row));
            }
        }
    });
    dropAroundUnknown(model, modelCeiling, margin, half, picture);
}

} // namespace pathmark::stack

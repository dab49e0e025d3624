#include "core/detect/matched_filter.h"

#include "core/base/clones.h"
#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace pathmark::detect {
namespace {

/// out[i] += weight * in[i]; the whole filter is made of this.
PATHMARK_CLONES void addScaled(const float* in, float weight, float* out, int count) {
    for (int i = 0; i < count; ++i) {
        out[i] += weight * in[i];
    }
}

std::vector<float> gaussianKernel(double fwhm) {
    const double sigma = fwhm / 2.3548200450309493;
    const int half = std::max(1, static_cast<int>(std::ceil(3.0 * sigma)));
    std::vector<float> kernel;
    for (int i = -half; i <= half; ++i) {
        kernel.push_back(static_cast<float>(std::exp(-0.5 * i * i / (sigma * sigma))));
    }
    return kernel;
}

} // namespace

frame::Image
filterForPoints(const frame::Image& skySubtracted, const Background& sky, double fwhm) {
    const std::vector<float> kernel = gaussianKernel(fwhm);
    const int half = static_cast<int>(kernel.size()) / 2;
    const int width = skySubtracted.width();
    const int height = skySubtracted.height();
    double squares = 0.0;
    for (const float k : kernel) {
        squares += static_cast<double>(k) * static_cast<double>(k);
    }
    const auto norm = static_cast<float>(1.0 / squares); // sqrt of the 2-D sum of squares

    frame::Image across(width, height);
    parallelFor(static_cast<std::size_t>(height), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        std::vector<float> padded(static_cast<std::size_t>(width) + kernel.size(), 0.0F);
        const auto in = skySubtracted.row(y);
        std::transform(in.begin(), in.end(), padded.begin() + half, [](float v) {
            return std::isfinite(v) ? v : 0.0F;
        });
        for (std::size_t k = 0; k < kernel.size(); ++k) {
            addScaled(padded.data() + k, kernel[k], across.row(y).data(), width);
        }
    });
    frame::Image result(width, height);
    parallelFor(static_cast<std::size_t>(height), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int k = -half; k <= half; ++k) {
            if (y + k >= 0 && y + k < height) {
                addScaled(across.row(y + k).data(),
                          kernel[static_cast<std::size_t>(k + half)],
                          result.row(y).data(),
                          width);
            }
        }
        const auto out = result.row(y);
        std::vector<float> noise(static_cast<std::size_t>(width));
        sky.noiseRow(y, noise);
        for (std::size_t x = 0; x < noise.size(); ++x) {
            out[x] = noise[x] > 0.0F ? out[x] * norm / noise[x] : 0.0F;
        }
    });
    return result;
}

std::vector<Peak> findPeaks(const frame::Image& filtered, float threshold, int border) {
    std::vector<std::vector<Peak>> perRow(static_cast<std::size_t>(filtered.height()));
    parallelFor(perRow.size(), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        if (y < border || y >= filtered.height() - border) {
            return;
        }
        for (int x = border; x < filtered.width() - border; ++x) {
            const float v = filtered.at(x, y);
            if (!(v > threshold)) {
                continue;
            }
            bool highest = true;
            for (int j = -1; j <= 1 && highest; ++j) {
                for (int i = -1; i <= 1; ++i) {
                    const bool before = j < 0 || (j == 0 && i < 0);
                    const float other = filtered.at(x + i, y + j);
                    // Of equal neighbours the first one counts.
                    if ((i != 0 || j != 0) && (before ? other >= v : other > v)) {
                        highest = false;
                        break;
                    }
                }
            }
            if (highest) {
                perRow[row].push_back({x, y, v});
            }
        }
    });
    std::vector<Peak> peaks;
    for (const auto& row : perRow) {
        peaks.insert(peaks.end(), row.begin(), row.end());
    }
    std::sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) {
        return std::tuple(-a.snr, a.y, a.x) < std::tuple(-b.snr, b.y, b.x);
    });
    return peaks;
}

} // namespace pathmark::detect

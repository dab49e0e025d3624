#include "core/calibrate/dark_scale.h"

#include "core/base/robust.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace pathmark::calibrate {
namespace {

/// A hot pixel: its excess in the dark, in the light, and the light's variance there.
struct HotPixel {
    double dark = 0.0;
    double light = 0.0;
    double variance = 1.0;
};

/// One row of dark and light, the bias taken off.
struct Rows {
    std::vector<float> dark;
    std::vector<float> light;

    Rows(const frame::Image& raw, const Master& bias, const Master& master, int y) {
        for (int x = 0; x < raw.width(); ++x) {
            dark.push_back(master.image.at(x, y) - bias.image.at(x, y));
            light.push_back(raw.at(x, y) - bias.image.at(x, y));
        }
    }
};

double around(const std::vector<float>& row, std::size_t x) {
    std::array<float, 4> values{row[x - 2], row[x - 1], row[x + 1], row[x + 2]};
    std::sort(values.begin(), values.end());
    return 0.5 * static_cast<double>(values[1] + values[2]);
}

double excess(const std::vector<float>& row, std::size_t x) {
    return static_cast<double>(row[x]) - around(row, x);
}

/// The scatter of `excess` in the bulk of the dark.
double bulkScatter(const frame::Image& light, const Master& bias, const Master& dark) {
    std::vector<float> sample;
    for (int y = 0; y < light.height(); y += std::max(1, light.height() / 64)) {
        const Rows rows(light, bias, dark, y);
        for (std::size_t x = 2; x + 2 < rows.dark.size(); x += 3) {
            sample.push_back(static_cast<float>(excess(rows.dark, x)));
        }
    }
    return clippedMoments(sample).sigma;
}

std::vector<HotPixel> findHotPixels(const frame::Image& light,
                                    const Master& bias,
                                    const Master& dark,
                                    const frame::NoiseModel& noise) {
    const double least = 12.0 * bulkScatter(light, bias, dark);
    const double read = noise.readNoiseElectrons / noise.electronsPerAdu;
    std::vector<HotPixel> pixels;
    for (int y = 0; y < light.height(); ++y) {
        const Rows rows(light, bias, dark, y);
        for (std::size_t x = 2; x + 2 < rows.dark.size(); ++x) {
            const double d = excess(rows.dark, x);
            if (d > least && d < 20000.0) {
                // The pixel's own noise and, through the median of four, about a third of as much again.
                const double photons = std::max(0.0, around(rows.light, x)) + d;
                pixels.push_back({d,
                                  excess(rows.light, x),
                                  1.35 * (read * read + photons / noise.electronsPerAdu + 1.0)});
            }
        }
    }
    return pixels;
}

} // namespace

DarkScale fitDarkScale(const frame::Image& light,
                       double lightSeconds,
                       const Master& bias,
                       const Master& dark,
                       const frame::NoiseModel& noise) {
    constexpr int fewest = 20;
    DarkScale result;
    const double seconds = dark.example.exposureSeconds;
    result.scale = seconds > 0.0 ? lightSeconds / seconds : 1.0;
    const auto pixels = findHotPixels(light, bias, dark, noise);
    if (static_cast<int>(pixels.size()) < fewest) {
        return result;
    }
    // The start must not know the clock: the median of the pixels' own ratios.
    std::vector<double> ratios;
    ratios.reserve(pixels.size());
    for (const HotPixel& pixel : pixels) {
        ratios.push_back(pixel.light / pixel.dark);
    }
    double scale = medianInPlace(std::span(ratios));
    for (int round = 0; round < 8; ++round) {
        double squares = 0.0;
        double products = 0.0;
        int used = 0;
        for (const HotPixel& pixel : pixels) {
            if (std::abs(pixel.light - scale * pixel.dark) < 3.5 * std::sqrt(pixel.variance)) {
                squares += pixel.dark * pixel.dark / pixel.variance;
                products += pixel.dark * pixel.light / pixel.variance;
                ++used;
            }
        }
        result.pixels = used;
        if (used < fewest) {
            return result;
        }
        scale = products / squares;
        result.error = 1.0 / std::sqrt(squares);
    }
    result.measured = scale;
    const bool sure = scale > 0.0 && result.error < 0.05 * scale;
    if (sure && std::abs(scale - result.scale) > 2.5 * result.error) {
        result.scale = scale;
        result.fitted = true;
    }
    return result;
}

} // namespace pathmark::calibrate

#include "core/stack/lights_near.h"

#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace pathmark::stack {
namespace {

constexpr double kLeastSnr = 5.0;

double sigmaOf(double fwhm) {
    return fwhm / (2.0 * std::sqrt(2.0 * std::log(2.0)));
}

/// The mean under a Gaussian, pixels without a value left out; NaN where the middle has none.
float smoothedAt(const frame::Image& part, int x, int y, double sigma) {
    if (!std::isfinite(part.at(x, y))) {
        return frame::kNoValue;
    }
    const int reach = static_cast<int>(std::ceil(3.0 * sigma));
    double sum = 0.0;
    double weights = 0.0;
    for (int j = std::max(0, y - reach); j <= std::min(part.height() - 1, y + reach); ++j) {
        for (int i = std::max(0, x - reach); i <= std::min(part.width() - 1, x + reach); ++i) {
            if (std::isfinite(part.at(i, j))) {
                const double w =
                    std::exp(-0.5 * ((i - x) * (i - x) + (j - y) * (j - y)) / (sigma * sigma));
                sum += w * static_cast<double>(part.at(i, j));
                weights += w;
            }
        }
    }
    return static_cast<float>(sum / weights);
}

frame::Image smoothed(const frame::Image& part, double sigma) {
    frame::Image result(part.width(), part.height());
    for (int y = 0; y < part.height(); ++y) {
        for (int x = 0; x < part.width(); ++x) {
            result.at(x, y) = smoothedAt(part, x, y, sigma);
        }
    }
    return result;
}

bool isPeak(const frame::Image& image, int x, int y) {
    const float v = image.at(x, y);
    for (int j = -1; j <= 1; ++j) {
        for (int i = -1; i <= 1; ++i) {
            if ((i != 0 || j != 0) && !(image.at(x + i, y + j) < v)) {
                return false; // NaN beside it too
            }
        }
    }
    return true;
}

/// The centre of light under a Gaussian weight; absent where it walks away.
std::optional<frame::PixelPos>
centred(const frame::Image& part, frame::PixelPos start, double level, double sigma) {
    const int reach = static_cast<int>(std::ceil(4.0 * sigma));
    frame::PixelPos at = start;
    for (int round = 0; round < 30; ++round) {
        double sum = 0.0;
        double x = 0.0;
        double y = 0.0;
        const int cx = static_cast<int>(std::lround(at.x));
        const int cy = static_cast<int>(std::lround(at.y));
        for (int j = std::max(0, cy - reach); j <= std::min(part.height() - 1, cy + reach); ++j) {
            for (int i = std::max(0, cx - reach); i <= std::min(part.width() - 1, cx + reach);
                 ++i) {
                if (!std::isfinite(part.at(i, j))) {
                    continue;
                }
                const double dx = i - at.x;
                const double dy = j - at.y;
                const double light = std::exp(-0.5 * (dx * dx + dy * dy) / (sigma * sigma)) *
                                     (static_cast<double>(part.at(i, j)) - level);
                sum += light;
                x += light * dx;
                y += light * dy;
            }
        }
        if (!(sum > 0.0)) {
            return std::nullopt;
        }
        // Twice: the weight draws the mean of a light of its own width half-way to itself.
        const frame::PixelPos step{2.0 * x / sum, 2.0 * y / sum};
        at.x += step.x;
        at.y += step.y;
        if (std::hypot(at.x - start.x, at.y - start.y) > 2.0 * sigma + 1.0) {
            return std::nullopt;
        }
        if (std::hypot(step.x, step.y) < 1e-3) {
            return at;
        }
    }
    return at;
}

} // namespace

std::vector<LightNear> lightsNear(
    const frame::Image& part, frame::PixelPos place, double radius, double fwhm, std::size_t most) {
    const double sigma = sigmaOf(std::max(fwhm, 1.5));
    const frame::Image smooth = smoothed(part, sigma);
    std::vector<double> values;
    for (const float v : smooth.pixels()) {
        if (std::isfinite(v)) {
            values.push_back(static_cast<double>(v));
        }
    }
    if (values.size() < 20) {
        return {};
    }
    const RobustMoments around = medianAndDeviation(std::move(values));
    std::vector<LightNear> lights;
    const int reach = static_cast<int>(std::ceil(radius));
    const int cx = static_cast<int>(std::lround(place.x));
    const int cy = static_cast<int>(std::lround(place.y));
    for (int y = std::max(1, cy - reach); y <= std::min(part.height() - 2, cy + reach); ++y) {
        for (int x = std::max(1, cx - reach); x <= std::min(part.width() - 2, cx + reach); ++x) {
            const double snr =
                (static_cast<double>(smooth.at(x, y)) - around.centre) / around.sigma;
            if (!(snr > kLeastSnr) || !isPeak(smooth, x, y) ||
                std::hypot(x - place.x, y - place.y) > radius) {
                continue;
            }
            if (const auto centre = centred(
                    part, {static_cast<double>(x), static_cast<double>(y)}, around.centre, sigma)) {
                lights.push_back({*centre, snr});
            }
        }
    }
    std::sort(lights.begin(), lights.end(), [](const LightNear& a, const LightNear& b) {
        return a.snr > b.snr;
    });
    lights.resize(std::min(lights.size(), most));
    return lights;
}

} // namespace pathmark::stack

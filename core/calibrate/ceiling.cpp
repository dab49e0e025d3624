#include "core/calibrate/ceiling.h"

#include "core/base/robust.h"
#include "core/calibrate/apply_pixels.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::calibrate {
namespace {

constexpr std::size_t kSample = 20000;
constexpr std::size_t kFewest = 4;
constexpr float kBelow = 0.97F;
constexpr double kAboveSky = 50.0; // sigma

} // namespace

std::optional<double> ceilingOf(const frame::Image& raw) {
    const auto pixels = raw.pixels();
    const float highest = highestOf(pixels.data(), pixels.size());
    const auto [full, nearly] = countAt(pixels.data(), pixels.size(), highest, kBelow * highest);
    if (full < kFewest || full <= nearly) {
        return std::nullopt;
    }
    std::vector<double> sample;
    const std::size_t step = std::max<std::size_t>(1, pixels.size() / kSample);
    for (std::size_t i = 0; i < pixels.size(); i += step) {
        if (std::isfinite(pixels[i])) {
            sample.push_back(static_cast<double>(pixels[i]));
        }
    }
    const auto sky = medianAndDeviation(sample);
    const auto top = static_cast<double>(highest);
    return top > sky.centre + kAboveSky * std::max(sky.sigma, 1e-3 * top) ? std::optional(top)
                                                                          : std::nullopt;
}

std::optional<double>
saturationOf(const frame::Image& image, const frame::Header& header, const frame::FrameInfo& info) {
    if (const auto left = header.number("PMSATUR")) {
        return left;
    }
    const auto ceiling = ceilingOf(image);
    if (!ceiling || !info.saturationAdu) {
        return ceiling ? ceiling : info.saturationAdu;
    }
    return std::min(*ceiling, *info.saturationAdu);
}

} // namespace pathmark::calibrate

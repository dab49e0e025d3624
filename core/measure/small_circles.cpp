#include "core/measure/small_circles.h"

#include "core/measure/aperture.h"
#include "core/measure/coma_profile.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::measure {
namespace {

constexpr int kFine = 3; ///< smaller pixels of a pixel, each way
constexpr int kMiddle = kFine / 2;
constexpr double kFewPixels = 4.0;
constexpr double kFewWidths = 3.0;

detect::PointSpread onFinePixels(const detect::PointSpread& spread) {
    detect::MoffatForm form = detect::MoffatForm::of(spread.shape());
    form.logSize += std::log(static_cast<double>(kFine));
    return detect::PointSpread(form.profile(), kFine * spread.trailX(), kFine * spread.trailY());
}

/// The light inside a circle by fine pixels, over that by the areas of whole ones.
double factorOf(const ComaProfile& profile, frame::PixelPos nucleus, double radius, int half) {
    double fine = 0.0;
    double whole = 0.0;
    for (int y = -half; y <= half; ++y) {
        for (int x = -half; x <= half; ++x) {
            double light = 0.0; // of the whole pixel
            for (int k = 0; k < kFine * kFine; ++k) {
                const int column = k % kFine - kMiddle;
                const int row = k / kFine - kMiddle;
                const double dx = kFine * (x - nucleus.x) + column;
                const double dy = kFine * (y - nucleus.y) + row;
                const double own = profile.at(dx, dy).value;
                light += own;
                fine += shareInside(dx, dy, kFine * radius) * own;
            }
            whole += shareInside(x - nucleus.x, y - nucleus.y, radius) * light;
        }
    }
    return whole > 0.0 ? fine / whole : 1.0;
}

} // namespace

std::vector<double> unevenPixelFactors(const detect::PointSpread& spread,
                                       double slope,
                                       frame::PixelPos nucleus,
                                       std::span<const double> radii) {
    std::vector<double> factors;
    factors.reserve(radii.size());
    double largest = 0.0;
    for (const double radius : radii) {
        factors.push_back(1.0 + slope * (2.0 - slope) / (12.0 * radius * radius));
        largest = radius < kFewPixels ? std::max(largest, radius) : largest;
    }
    if (largest == 0.0) {
        return factors;
    }
    const int half = static_cast<int>(std::ceil(largest)) + 1;
    const ComaProfile profile(onFinePixels(spread), slope, kFine * (half + 1));
    for (std::size_t i = 0; i < radii.size(); ++i) {
        if (radii[i] < kFewPixels) {
            factors[i] = factorOf(profile, nucleus, radii[i], half);
        }
    }
    return factors;
}

std::vector<double>
sharesAfterSeeing(const detect::PointSpread& spread, double slope, std::span<const double> radii) {
    if (radii.empty()) {
        return {};
    }
    const double near = kFewWidths * std::max(spread.fwhm(), 1.0);
    const int half = static_cast<int>(std::ceil(near)) + 1;
    const ComaProfile profile(spread, slope, half + 1);
    const auto shareWithin = [&](double radius) {
        double light = 0.0;
        for (int y = -half; y <= half; ++y) {
            for (int x = -half; x <= half; ++x) {
                light += shareInside(x, y, radius) * profile.at(x, y).value;
            }
        }
        light *= unevenPixelFactors(spread, slope, {0.0, 0.0}, std::span(&radius, 1)).front();
        const double whole = 2.0 * std::numbers::pi * std::pow(radius, 2.0 - slope) / (2.0 - slope);
        return std::min(1.0, light / whole);
    };
    const double missing = 1.0 - shareWithin(near);
    std::vector<double> shares;
    shares.reserve(radii.size());
    for (const double radius : radii) {
        shares.push_back(radius < near ? shareWithin(radius)
                                       : 1.0 - missing * std::pow(near / radius, 2));
    }
    return shares;
}

} // namespace pathmark::measure

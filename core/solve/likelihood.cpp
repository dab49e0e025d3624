#include "core/solve/likelihood.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::solve {
namespace {

/// Error of a place: noise of centroids in pixels, and what distortion adds over the frame as a share of its diagonal.
struct Width {
    double noise;
    double distortion;
};

/// Ratios beyond are brought back into range: hundreds of stars would overflow a double.
constexpr double kLarge = 1e120;

constexpr std::array<Width, 3> kErrors{{{0.6, 0.0}, {1.5, 0.002}, {3.0, 0.008}}};

} // namespace

PlaceLikelihood::PlaceLikelihood(double area, double extent, double starsOnFrame)
    : area_(area), extent_(extent), stars_(std::max(1.0, starsOnFrame)) {
    ratios_.fill(1.0);
}

void PlaceLikelihood::assume(Place pixel, Place plane, bool flipped) {
    similarity_.flipped = flipped;
    add(pixel, plane);
}

void PlaceLikelihood::add(Place pixel, Place plane) {
    const Place z = similarity_.flipped ? std::conj(pixel) : pixel;
    count_ += 1.0;
    sumPixel_ += z;
    sumPlane_ += plane;
    sumProduct_ += std::conj(z) * plane;
    sumSquare_ += std::norm(z);
    const double spread = sumSquare_ - std::norm(sumPixel_) / count_;
    if (spread > 0.0) {
        similarity_.factor = (sumProduct_ - std::conj(sumPixel_) * sumPlane_ / count_) / spread;
        similarity_.offset = (sumPlane_ - similarity_.factor * sumPixel_) / count_;
    }
}

std::array<double, PlaceLikelihood::kWidths> PlaceLikelihood::variances(Place pixel) const {
    const Place z = similarity_.flipped ? std::conj(pixel) : pixel;
    const double lever = std::norm(z - sumPixel_ / count_);
    const double spread = std::max(1.0, sumSquare_ - std::norm(sumPixel_) / count_);
    const double fitted = 1.0 + 1.0 / count_ + lever / spread;
    const double far = extent_ * std::min(1.0, 4.0 * lever / (extent_ * extent_));
    std::array<double, kWidths> result{};
    for (std::size_t w = 0; w < result.size(); ++w) {
        const double bent = kErrors[w].distortion * far;
        result[w] = kErrors[w].noise * kErrors[w].noise * fitted + bent * bent;
    }
    return result;
}

double PlaceLikelihood::reach(Place pixel) const {
    return 3.0 * std::sqrt(variances(pixel).back());
}

void PlaceLikelihood::tell(Place pixel, std::optional<Place> star) {
    ++told_;
    if (!star) {
        for (std::size_t i = 0; i < ratios_.size(); ++i) {
            ratios_[i] *= kStrays[i % kStrays.size()];
        }
        return;
    }
    const auto variance = variances(pixel);
    const double square =
        std::norm(*star - similarity_.apply(pixel)) / std::norm(similarity_.factor);
    for (std::size_t w = 0; w < variance.size(); ++w) {
        const double peak = area_ / stars_ / (2.0 * std::numbers::pi * variance[w]) *
                            std::exp(-0.5 * square / variance[w]);
        for (std::size_t d = 0; d < kStrays.size(); ++d) {
            ratios_[w * kStrays.size() + d] *= kStrays[d] + (1.0 - kStrays[d]) * peak;
        }
    }
    keepInRange();
    // Only what the middle width calls near shapes the similarity.
    if (square < 9.0 * variance[1]) {
        add(pixel, *star);
        ++matched_;
    }
}

void PlaceLikelihood::keepInRange() {
    const double most = *std::max_element(ratios_.begin(), ratios_.end());
    if (most > kLarge) {
        for (double& ratio : ratios_) {
            ratio /= kLarge;
        }
        takenOut_ += std::log10(kLarge);
    }
}

double PlaceLikelihood::log10() const {
    double sum = 0.0;
    for (const double ratio : ratios_) {
        sum += ratio;
    }
    return takenOut_ + std::log10(sum / static_cast<double>(ratios_.size()));
}

} // namespace pathmark::solve

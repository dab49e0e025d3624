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

constexpr std::array<Width, 3> kErrors{{{0.6, 0.0}, {1.5, 0.002}, {3.0, 0.008}}};

} // namespace

PlaceLikelihood::PlaceLikelihood(double area, double extent, double starsOnFrame)
    : area_(area), extent_(extent), stars_(std::max(1.0, starsOnFrame)) {}

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

double PlaceLikelihood::variance(int width, Place pixel) const {
    const Place z = similarity_.flipped ? std::conj(pixel) : pixel;
    const double lever = std::norm(z - sumPixel_ / count_);
    const double spread = std::max(1.0, sumSquare_ - std::norm(sumPixel_) / count_);
    const Width& w = kErrors[static_cast<std::size_t>(width)];
    const double bent = w.distortion * extent_ * std::min(1.0, 4.0 * lever / (extent_ * extent_));
    return w.noise * w.noise * (1.0 + 1.0 / count_ + lever / spread) + bent * bent;
}

double PlaceLikelihood::reach(Place pixel) const {
    return 3.0 * std::sqrt(variance(kWidths - 1, pixel));
}

void PlaceLikelihood::tell(Place pixel, std::optional<Place> star) {
    ++told_;
    double square = 0.0;
    if (star) {
        square = std::norm(*star - similarity_.apply(pixel)) / std::norm(similarity_.factor);
    }
    for (int w = 0; w < kWidths; ++w) {
        double peak = 0.0;
        double nearness = 0.0;
        const double v = variance(w, pixel);
        if (star) {
            nearness = std::exp(-0.5 * square / v);
        }
        peak = area_ / stars_ / (2.0 * std::numbers::pi * v) * nearness;
        for (std::size_t d = 0; d < kStrays.size(); ++d) {
            log_[static_cast<std::size_t>(w) * kStrays.size() + d] +=
                std::log10(kStrays[d] + (1.0 - kStrays[d]) * peak);
        }
    }
    // Only what the middle width calls near shapes the similarity.
    if (star && square < 9.0 * variance(1, pixel)) {
        add(pixel, *star);
        ++matched_;
    }
}

double PlaceLikelihood::log10() const {
    const double most = *std::max_element(log_.begin(), log_.end());
    double sum = 0.0;
    for (const double one : log_) {
        sum += std::pow(10.0, one - most);
    }
    return most + std::log10(sum / static_cast<double>(log_.size()));
}

} // namespace pathmark::solve

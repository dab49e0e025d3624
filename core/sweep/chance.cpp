#include "core/sweep/chance.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::sweep {
namespace {

constexpr double kLeastSlope = 0.3;
constexpr double kMostSlope = 1.05;
constexpr double kSlopeStep = 0.005;
constexpr double kPower = 3.0;

/// Of one peak: minus the derivative of E.
double logLikelihood(std::span<const double> peaks, double from, double slope) {
    double sum = 0.0;
    for (const double s : peaks) {
        sum += (kPower - 1.0) * std::log(s / from) - 0.5 * slope * (s * s - from * from) +
               std::log(slope * s * s - kPower);
    }
    return sum;
}

} // namespace

Chance::Chance(std::span<const double> peaks, double from, double share) {
    from_ = from;
    peaks_ = peaks.size();
    amplitude_ = std::max(1.0, static_cast<double>(peaks.size())) / share;
    // Where E falls at all.
    const double least = std::max(kLeastSlope, (kPower + 1.0) / (from * from));
    if (peaks.size() < 3) {
        return;
    }
    double best = -1e300;
    const int steps = static_cast<int>((kMostSlope - least) / kSlopeStep);
    for (int k = 0; k <= steps; ++k) {
        const double slope = least + kSlopeStep * k;
        const double value = logLikelihood(peaks, from, slope);
        if (value > best) {
            best = value;
            slope_ = slope;
        }
    }
}

Chance Chance::gaussian(double sums) {
    Chance chance;
    chance.from_ = 4.0;
    chance.amplitude_ = std::max(1.0, sums * 0.5 * std::erfc(4.0 / std::numbers::sqrt2));
    return chance;
}

double Chance::log10Expected(double snr) const {
    const double rest = kPower * std::log(snr / from_) - 0.5 * slope_ * (snr * snr - from_ * from_);
    return (std::log(amplitude_) + rest) / std::numbers::ln10;
}

double Chance::threshold(double expected) const {
    double low = from_;
    double high = 100.0;
    for (int round = 0; round < 60; ++round) {
        const double middle = 0.5 * (low + high);
        (log10Expected(middle) > std::log10(expected) ? low : high) = middle;
    }
    return high;
}

} // namespace pathmark::sweep

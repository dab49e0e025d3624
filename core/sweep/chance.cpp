#include "core/sweep/chance.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::sweep {
namespace {

constexpr double kLeastSlope = 0.3;
constexpr double kMostSlope = 1.05;
constexpr double kSlopeStep = 0.005;
/// Where a Gaussian field's peaks are counted, by its dimensions: the law holds where they are well above the noise.
constexpr double kFewestSigma = 4.0;
constexpr double kFewestSigmaOfFew = 2.5;

/// Of one peak: minus the derivative of E.
double logLikelihood(std::span<const double> peaks, double from, double slope, double power) {
    double sum = 0.0;
    for (const double s : peaks) {
        sum += (power - 1.0) * std::log(s / from) - 0.5 * slope * (s * s - from * from) +
               std::log(slope * s * s - power);
    }
    return sum;
}

} // namespace

Chance::Chance(std::span<const double> peaks, double from, double share, int dimensions) {
    power_ = dimensions - 1.0;
    from_ = from;
    peaks_ = peaks.size();
    amplitude_ = std::max(1.0, static_cast<double>(peaks.size())) / share;
    // Where E falls at all.
    const double least = std::max(kLeastSlope, (power_ + 1.0) / (from * from));
    if (peaks.size() < 3) {
        return;
    }
    double best = -1e300;
    const int steps = static_cast<int>((kMostSlope - least) / kSlopeStep);
    for (int k = 0; k <= steps; ++k) {
        const double slope = least + kSlopeStep * k;
        const double value = logLikelihood(peaks, from, slope, power_);
        if (value > best) {
            best = value;
            slope_ = slope;
        }
    }
}

Chance Chance::gaussian(double sums, int dimensions) {
    Chance chance;
    chance.power_ = dimensions - 1.0;
    const bool isOfMany = dimensions == kSweepDimensions;
    chance.from_ = isOfMany ? kFewestSigma : kFewestSigmaOfFew;
    const double expected = sums * 0.5 * std::erfc(chance.from_ / std::numbers::sqrt2);
    chance.amplitude_ = isOfMany ? std::max(1.0, expected) : expected;
    return chance;
}

double Chance::log10Expected(double snr) const {
    const double rest = power_ * std::log(snr / from_) - 0.5 * slope_ * (snr * snr - from_ * from_);
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

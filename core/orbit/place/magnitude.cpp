#include "core/orbit/place/magnitude.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::orbit {
namespace {

/// Cubic spline through given points with given slopes at its ends.
///
/// Source   Press et al. 2007, Numerical Recipes, 3rd ed., sec. 3.3.
class ClampedSpline {
  public:
    ClampedSpline(std::vector<double> degrees,
                  std::vector<double> values,
                  double firstSlope,
                  double lastSlope)
        : x_(std::move(degrees)), y_(std::move(values)), second_(x_.size()) {
        for (double& x : x_) {
            x *= kRadiansPerDegree;
        }
        const std::size_t n = x_.size();
        std::vector<double> u(n);
        second_[0] = -0.5;
        u[0] = 3.0 / (x_[1] - x_[0]) * ((y_[1] - y_[0]) / (x_[1] - x_[0]) - firstSlope);
        for (std::size_t i = 1; i + 1 < n; ++i) {
            const double part = (x_[i] - x_[i - 1]) / (x_[i + 1] - x_[i - 1]);
            const double p = part * second_[i - 1] + 2.0;
            second_[i] = (part - 1.0) / p;
            const double bend = (y_[i + 1] - y_[i]) / (x_[i + 1] - x_[i]) -
                                (y_[i] - y_[i - 1]) / (x_[i] - x_[i - 1]);
            u[i] = (6.0 * bend / (x_[i + 1] - x_[i - 1]) - part * u[i - 1]) / p;
        }
        const double step = x_[n - 1] - x_[n - 2];
        const double end = 3.0 / step * (lastSlope - (y_[n - 1] - y_[n - 2]) / step);
        second_[n - 1] = (end - 0.5 * u[n - 2]) / (0.5 * second_[n - 2] + 1.0);
        for (std::size_t i = n - 1; i-- > 0;) {
            second_[i] = second_[i] * second_[i + 1] + u[i];
        }
    }

    [[nodiscard]] double at(double radians) const {
        const double x = std::clamp(radians, x_.front(), x_.back());
        const auto above = std::upper_bound(x_.begin() + 1, x_.end() - 1, x);
        const auto i = static_cast<std::size_t>(above - x_.begin());
        const double h = x_[i] - x_[i - 1];
        const double a = (x_[i] - x) / h;
        const double b = (x - x_[i - 1]) / h;
        return a * y_[i - 1] + b * y_[i] +
               ((a * a * a - a) * second_[i - 1] + (b * b * b - b) * second_[i]) * h * h / 6.0;
    }

  private:
    std::vector<double> x_;
    std::vector<double> y_;
    std::vector<double> second_;
};

double twoSlopes(double g1, double g2, double phase) {
    static const ClampedSpline first(
        {7.5, 30.0, 60.0, 90.0, 120.0, 150.0},
        {0.75, 0.33486016, 0.13410560, 0.051104756, 0.021465687, 0.0036396989},
        -1.9098593,
        -0.091328612);
    static const ClampedSpline second(
        {7.5, 30.0, 60.0, 90.0, 120.0, 150.0},
        {0.925, 0.62884169, 0.31755495, 0.12716367, 0.022373903, 0.00016505689},
        -0.57295780,
        -8.6573138e-8);
    static const ClampedSpline third({0.0, 0.3, 1.0, 2.0, 4.0, 8.0, 12.0, 20.0, 30.0},
                                     {1.0,
                                      0.83381185,
                                      0.57735424,
                                      0.42144772,
                                      0.23174230,
                                      0.10348178,
                                      0.061733473,
                                      0.016107006,
                                      0.0},
                                     -0.10630097,
                                     0.0);
    const double linear = 7.5 * kRadiansPerDegree;
    const double phi1 = phase < linear ? 1.0 - 6.0 * phase / std::numbers::pi : first.at(phase);
    const double phi2 = phase < linear ? 1.0 - 1.8 * phase / std::numbers::pi : second.at(phase);
    return g1 * phi1 + g2 * phi2 + (1.0 - g1 - g2) * third.at(phase);
}

double oneSlope(double g, double phase) {
    const double tangent = std::tan(0.5 * phase);
    const double phi1 = std::exp(-3.33 * std::pow(tangent, 0.63));
    const double phi2 = std::exp(-1.87 * std::pow(tangent, 1.22));
    return (1.0 - g) * phi1 + g * phi2;
}

} // namespace

std::optional<double>
magnitudeOf(const Brightness& brightness, double sunDistanceAu, double distanceAu, Angle phase) {
    if (brightness.m1) {
        return *brightness.m1 + 5.0 * std::log10(distanceAu) +
               brightness.k1 * std::log10(sunDistanceAu);
    }
    if (!brightness.h) {
        return std::nullopt;
    }
    const double share = brightness.g2 ? twoSlopes(brightness.g, *brightness.g2, phase.radians())
                                       : oneSlope(brightness.g, phase.radians());
    return *brightness.h + 5.0 * std::log10(sunDistanceAu * distanceAu) -
           2.5 * std::log10(std::max(share, 1e-12));
}

} // namespace pathmark::orbit

#include "bench/measure/summed_point.h"

#include "core/base/linear.h"

#include <array>
#include <cmath>
#include <numbers>

namespace pathmark::bench {
namespace {

constexpr int kSteps = 9;         ///< of a pixel, along an axis
constexpr double kStep = 0.02;    ///< pixels, of a slope
constexpr double kCoreFwhm = 4.0; ///< farther out the profile is as good as straight within a pixel
constexpr double kMovesPerPixel = 6.0;

/// The profile's mean over a pixel, its middle so far off.
double meanOver(double dx, double dy, double alpha) {
    const int steps = std::hypot(dx, dy) < kCoreFwhm * kFwhm ? kSteps : 1;
    double sum = 0.0;
    for (int j = 0; j < steps; ++j) {
        for (int i = 0; i < steps; ++i) {
            const double u = dx + (i + 0.5) / steps - 0.5;
            const double v = dy + (j + 0.5) / steps - 0.5;
            const double q = 1.0 + (u * u + v * v) / (alpha * alpha);
            sum += 1.0 / (q * q * q);
        }
    }
    return sum / (steps * steps);
}

frame::Image sharesOf(const Form& form, int side) {
    static_assert(kBeta == 3.0);
    const double alpha = 0.5 * kFwhm / std::sqrt(std::pow(2.0, 1.0 / kBeta) - 1.0);
    const double height = (kBeta - 1.0) / (std::numbers::pi * alpha * alpha);
    const int moves =
        1 + static_cast<int>(std::ceil(kMovesPerPixel * std::hypot(form.trailX, form.trailY)));
    frame::Image shares(side, side);
    for (int m = 0; m < moves; ++m) {
        const double along = (m + 0.5) / moves - 0.5;
        for (int y = 0; y < side; ++y) {
            for (int x = 0; x < side; ++x) {
                const double mean = meanOver(
                    x - form.x - along * form.trailX, y - form.y - along * form.trailY, alpha);
                shares.at(x, y) += static_cast<float>(height * mean / moves);
            }
        }
    }
    return shares;
}

frame::Image slope(const frame::Image& ahead, const frame::Image& behind) {
    frame::Image result(ahead.width(), ahead.height());
    for (std::size_t k = 0; k < result.pixels().size(); ++k) {
        result.pixels()[k] =
            (ahead.pixels()[k] - behind.pixels()[k]) / static_cast<float>(2.0 * kStep);
    }
    return result;
}

} // namespace

double noiseOfSky() {
    return std::sqrt(kSky + kReadNoise * kReadNoise);
}

SummedPoint::SummedPoint(const Form& form, int side) : form_(form), shares_(sharesOf(form, side)) {
    const auto moved = [&](double dx, double dy) {
        return sharesOf({form.x + dx, form.y + dy, form.trailX, form.trailY}, side);
    };
    slopeX_ = slope(moved(kStep, 0.0), moved(-kStep, 0.0));
    slopeY_ = slope(moved(0.0, kStep), moved(0.0, -kStep));
}

SummedPoint SummedPoint::sharesOnly(const Form& form, int side) {
    SummedPoint point;
    point.form_ = form;
    point.shares_ = sharesOf(form, side);
    return point;
}

Bound SummedPoint::bound(double flux) const {
    Eigen::MatrixXd information = Eigen::MatrixXd::Zero(3, 3);
    for (std::size_t k = 0; k < shares_.pixels().size(); ++k) {
        const auto share = static_cast<double>(shares_.pixels()[k]);
        const std::array<double, 3> by{flux * static_cast<double>(slopeX_.pixels()[k]),
                                       flux * static_cast<double>(slopeY_.pixels()[k]),
                                       share};
        const double weight = 1.0 / (std::pow(noiseOfSky(), 2) + flux * share);
        for (int a = 0; a < 3; ++a) {
            for (int b = 0; b < 3; ++b) {
                information(a, b) += weight * by.at(static_cast<std::size_t>(a)) *
                                     by.at(static_cast<std::size_t>(b));
            }
        }
    }
    const Eigen::MatrixXd covariance = inverseOfSymmetric(information);
    return {std::sqrt(covariance(0, 0)), std::sqrt(covariance(1, 1)), std::sqrt(covariance(2, 2))};
}

double SummedPoint::fluxOf(double snr) const {
    double low = 1.0;
    double high = 1e9;
    for (int k = 0; k < 40; ++k) {
        const double flux = std::sqrt(low * high);
        (flux / bound(flux).flux < snr ? low : high) = flux;
    }
    return std::sqrt(low * high);
}

frame::Image expose(std::initializer_list<std::pair<const SummedPoint*, double>> points,
                    int side,
                    std::mt19937_64& random) {
    std::normal_distribution<double> readout(0.0, kReadNoise);
    std::poisson_distribution<int> sky(kSky);
    frame::Image image(side, side);
    for (std::size_t k = 0; k < image.pixels().size(); ++k) {
        double light = 0.0;
        for (const auto& [point, flux] : points) {
            light += flux * static_cast<double>(point->shares().pixels()[k]);
        }
        const int photons = light > 0.0 ? std::poisson_distribution<int>(light)(random) : 0;
        image.pixels()[k] = static_cast<float>(photons + sky(random) - kSky + readout(random));
    }
    return image;
}

} // namespace pathmark::bench

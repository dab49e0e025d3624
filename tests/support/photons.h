#pragma once

#include "core/frame/image.h"

#include <cmath>
#include <numbers>
#include <random>
#include <string>

namespace pathmark::test_support {

/// Light drawn photon by photon: a picture of it has the exact distribution of its source, without any formula for what a pixel
/// sees.
class Photons {
  public:
    explicit Photons(std::uint32_t seed) : random_(seed) {}

    double uniform() { return std::uniform_real_distribution<double>(0.0, 1.0)(random_); }

    double normal(double sigma) { return std::normal_distribution<double>(0.0, sigma)(random_); }

    int poisson(double mean) { return std::poisson_distribution<int>(mean)(random_); }

    /// Blur of every photon: a round Moffat profile, and a straight trail from end to end.
    void setBlur(double fwhm, double beta, double trailX, double trailY) {
        core_ = 0.5 * fwhm / std::sqrt(std::pow(2.0, 1.0 / beta) - 1.0);
        beta_ = beta;
        trailX_ = trailX;
        trailY_ = trailY;
    }

    /// Adds a point's light; only pixels of `colour` see it where there is a pattern of four letters.
    void point(frame::Image& image,
               double x,
               double y,
               double mean,
               const std::string& pattern = {},
               char colour = 0) {
        for (int k = poisson(mean); k > 0; --k) {
            drop(image, x, y, pattern, colour);
        }
    }

    /// A coma whose brightness falls as 1 / distance out to `radius` and ends there.
    void coma(frame::Image& image,
              double x,
              double y,
              double radius,
              double mean,
              const std::string& pattern = {},
              char colour = 0) {
        for (int k = poisson(mean); k > 0; --k) {
            const double rho = radius * uniform();
            const double angle = 2.0 * std::numbers::pi * uniform();
            drop(image, x + rho * std::cos(angle), y + rho * std::sin(angle), pattern, colour);
        }
    }

  private:
    void drop(frame::Image& image, double x, double y, const std::string& pattern, char colour) {
        const double r = core_ * std::sqrt(std::pow(1.0 - uniform(), -1.0 / (beta_ - 1.0)) - 1.0);
        const double angle = 2.0 * std::numbers::pi * uniform();
        const double along = uniform() - 0.5;
        const int i = static_cast<int>(std::lround(x + r * std::cos(angle) + along * trailX_));
        const int j = static_cast<int>(std::lround(y + r * std::sin(angle) + along * trailY_));
        if (image.contains(i, j) &&
            (pattern.empty() || pattern[static_cast<std::size_t>(j % 2 * 2 + i % 2)] == colour)) {
            image.at(i, j) += 1.0F;
        }
    }

    std::mt19937 random_;
    double core_ = 1.0;
    double beta_ = 3.0;
    double trailX_ = 0.0;
    double trailY_ = 0.0;
};

} // namespace pathmark::test_support

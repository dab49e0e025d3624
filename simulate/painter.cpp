#include "simulate/painter.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::simulate {
namespace {

/// The profile in the axes of its ellipse.
struct Profile {
    double cosine, sine, longScale, shortScale, beta, norm;

    explicit Profile(const Blur& blur)
        : cosine(std::cos(blur.angleDegrees * std::numbers::pi / 180.0)),
          sine(std::sin(blur.angleDegrees * std::numbers::pi / 180.0)), beta(blur.beta) {
        const double core = blur.fwhm / (2.0 * std::sqrt(std::exp2(1.0 / beta) - 1.0));
        const double ratio = 1.0 - blur.ellipticity;
        longScale = core / std::sqrt(ratio);
        shortScale = core * std::sqrt(ratio);
        norm = (beta - 1.0) / (std::numbers::pi * longScale * shortScale);
    }

    [[nodiscard]] double at(double dx, double dy) const {
        const double p = (dx * cosine + dy * sine) / longScale;
        const double q = (dy * cosine - dx * sine) / shortScale;
        return norm * std::pow(1.0 + p * p + q * q, -beta);
    }
};

double overPixel(const Profile& profile, double dx, double dy, int fine) {
    double sum = 0.0;
    for (int j = 0; j < fine; ++j) {
        for (int i = 0; i < fine; ++i) {
            sum += profile.at(dx + (i + 0.5) / fine - 0.5, dy + (j + 0.5) / fine - 0.5);
        }
    }
    return sum / (fine * fine);
}

} // namespace

void paintPoint(frame::Image& image, const Blur& blur, double x, double y, double electrons) {
    const Profile profile(blur);
    // Out to where less than a tenth of an electron is left in a pixel.
    const double edge = std::pow(electrons * profile.norm / 0.1, 0.5 / blur.beta);
    const int radius = std::clamp(static_cast<int>(profile.longScale * edge) + 2, 4, 250);
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    for (int j = std::max(0, cy - radius); j <= std::min(image.height() - 1, cy + radius); ++j) {
        for (int i = std::max(0, cx - radius); i <= std::min(image.width() - 1, cx + radius); ++i) {
            const double distance = std::hypot(i - x, j - y);
            const int fine = distance < 1.5 * blur.fwhm ? 5 : distance < 4.0 * blur.fwhm ? 2 : 1;
            image.at(i, j) +=
                static_cast<float>(electrons * overPixel(profile, i - x, j - y, fine));
        }
    }
}

void paintTrail(frame::Image& image,
                const Blur& blur,
                double x0,
                double y0,
                double x1,
                double y1,
                double electrons) {
    const int steps = std::max(1, static_cast<int>(std::ceil(5.0 * std::hypot(x1 - x0, y1 - y0))));
    for (int k = 0; k < steps; ++k) {
        const double t = (k + 0.5) / steps;
        paintPoint(image, blur, x0 + t * (x1 - x0), y0 + t * (y1 - y0), electrons / steps);
    }
}

void paintComet(frame::Image& image,
                const Blur& blur,
                double x,
                double y,
                double electrons,
                double comaPixels,
                double tailX,
                double tailY) {
    // A tenth in the core, seven in the coma, two in the tail. The coma fades beyond its size as exp(-(rho/R)^3), whose
    // integral over rho is Gamma(4/3) R = 0.893 R.
    paintPoint(image, blur, x, y, 0.1 * electrons);
    const double soft = 0.4 * blur.fwhm;
    const double comaNorm = 0.7 * electrons / (2.0 * std::numbers::pi * 0.893 * comaPixels);
    const double tailLength = 4.0 * comaPixels;
    const double tailNorm = 0.2 * electrons / (tailLength * 0.35 * tailLength * 0.5);
    const int reach = static_cast<int>(tailLength) + 2;
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    for (int j = std::max(0, cy - reach); j <= std::min(image.height() - 1, cy + reach); ++j) {
        for (int i = std::max(0, cx - reach); i <= std::min(image.width() - 1, cx + reach); ++i) {
            const double dx = i - x;
            const double dy = j - y;
            const double rho = std::sqrt(dx * dx + dy * dy + soft * soft);
            double light = comaNorm / rho * std::exp(-std::pow(rho / comaPixels, 3.0));
            const double along = dx * tailX + dy * tailY;
            const double across = std::abs(dx * tailY - dy * tailX);
            if (along > 0.0 && along < tailLength && across < 2.0 + 0.18 * along) {
                light += tailNorm * (1.0 - along / tailLength) / (1.0 + 0.1 * along);
            }
            image.at(i, j) += static_cast<float>(light);
        }
    }
}

int paintHits(frame::Image& image, double count, const NoiseHash& hash) {
    const int hits = static_cast<int>(hash.poisson(count, 0));
    for (int k = 0; k < hits; ++k) {
        const auto place = static_cast<std::uint64_t>(k) + 10;
        double x = hash.uniform(place, 0) * image.width();
        double y = hash.uniform(place, 1) * image.height();
        const double angle = 2.0 * std::numbers::pi * hash.uniform(place, 2);
        const double length = 1.0 + 8.0 * std::pow(hash.uniform(place, 3), 3.0);
        const double perPixel = 300.0 + 2500.0 * hash.uniform(place + 5000, 0);
        for (int done = 0; done < static_cast<int>(std::ceil(length)); ++done) {
            const int i = static_cast<int>(x);
            const int j = static_cast<int>(y);
            if (image.contains(i, j)) {
                image.at(i, j) += static_cast<float>(perPixel);
            }
            x += std::cos(angle);
            y += std::sin(angle);
        }
    }
    return hits;
}

} // namespace pathmark::simulate

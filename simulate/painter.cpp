#include "simulate/painter.h"

#include "simulate/moffat_row.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>
#include <vector>

namespace pathmark::simulate {
namespace {

MoffatTerms termsOf(const Blur& blur, double light) {
    const double angle = blur.angleDegrees * std::numbers::pi / 180.0;
    const double core = blur.fwhm / (2.0 * std::sqrt(std::exp2(1.0 / blur.beta) - 1.0));
    const double ratio = 1.0 - blur.ellipticity;
    const double longScale = core / std::sqrt(ratio);
    const double shortScale = core * std::sqrt(ratio);
    return {static_cast<float>(std::cos(angle) / longScale),
            static_cast<float>(std::sin(angle) / longScale),
            static_cast<float>(-std::sin(angle) / shortScale),
            static_cast<float>(std::cos(angle) / shortScale),
            static_cast<float>(blur.beta),
            static_cast<float>(light * (blur.beta - 1.0) /
                               (std::numbers::pi * longScale * shortScale))};
}

/// Calls row(first, count, points) for the stretches of columns first to last whose pixels take as many points of Gauss; `nearest` is the
/// distance to the row's line, `middle` the column of the least distance.
template <typename Row>
void forStretches(double middle,
                  double nearest,
                  int first,
                  int last,
                  const Blur& blur,
                  double step,
                  const Row& row) {
    const double width = blur.fwhm * blur.fwhm;
    const auto pointsAt = [&](int i) {
        const double away = (i - middle) * step;
        const double square = away * away + nearest * nearest;
        return square < 2.25 * width ? 3 : square < 9.0 * width ? 2 : 1;
    };
    for (int i = first; i <= last;) {
        const int points = pointsAt(i);
        int next = i + 1;
        while (next <= last && pointsAt(next) == points) {
            ++next;
        }
        row(i, next - i, points);
        i = next;
    }
}

/// Coma and tail without the blur, electrons a square pixel.
class CometLight {
  public:
    /// The coma fades beyond its size as exp(-(rho/R)^3), whose integral over rho is Gamma(4/3) R = 0.893 R.
    CometLight(double electrons, const CometForm& form)
        : form_(form), tailLength_(4.0 * form.comaPixels),
          comaNorm_(7.0 / 9.0 * electrons / (2.0 * std::numbers::pi * 0.893 * form.comaPixels)),
          tailNorm_(2.0 / 9.0 * electrons / (tailLength_ * 0.35 * tailLength_ * 0.5)) {}

    [[nodiscard]] double at(double dx, double dy) const {
        const double rho = std::hypot(dx, dy);
        double light = comaNorm_ / rho * std::exp(-std::pow(rho / form_.comaPixels, 3.0));
        const double along = dx * form_.tailX + dy * form_.tailY;
        const double across = std::abs(dx * form_.tailY - dy * form_.tailX);
        if (along > 0.0 && along < tailLength_ && across < 2.0 + 0.18 * along) {
            light += tailNorm_ * (1.0 - along / tailLength_) / (1.0 + 0.1 * along);
        }
        return light;
    }

    /// Of a square cell about the nucleus: the integral of 1 / rho over it is 4 asinh(1) of its side.
    [[nodiscard]] double ofMiddleCell(double side) const {
        return comaNorm_ * 4.0 * std::asinh(1.0) * side;
    }

  private:
    CometForm form_;
    double tailLength_;
    double comaNorm_;
    double tailNorm_;
};

/// Adds the comet's light to the pixels up to `near` from the nucleus, from cells up to `spread` further away.
void paintNearNucleus(frame::Image& image,
                      const Blur& blur,
                      double x,
                      double y,
                      const CometLight& comet,
                      int near,
                      int spread) {
    constexpr int fine = 5;
    const MoffatTerms terms = termsOf(blur, 1.0);
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    // Share of a cell's light in the pixel whose middle is (m / fine + shift) away, over the whole pixel.
    constexpr double step = 1.0 / fine;
    const int half = fine * spread;
    const int side = 2 * half + 1;
    std::vector<float> share(static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
    for (int n = -half; n <= half; ++n) {
        const double dy = cy - y + n * step;
        float* shares = &share[static_cast<std::size_t>((n + half) * side + half)];
        forStretches(
            (x - cx) / step, dy, -half, half, blur, step, [&](int m, int count, int points) {
                addMoffatRow(shares + m,
                             count,
                             terms,
                             static_cast<float>(cx - x + m * step),
                             static_cast<float>(dy),
                             static_cast<float>(step),
                             points);
            });
    }
    const int cells = fine * (near + spread);
    const int cellSide = 2 * cells + 1;
    std::vector<double> light(static_cast<std::size_t>(cellSide) *
                              static_cast<std::size_t>(cellSide));
    for (int l = -cells; l <= cells; ++l) {
        for (int k = -cells; k <= cells; ++k) {
            light[static_cast<std::size_t>((l + cells) * cellSide + k + cells)] =
                k == 0 && l == 0
                    ? comet.ofMiddleCell(1.0 / fine)
                    : comet.at(static_cast<double>(k) / fine, static_cast<double>(l) / fine) /
                          (fine * fine);
        }
    }
    for (int j = std::max(-near, -cy); j <= std::min(near, image.height() - 1 - cy); ++j) {
        for (int i = std::max(-near, -cx); i <= std::min(near, image.width() - 1 - cx); ++i) {
            double sum = 0.0;
            for (int n = -half; n <= half; ++n) {
                const float* weights = &share[static_cast<std::size_t>((n + half) * side)];
                const double* row =
                    &light[static_cast<std::size_t>((fine * j - n + cells) * cellSide)] + fine * i +
                    cells;
                for (int m = -half; m <= half; ++m) {
                    sum += static_cast<double>(weights[m + half]) * row[-m];
                }
            }
            image.at(cx + i, cy + j) += static_cast<float>(sum);
        }
    }
}

} // namespace

void paintPoint(frame::Image& image, const Blur& blur, double x, double y, double electrons) {
    const MoffatTerms terms = termsOf(blur, electrons);
    // Out to where less than a tenth of an electron is left in a pixel.
    const double edge = std::pow(static_cast<double>(terms.norm) / 0.1, 0.5 / blur.beta);
    const double longScale =
        1.0 / std::hypot(static_cast<double>(terms.px), static_cast<double>(terms.py));
    const int radius = std::clamp(static_cast<int>(longScale * edge) + 2, 4, 250);
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    const int first = std::max(0, cx - radius);
    const int last = std::min(image.width() - 1, cx + radius);
    for (int j = std::max(0, cy - radius); j <= std::min(image.height() - 1, cy + radius); ++j) {
        forStretches(x, j - y, first, last, blur, 1.0, [&](int i, int count, int points) {
            addMoffatRow(&image.at(i, j),
                         count,
                         terms,
                         static_cast<float>(i - x),
                         static_cast<float>(j - y),
                         1.0F,
                         points);
        });
    }
}

void paintTrail(frame::Image& image,
                const Blur& blur,
                double x0,
                double y0,
                double x1,
                double y1,
                double electrons) {
    // Gauss's three points to each stretch of less than a star's width: better than 25 even steps.
    const double root = std::sqrt(0.6);
    const int stretches =
        std::max(1, static_cast<int>(std::ceil(std::hypot(x1 - x0, y1 - y0) / (0.8 * blur.fwhm))));
    for (int k = 0; k < stretches; ++k) {
        for (const auto& [place, weight] :
             {std::pair{-root, 5.0 / 18.0}, {0.0, 8.0 / 18.0}, {root, 5.0 / 18.0}}) {
            const double t = (k + 0.5 + 0.5 * place) / stretches;
            paintPoint(image,
                       blur,
                       x0 + t * (x1 - x0),
                       y0 + t * (y1 - y0),
                       weight * electrons / stretches);
        }
    }
}

void paintComet(frame::Image& image,
                const Blur& blur,
                double x,
                double y,
                double electrons,
                const CometForm& form) {
    paintPoint(image, blur, x, y, 0.1 * electrons);
    const CometLight light(0.9 * electrons, form);
    // Near the nucleus the light changes from pixel to pixel: cells of a fifth of a pixel, each through the blur.
    const int near = static_cast<int>(std::ceil(8.0 * blur.fwhm));
    const int spread = static_cast<int>(std::ceil(6.0 * blur.fwhm));
    paintNearNucleus(image, blur, x, y, light, near, spread);
    const int reach = static_cast<int>(4.0 * form.comaPixels) + 2;
    const int cx = static_cast<int>(std::lround(x));
    const int cy = static_cast<int>(std::lround(y));
    for (int j = std::max(0, cy - reach); j <= std::min(image.height() - 1, cy + reach); ++j) {
        for (int i = std::max(0, cx - reach); i <= std::min(image.width() - 1, cx + reach); ++i) {
            if (std::max(std::abs(i - cx), std::abs(j - cy)) > near) {
                image.at(i, j) += static_cast<float>(light.at(i - x, j - y));
            }
        }
    }
}

void paintSatellite(frame::Image& image, const Blur& blur, const NoiseHash& hash) {
    const double angle = std::numbers::pi * hash.uniform(1);
    const double cx = (0.2 + 0.6 * hash.uniform(2)) * image.width();
    const double cy = (0.2 + 0.6 * hash.uniform(3)) * image.height();
    const double length = std::hypot(image.width(), image.height());
    const double perPixel = 400.0 + 4000.0 * hash.uniform(4);
    paintTrail(image,
               blur,
               cx - length * std::cos(angle),
               cy - length * std::sin(angle),
               cx + length * std::cos(angle),
               cy + length * std::sin(angle),
               2.0 * length * perPixel);
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

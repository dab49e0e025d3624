#include "core/picture/star_colours.h"

#include "core/base/robust.h"

#include <cmath>
#include <vector>

namespace pathmark::picture {
namespace {

constexpr std::size_t kLeastStars = 8;
constexpr int kRounds = 5;
constexpr double kClip = 3.0;

/// A parabola through points, those that lie off by more than three times the scatter left out.
struct Parabola {
    std::array<double, 3> terms{};

    [[nodiscard]] double at(double x) const { return terms[0] + x * (terms[1] + x * terms[2]); }
};

/// Least squares by the normal equations of three unknowns (Cramer's rule).
Parabola throughPoints(const std::vector<std::array<double, 2>>& points,
                       const std::vector<bool>& used) {
    std::array<double, 5> powers{};
    std::array<double, 3> sums{};
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (!used[i]) {
            continue;
        }
        double x = 1.0;
        for (std::size_t k = 0; k < 5; ++k, x *= points[i][0]) {
            powers[k] += x;
            if (k < 3) {
                sums[k] += x * points[i][1];
            }
        }
    }
    const auto& p = powers;
    const auto determinant = [](const std::array<double, 9>& m) {
        return m[0] * (m[4] * m[8] - m[5] * m[7]) - m[1] * (m[3] * m[8] - m[5] * m[6]) +
               m[2] * (m[3] * m[7] - m[4] * m[6]);
    };
    const std::array<double, 9> matrix{p[0], p[1], p[2], p[1], p[2], p[3], p[2], p[3], p[4]};
    const double all = determinant(matrix);
    Parabola result;
    for (std::size_t c = 0; c < 3 && all != 0.0; ++c) {
        auto replaced = matrix;
        for (std::size_t r = 0; r < 3; ++r) {
            replaced[3 * r + c] = sums[r];
        }
        result.terms[c] = determinant(replaced) / all;
    }
    return result;
}

Parabola robustParabola(const std::vector<std::array<double, 2>>& points) {
    std::vector<bool> used(points.size(), true);
    Parabola fit;
    for (int round = 0; round < kRounds; ++round) {
        fit = throughPoints(points, used);
        std::vector<double> off;
        off.reserve(points.size());
        for (const auto& point : points) {
            off.push_back(point[1] - fit.at(point[0]));
        }
        const RobustMoments moments = medianAndDeviation(off);
        for (std::size_t i = 0; i < points.size(); ++i) {
            used[i] = std::abs(off[i] - moments.centre) <= kClip * moments.sigma + 1e-9;
        }
    }
    return fit;
}

double magnitude(double flux) {
    return -2.5 * std::log10(flux);
}

PlaneScales byCatalogue(std::span<const PlaneStar> stars) {
    std::array<Parabola, 3> fits;
    for (std::size_t c = 0; c < 3; ++c) {
        std::vector<std::array<double, 2>> points;
        for (const PlaneStar& star : stars) {
            points.push_back({*star.bpMinusRp - kSunColour, magnitude(star.flux[c]) - *star.magG});
        }
        fits[c] = robustParabola(points);
    }
    PlaneScales scales;
    for (std::size_t c = 0; c < 3; ++c) {
        scales.scale[c] = std::pow(10.0, 0.4 * (fits[c].at(0.0) - fits[1].at(0.0)));
    }
    std::vector<double> off;
    for (const PlaneStar& star : stars) {
        const double x = *star.bpMinusRp - kSunColour;
        off.push_back(magnitude(star.flux[0]) - magnitude(star.flux[2]) -
                      (fits[0].at(x) - fits[2].at(x)));
    }
    scales.scatter = medianAndDeviation(off).sigma;
    scales.stars = static_cast<int>(stars.size());
    scales.white = "a star of the Sun's colour";
    return scales;
}

PlaneScales byMedian(std::span<const PlaneStar> stars) {
    PlaneScales scales;
    scales.stars = static_cast<int>(stars.size());
    scales.white = stars.empty() ? "as recorded: no star shows in all planes" : "the median star";
    for (std::size_t c = 0; c < 3 && !stars.empty(); c += 2) {
        std::vector<double> ratios;
        for (const PlaneStar& star : stars) {
            ratios.push_back(star.flux[1] / star.flux[c]);
        }
        scales.scale[c] = medianInPlace(std::span(ratios));
    }
    return scales;
}

} // namespace

PlaneScales scalesOf(std::span<const PlaneStar> stars) {
    std::vector<PlaneStar> good;
    std::vector<PlaneStar> known;
    for (const PlaneStar& star : stars) {
        if (star.flux[0] > 0.0 && star.flux[1] > 0.0 && star.flux[2] > 0.0) {
            good.push_back(star);
            if (star.magG && star.bpMinusRp && std::isfinite(*star.bpMinusRp)) {
                known.push_back(star);
            }
        }
    }
    return known.size() >= kLeastStars ? byCatalogue(known) : byMedian(good);
}

} // namespace pathmark::picture

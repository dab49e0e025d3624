#include "core/picture/star_colours.h"

#include "core/base/linear.h"
#include "core/base/robust.h"

#include <algorithm>
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

Parabola throughPoints(const std::vector<std::array<double, 2>>& points,
                       const std::vector<bool>& used) {
    const auto count = std::count(used.begin(), used.end(), true);
    Eigen::MatrixXd design(count, 3);
    Eigen::VectorXd right(count);
    Eigen::Index row = 0;
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (used[i]) {
            const double x = points[i][0];
            design(row, 0) = 1.0;
            design(row, 1) = x;
            design(row, 2) = x * x;
            right(row++) = points[i][1];
        }
    }
    const Eigen::VectorXd terms = leastSquares(design, right);
    return {{terms(0), terms(1), terms(2)}};
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
    std::vector<double> colours;
    for (const PlaneStar& star : stars) {
        colours.push_back(*star.bpMinusRp - kSunColour);
    }
    const double middle = medianInPlace(std::span(colours));
    PlaneScales scales;
    for (std::size_t c = 0; c < 3; ++c) {
        scales.scale[c] = std::pow(10.0, 0.4 * (fits[c].at(0.0) - fits[1].at(0.0)));
        scales.average[c] = std::pow(10.0, 0.4 * (fits[c].at(middle) - fits[1].at(middle)));
    }
    std::vector<double> off;
    const double zero = fits[2].at(0.0) - fits[0].at(0.0);
    for (const PlaneStar& star : stars) {
        const double x = *star.bpMinusRp - kSunColour;
        off.push_back(magnitude(star.flux[0]) - magnitude(star.flux[2]) -
                      (fits[0].at(x) - fits[2].at(x)));
        scales.points.push_back({*star.bpMinusRp,
                                 magnitude(star.flux[2]) - magnitude(star.flux[0]) - zero,
                                 fits[2].at(x) - fits[0].at(x) - zero});
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
    scales.average = scales.scale;
    return scales;
}

} // namespace

const char* name(White white) {
    constexpr std::array kNames{"sun", "average", "recorded"};
    return kNames[static_cast<std::size_t>(white)];
}

std::optional<White> whiteNamed(std::string_view wanted) {
    for (const White white : {White::Sun, White::Average, White::AsRecorded}) {
        if (wanted == name(white)) {
            return white;
        }
    }
    return std::nullopt;
}

std::array<double, 3> PlaneScales::towards(White wanted) const {
    std::array<double, 3> factors{1.0, 1.0, 1.0};
    for (std::size_t c = 0; c < 3 && wanted != White::Sun; ++c) {
        factors[c] = (wanted == White::Average ? average[c] : 1.0) / scale[c];
    }
    return factors;
}

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

#include "core/sweep/trail_form.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <numbers>

namespace pathmark::sweep {
namespace {

constexpr double kWidth = 2.7;

/// Truth: the integral of exp(-u^2 / 4 sigma^2) over all pairs of points of a line, in closed form.
double pairsInClosedForm(double trail) {
    const double s = kWidth / (2.0 * std::sqrt(2.0 * std::numbers::ln2));
    const double q = trail / (2.0 * s);
    return std::sqrt(std::numbers::pi) / q * std::erf(q) - (1.0 - std::exp(-q * q)) / (q * q);
}

TEST(TrailFormTest, InformationOfATrailIsThatOfAllItsPairs) {
    const TrailForm form(kWidth);
    EXPECT_DOUBLE_EQ(form.information(0.0), 1.0);
    for (const double trail : {0.5, 2.0, 5.0, 12.0, 40.0}) {
        EXPECT_NEAR(form.information(trail), pairsInClosedForm(trail), 2e-3) << trail;
    }
}

TEST(TrailFormTest, AStarBesideItsFilterLosesHalfWhereItsCorrelationDoes) {
    const TrailForm form(kWidth);
    // The correlation of a Gaussian with itself is sqrt 2 wider.
    EXPECT_NEAR(form.beside(0.5 * std::numbers::sqrt2 * kWidth), 0.5, 1e-9);
}

TEST(TrailFormTest, ATrailMayBeShiftedFartherAlongItselfThanAStar) {
    const TrailForm form(kWidth);
    EXPECT_NEAR(form.along(0.0, 1.3), form.beside(1.3), 1e-12);
    EXPECT_NEAR(form.along(10.0, 0.0), 1.0, 1e-12);
    EXPECT_GT(form.along(10.0, 1.3), form.beside(1.3) + 0.05);
}

/// Truth: the mean over frames of what half a step loses, for small losses the square of the distance.
TEST(TrailFormTest, HalfAStepLosesWhatWasAskedFor) {
    const TrailForm form(kWidth);
    const std::array<double, 5> times{-1.0, -0.5, 0.0, 0.5, 1.0};
    for (const double trail : {0.0, 6.0}) {
        const double step = form.step(times, trail, 0.025);
        double lost = 0.0;
        for (const double t : times) {
            lost += 0.2 * (1.0 - form.along(trail, 0.5 * step * t));
        }
        EXPECT_NEAR(lost, 0.025, 1e-6);
    }
}

} // namespace
} // namespace pathmark::sweep

#include "core/solve/plane_surface.h"

#include <gsl/gsl_multifit.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

// Polynomial surfaces through pairs of source and star. Truth: the surface that the points were drawn from, and the least squares of
// the GNU Scientific Library.
namespace pathmark::solve {
namespace {

constexpr double kSigma = 1e-6; // radians: 0.2 arcsec

/// A quadratic surface with a term of colour, and noise of kSigma.
std::vector<SurfacePoint>
drawn(std::uint32_t seed, int count, double noise, double colourTerm = 0.0) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> place(-1.0, 1.0);
    std::normal_distribution<double> scatter(0.0, noise);
    std::vector<SurfacePoint> points;
    for (int i = 0; i < count; ++i) {
        SurfacePoint p;
        p.u = place(random);
        p.v = place(random);
        p.colour = place(random);
        p.xi = 1e-3 * p.u - 2e-5 * p.v + 3e-5 * p.u * p.v + 1e-5 * p.v * p.v +
               colourTerm * p.colour + scatter(random);
        p.eta = 2e-5 * p.u + 1e-3 * p.v - 4e-5 * p.u * p.u + scatter(random);
        p.weight = 1.0 / (kSigma * kSigma);
        p.fold = static_cast<std::uint8_t>(i % 5);
        points.push_back(p);
    }
    return points;
}

TEST(MonomialsTest, AreInTheOrderPromised) {
    TermRow row{};
    ASSERT_EQ(monomials(2.0, 3.0, 2, row), 6);
    EXPECT_EQ(row[0], 1.0);
    EXPECT_EQ(row[1], 2.0);
    EXPECT_EQ(row[2], 3.0);
    EXPECT_EQ(row[3], 4.0);
    EXPECT_EQ(row[4], 6.0);
    EXPECT_EQ(row[5], 9.0);
    for (int order = 0; order <= kMaxOrder; ++order) {
        EXPECT_EQ(monomials(0.3, -0.7, order, row), termCount(order));
    }
}

TEST(SolveSurfaceTest, AgreesWithAnotherLibrary) {
    const auto points = drawn(1, 80, kSigma);
    const SurfaceModel model{2, false, false};
    const Surface surface = solveSurface(points, model);
    gsl_matrix* terms = gsl_matrix_alloc(80, 6);
    gsl_vector* values = gsl_vector_alloc(80);
    gsl_vector* fitted = gsl_vector_alloc(6);
    gsl_matrix* covariance = gsl_matrix_alloc(6, 6);
    double chi = 0.0;
    gsl_multifit_linear_workspace* work = gsl_multifit_linear_alloc(80, 6);
    for (std::size_t i = 0; i < 80; ++i) {
        const auto& p = points[i];
        const double row[] = {1.0, p.u, p.v, p.u * p.u, p.u * p.v, p.v * p.v};
        for (std::size_t k = 0; k < 6; ++k) {
            gsl_matrix_set(terms, i, k, row[k]);
        }
        gsl_vector_set(values, i, p.xi);
    }
    gsl_multifit_linear(terms, values, fitted, covariance, &chi, work);
    const Eigen::MatrixXd own = covarianceOf(points, model);
    for (int k = 0; k < 6; ++k) {
        EXPECT_NEAR(surface.xi[k], gsl_vector_get(fitted, static_cast<std::size_t>(k)), 1e-14);
        // Theirs is scaled by the residuals, ours by the stated errors.
        const double theirs =
            gsl_matrix_get(covariance, static_cast<std::size_t>(k), static_cast<std::size_t>(k)) /
            (chi / 74.0) * kSigma * kSigma;
        EXPECT_NEAR(own(k, k) / theirs, 1.0, 1e-9);
    }
    gsl_multifit_linear_free(work);
    gsl_matrix_free(terms);
    gsl_matrix_free(covariance);
    gsl_vector_free(values);
    gsl_vector_free(fitted);
}

TEST(SolveSurfaceTest, TheTermOfColourIsFound) {
    const auto points = drawn(2, 300, kSigma, 5e-6);
    const SurfaceModel model{2, true, false};
    const Surface surface = solveSurface(points, model);
    const double error = std::sqrt(covarianceOf(points, model)(6, 6));
    EXPECT_NEAR(surface.xi[6], 5e-6, 4.0 * error);
    EXPECT_NEAR(surface.eta[6], 0.0, 4.0 * error);
    EXPECT_NEAR(error, kSigma / std::sqrt(300.0 / 3.0), 0.1 * kSigma / std::sqrt(100.0));
}

/// A lens moves places outward by a cubic: one number instead of seven.
TEST(SolveSurfaceTest, ARadialModelFindsTheCubic) {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> place(-1.0, 1.0);
    std::normal_distribution<double> scatter(0.0, kSigma);
    std::vector<SurfacePoint> points;
    for (int i = 0; i < 60; ++i) {
        SurfacePoint p;
        p.u = place(random);
        p.v = place(random);
        const double out = 1.0 + 0.004 * (p.u * p.u + p.v * p.v);
        p.xi = 1e-3 * p.u * out + scatter(random);
        p.eta = 1e-3 * p.v * out + scatter(random);
        p.weight = 1.0 / (kSigma * kSigma);
        points.push_back(p);
    }
    const Surface surface = solveSurface(points, {1, false, true});
    EXPECT_NEAR(surface.cubic, 0.004, 5.0 * std::sqrt(surface.cubicVariance));
    EXPECT_LT(std::sqrt(surface.cubicVariance), 0.001);
    double chi = 0.0;
    for (const auto& p : points) {
        chi += surface.residualSquare(p);
    }
    EXPECT_NEAR(chi / (2.0 * 60.0 - 7.0), 1.0, 0.45);
}

TEST(ClipAndSolveTest, StrangersAreLeftOutAndOthersStay) {
    auto points = drawn(3, 200, kSigma);
    for (std::size_t i = 0; i < points.size(); i += 20) {
        points[i].xi += 40.0 * kSigma;
    }
    const Surface surface = clipAndSolve(points, {2, false, false});
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (i % 20 == 0) {
            EXPECT_FALSE(points[i].used) << i;
        }
    }
    // Of 190 honest ones beyond 4 sigma there is hardly any.
    EXPECT_GE(std::count_if(points.begin(), points.end(), [](const auto& p) { return p.used; }),
              187);
    EXPECT_NEAR(surface.xi[1], 1e-3, 5e-7);
}

/// The order that the points were drawn with foretells left-out ones best.
TEST(CrossValidateTest, TheTrueOrderIsChosen) {
    const auto points = drawn(4, 120, kSigma);
    const double linear = crossValidate(points, {1, false, false});
    const double quadratic = crossValidate(points, {2, false, false});
    const double fifth = crossValidate(points, {5, false, false});
    EXPECT_GT(linear, 5.0 * quadratic);
    EXPECT_GT(fifth, quadratic);
    // Both coordinates together: two for a point of noise alone, a little more for what the fit does not know.
    const double ofOne = quadratic > 1.5 ? 0.5 * quadratic : quadratic;
    EXPECT_NEAR(ofOne, 1.05, 0.25);
}

TEST(SurfaceSumsTest, WhatWasAddedCanBeTakenAway) {
    const auto points = drawn(6, 30, kSigma);
    const SurfaceModel model{2, false, false};
    TermRow row{};
    SurfaceSums all(model.terms());
    SurfaceSums half(model.terms());
    SurfaceSums other(model.terms());
    for (std::size_t i = 0; i < points.size(); ++i) {
        model.row(points[i], row);
        all.add(row, points[i]);
        (i % 2 == 0 ? half : other).add(row, points[i]);
    }
    all.add(other, -1.0);
    EXPECT_LT((all.xi - half.xi).norm(), 1e-9 * half.xi.norm());
    EXPECT_LT((all.normal - half.normal).norm(), 1e-9 * half.normal.norm());
}

} // namespace
} // namespace pathmark::solve

#include "core/base/linear.h"

#include <gsl/gsl_linalg.h>
#include <gtest/gtest.h>

namespace pathmark {
namespace {

// Truth: an exact matrix of whole numbers, and the GNU Scientific Library's own decompositions.

Eigen::MatrixXd hilbert(int n) {
    Eigen::MatrixXd m(n, n);
    for (int i = 0; i < n; ++i) {
        for (int j = 0; j < n; ++j) {
            m(i, j) = 1.0 / (i + j + 1);
        }
    }
    return m;
}

TEST(LinearTest, SolutionsOfASymmetricMatrixAreExact) {
    Eigen::MatrixXd m(3, 3);
    m << 4, 2, 0, 2, 5, 3, 0, 3, 6;
    Eigen::MatrixXd x(3, 2);
    x << 1, -2, 0.5, 7, -3, 0.25;
    const Eigen::MatrixXd right = m * x;
    EXPECT_LT((solveSymmetric(m, right) - x).cwiseAbs().maxCoeff(), 1e-14);
    const Eigen::VectorXd first = right.col(0);
    EXPECT_LT((solveSymmetric(m, first) - x.col(0)).cwiseAbs().maxCoeff(), 1e-14);
}

TEST(LinearTest, TheInverseOfAHilbertMatrixIsItsWholeNumbers) {
    // Inverse of the 4 x 4 Hilbert matrix: Choi, Am. Math. Monthly 90 (1983) 301.
    Eigen::MatrixXd truth(4, 4);
    truth << 16, -120, 240, -140, -120, 1200, -2700, 1680, 240, -2700, 6480, -4200, -140, 1680,
        -4200, 2800;
    EXPECT_LT((inverseOfSymmetric(hilbert(4)) - truth).cwiseAbs().maxCoeff(), 1e-7);
}

TEST(LinearTest, LeastSquaresAgreesWithAnotherLibraryAndBearsTwinColumns) {
    Eigen::MatrixXd design(6, 3);
    Eigen::VectorXd y(6);
    for (int i = 0; i < 6; ++i) {
        design.row(i) << 1.0, i, i * i;
        y[i] = std::cos(1.7 * i);
    }
    gsl_matrix* a = gsl_matrix_alloc(6, 3);
    gsl_vector* b = gsl_vector_alloc(6);
    gsl_vector* tau = gsl_vector_alloc(3);
    gsl_vector* solution = gsl_vector_alloc(3);
    gsl_vector* residual = gsl_vector_alloc(6);
    for (std::size_t i = 0; i < 6; ++i) {
        const auto row = static_cast<Eigen::Index>(i);
        gsl_vector_set(b, i, y[row]);
        for (std::size_t j = 0; j < 3; ++j) {
            gsl_matrix_set(a, i, j, design(row, static_cast<Eigen::Index>(j)));
        }
    }
    gsl_linalg_QR_decomp(a, tau);
    gsl_linalg_QR_lssolve(a, tau, b, solution, residual);
    const Eigen::VectorXd ours = leastSquares(design, y);
    for (std::size_t j = 0; j < 3; ++j) {
        EXPECT_NEAR(ours[static_cast<Eigen::Index>(j)], gsl_vector_get(solution, j), 1e-12);
    }
    for (gsl_vector* v : {b, tau, solution, residual}) {
        gsl_vector_free(v);
    }
    gsl_matrix_free(a);

    Eigen::MatrixXd twins(6, 4);
    twins << design, design.col(1);
    const Eigen::VectorXd with = leastSquares(twins, y);
    EXPECT_TRUE(with.allFinite());
    EXPECT_LT((twins * with - design * ours).cwiseAbs().maxCoeff(), 1e-10);
}

TEST(LinearTest, PrincipalAxesAscendAndMakeTheMatrixAgain) {
    const Eigen::MatrixXd m = hilbert(6);
    const PrincipalAxes axes = principalAxesOf(m);
    for (Eigen::Index k = 1; k < 6; ++k) {
        EXPECT_GT(axes.values[k], axes.values[k - 1]);
    }
    // Largest eigenvalue of the 6 x 6 Hilbert matrix: Fettis and Caslin, Math. Comp. 21 (1967) 431.
    EXPECT_NEAR(axes.values[5], 1.61889985892434, 1e-13);
    const Eigen::MatrixXd again =
        productOf(productOf(axes.vectors, axes.values.asDiagonal()), axes.vectors.transpose());
    EXPECT_LT((again - m).cwiseAbs().maxCoeff(), 1e-14);
}

TEST(LinearTest, ScalingBothSidesBringsTheDiagonalToOne) {
    const Eigen::MatrixXd m = 1e-18 * hilbert(5);
    const Eigen::VectorXd scale = m.diagonal().cwiseSqrt().cwiseInverse();
    const Eigen::MatrixXd scaled = scaledBothSides(m, scale);
    EXPECT_LT((scaled.diagonal().array() - 1.0).abs().maxCoeff(), 1e-14);
    EXPECT_NEAR(scaled(0, 4), m(0, 4) / std::sqrt(m(0, 0) * m(4, 4)), 1e-14);
}

} // namespace
} // namespace pathmark

#pragma once

#include <Eigen/Core>

namespace pathmark {

// Dense linear algebra of sizes known only at run time. A decomposition costs the compiler seconds wherever it is used:
// these are compiled once, here. Matrices of fixed small size stay with Eigen in the files that use them.

/// Solution x of m x = right for a symmetric positive m (n x n, both triangles filled), by a pivoted Cholesky factorisation.
Eigen::VectorXd solveSymmetric(const Eigen::MatrixXd& m, const Eigen::VectorXd& right);
/// The same for several right sides, one a column.
Eigen::MatrixXd solveSymmetric(const Eigen::MatrixXd& m, const Eigen::MatrixXd& right);

/// Inverse of a symmetric positive matrix: a covariance from normal equations.
Eigen::MatrixXd inverseOfSymmetric(const Eigen::MatrixXd& m);

/// Least-squares solution of design x = right (rows x n, rows >= n) by Householder reflections with column pivoting: columns that
/// say the same twice do no harm.
Eigen::VectorXd leastSquares(const Eigen::MatrixXd& design, const Eigen::VectorXd& right);
/// The same for several right sides, one a column.
Eigen::MatrixXd leastSquares(const Eigen::MatrixXd& design, const Eigen::MatrixXd& right);

/// Principal axes of a symmetric matrix.
struct PrincipalAxes {
    Eigen::VectorXd values;  ///< ascending
    Eigen::MatrixXd vectors; ///< unit length, one a column
};

PrincipalAxes principalAxesOf(const Eigen::MatrixXd& m);

/// diag(scale) m diag(scale): a matrix of places and velocities, which differ by a factor of 100, with ones on its diagonal, and back.
Eigen::MatrixXd scaledBothSides(const Eigen::MatrixXd& m, const Eigen::VectorXd& scale);

/// a b. A product of two matrices is as dear to compile as a decomposition; that of a matrix and a few rows is cheap as a loop.
Eigen::MatrixXd productOf(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b);

} // namespace pathmark

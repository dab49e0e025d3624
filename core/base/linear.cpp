#include "core/base/linear.h"

#include <Eigen/Dense>

namespace pathmark {

Eigen::VectorXd solveSymmetric(const Eigen::MatrixXd& m, const Eigen::VectorXd& right) {
    return m.ldlt().solve(right);
}

Eigen::MatrixXd solveSymmetric(const Eigen::MatrixXd& m, const Eigen::MatrixXd& right) {
    return m.ldlt().solve(right);
}

Eigen::MatrixXd inverseOfSymmetric(const Eigen::MatrixXd& m) {
    return solveSymmetric(m, Eigen::MatrixXd(Eigen::MatrixXd::Identity(m.rows(), m.cols())));
}

Eigen::VectorXd leastSquares(const Eigen::MatrixXd& design, const Eigen::VectorXd& right) {
    return leastSquares(design, Eigen::MatrixXd(right));
}

Eigen::MatrixXd leastSquares(const Eigen::MatrixXd& design, const Eigen::MatrixXd& right) {
    return design.colPivHouseholderQr().solve(right);
}

PrincipalAxes principalAxesOf(const Eigen::MatrixXd& m) {
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solver(m);
    return {solver.eigenvalues(), solver.eigenvectors()};
}

Eigen::MatrixXd scaledBothSides(const Eigen::MatrixXd& m, const Eigen::VectorXd& scale) {
    return scale.asDiagonal() * m * scale.asDiagonal();
}

Eigen::MatrixXd productOf(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
    return a * b;
}

} // namespace pathmark

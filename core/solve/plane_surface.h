#pragma once

#include <Eigen/Core>

#include <array>
#include <cstdint>
#include <vector>

namespace pathmark::solve {

inline constexpr int kMaxOrder = 5;
inline constexpr int kMaxTerms = (kMaxOrder + 1) * (kMaxOrder + 2) / 2 + 1; // and one of the colour

/// Terms of a polynomial in two variables.
constexpr int termCount(int order) {
    return (order + 1) * (order + 2) / 2;
}

using TermRow = std::array<double, kMaxTerms>;

/// 1, u, v, u^2, u v, v^2, ... up to `order`; returns their number.
int monomials(double u, double v, int order, TermRow& row);

/// One pair, ready to be fitted.
struct SurfacePoint {
    double u = 0.0; ///< scaled offsets from the middle
    double v = 0.0;
    double xi = 0.0; ///< plane, radians
    double eta = 0.0;
    double weight = 0.0; ///< 1 / sigma^2, plane units
    double colour = 0.0; ///< from the reference colour
    bool used = true;
    std::uint8_t fold = 0; ///< of the cross-validation
};

/// Which terms a surface has.
struct SurfaceModel {
    int order = 1;
    bool colour = false;
    /// Above 0: a linear surface of places moved outward by a cubic, what a lens does in one number, whose standard deviation about 0 this
    /// is before the points are seen.
    double cubicSigma = 0.0;

    [[nodiscard]] bool radial() const { return cubicSigma > 0.0; }

    [[nodiscard]] int terms() const { return termCount(order) + (colour ? 1 : 0); }

    void row(const SurfacePoint& point, TermRow& out) const;
};

/// Normal equations of both plane coordinates, which share their matrix.
struct SurfaceSums {
    explicit SurfaceSums(int terms);
    void add(const TermRow& row, const SurfacePoint& point);
    void add(const SurfaceSums& other, double sign);

    Eigen::MatrixXd normal; ///< lower triangle
    Eigen::VectorXd xi;
    Eigen::VectorXd eta;
};

/// Both plane coordinates as polynomials.
struct Surface {
    SurfaceModel model;
    Eigen::VectorXd xi;
    Eigen::VectorXd eta;
    double cubic = 0.0; ///< of a radial model: places are taken (1 + cubic r^2) times as far out
    double cubicVariance = 0.0;
    Eigen::Vector3d cubicXi =
        Eigen::Vector3d::Zero(); ///< linear surface through what a cubic of 1 does
    Eigen::Vector3d cubicEta = Eigen::Vector3d::Zero();

    /// Squared residual of a point in its own sigmas.
    [[nodiscard]] double residualSquare(const SurfacePoint& point) const;
};

/// Least squares over the points used.
Surface solveSurface(const std::vector<SurfacePoint>& points, const SurfaceModel& model);

/// The inverse of the normal matrix of the points used.
Eigen::MatrixXd covarianceOf(const std::vector<SurfacePoint>& points, const SurfaceModel& model);

/// Leaves out points whose residual exceeds 4 sigma; sigma is at least the stated one.
Surface clipAndSolve(std::vector<SurfacePoint>& points, const SurfaceModel& model);

/// Mean squared error of left-out points, in their own sigmas.
double crossValidate(const std::vector<SurfacePoint>& points, const SurfaceModel& model);

} // namespace pathmark::solve

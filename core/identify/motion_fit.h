#pragma once

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>

namespace pathmark::identify {

/// Least squares of place = a + b t + c t^2 / 2 along both axes, grown one place at a time; c is held to 0 by a prior.
///
/// Units    arcsec, minutes.
class MotionFit {
  public:
    explicit MotionFit(double bendPerMinute2) {
        normal_(2, 2) = 1.0 / (bendPerMinute2 * bendPerMinute2);
    }

    void add(double minutes, double xi, double eta, double sigma) {
        const Eigen::Vector3d base = baseAt(minutes);
        const double weight = 1.0 / (sigma * sigma);
        normal_ += weight * base * base.transpose();
        right_ += weight * base * Eigen::RowVector2d(xi, eta);
        squares_ += weight * (xi * xi + eta * eta);
        ++count_;
        solved_ = false;
    }

    struct Prediction {
        double xi = 0.0;
        double eta = 0.0;
        double variance = 0.0; ///< along each axis
    };

    Prediction at(double minutes) {
        solve();
        const Eigen::Vector3d base = baseAt(minutes);
        const Eigen::RowVector2d place = base.transpose() * fit_;
        return {place[0], place[1], base.dot(covariance_ * base)};
    }

    /// Rate at a time, arcsec a minute.
    Eigen::RowVector2d rate(double minutes) {
        solve();
        return fit_.row(1) + minutes * fit_.row(2);
    }

    /// One standard deviation of the rate along each axis.
    double rateSigma(double minutes) {
        solve();
        const Eigen::Vector3d base{0.0, 1.0, minutes};
        return std::sqrt(base.dot(covariance_ * base));
    }

    /// Change of the rate, arcsec a minute squared.
    Eigen::RowVector2d bend() {
        solve();
        return fit_.row(2);
    }

    /// Weighted squares of the residuals, the prior's part among them.
    double chiSquare() {
        solve();
        return std::max(0.0, squares_ - (fit_.cwiseProduct(right_)).sum());
    }

    [[nodiscard]] int count() const { return count_; }

  private:
    static Eigen::Vector3d baseAt(double t) { return {1.0, t, 0.5 * t * t}; }

    void solve() {
        if (!solved_) {
            covariance_ = normal_.inverse();
            fit_ = covariance_ * right_;
            solved_ = true;
        }
    }

    Eigen::Matrix3d normal_ = Eigen::Matrix3d::Zero();
    Eigen::Matrix<double, 3, 2> right_ = Eigen::Matrix<double, 3, 2>::Zero();
    Eigen::Matrix3d covariance_ = Eigen::Matrix3d::Zero();
    Eigen::Matrix<double, 3, 2> fit_ = Eigen::Matrix<double, 3, 2>::Zero();
    double squares_ = 0.0;
    int count_ = 0;
    bool solved_ = false;
};

} // namespace pathmark::identify

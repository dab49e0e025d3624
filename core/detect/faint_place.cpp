#include "core/detect/faint_place.h"

#include <algorithm>
#include <cmath>

namespace pathmark::detect {
namespace {

/// How much a light at a place explains beyond what is under it anyway.
class Gain {
  public:
    Gain(const PointSpread& spread, std::span<const FaintPixel> pixels, const UnderLight& under)
        : spread_(spread), pixels_(pixels), terms_(under.terms), atPlace_(under.terms.cols()) {
        const Eigen::Index n = terms_.cols();
        Eigen::MatrixXd normal = under.weights.asDiagonal();
        Eigen::VectorXd right = under.weights.cwiseProduct(under.known);
        for (std::size_t k = 0; k < pixels.size(); ++k) {
            const auto row = terms_.row(static_cast<Eigen::Index>(k)).transpose();
            normal += pixels[k].weight * row * row.transpose();
            right += pixels[k].weight * pixels[k].value * row;
        }
        inverse_ = n > 0 ? inverseOfSymmetric(normal) : Eigen::MatrixXd(0, 0);
        alone_ = inverse_ * right;
    }

    /// The light in units of its error; what chi-square falls by is the square of it.
    double at(double x, double y) {
        double product = 0.0;
        double square = 0.0;
        atPlace_.setZero();
        for (std::size_t k = 0; k < pixels_.size(); ++k) {
            const FaintPixel& p = pixels_[k];
            const double light = p.colour * spread_.at(p.dx - x, p.dy - y).value;
            product += p.weight * light * p.value;
            square += p.weight * light * light;
            atPlace_ += p.weight * light * terms_.row(static_cast<Eigen::Index>(k)).transpose();
        }
        const double variance = square - atPlace_.dot(inverse_ * atPlace_);
        return variance > 0.0 ? (product - atPlace_.dot(alone_)) / std::sqrt(variance) : 0.0;
    }

  private:
    const PointSpread& spread_;
    std::span<const FaintPixel> pixels_;
    const Eigen::MatrixXd& terms_;
    Eigen::VectorXd atPlace_;
    Eigen::MatrixXd inverse_;
    Eigen::VectorXd alone_; ///< what is under the light where there is none
};

} // namespace

Eigen::Matrix2d placeMoments(const PointSpread& spread,
                             std::span<const FaintPixel> pixels,
                             const UnderLight& under,
                             const Eigen::Vector2d& fitted,
                             double step,
                             double reach) {
    Gain gain(spread, pixels, under);
    const double best = gain.at(fitted.x(), fitted.y());
    const int steps = static_cast<int>(reach / step);
    Eigen::Matrix2d moments = Eigen::Matrix2d::Zero();
    double sum = 0.0;
    for (int j = -steps; j <= steps; ++j) {
        for (int i = -steps; i <= steps; ++i) {
            const Eigen::Vector2d off(i * step, j * step);
            const double light =
                off.norm() > reach ? 0.0 : gain.at(fitted.x() + off.x(), fitted.y() + off.y());
            if (light <= 0.0) {
                continue;
            }
            const double likelihood = std::exp(0.5 * (light * light - best * best));
            sum += likelihood;
            moments += likelihood * off * off.transpose();
        }
    }
    return moments / std::max(sum, 1e-300);
}

} // namespace pathmark::detect

#include "core/detect/point_fit.h"

#include "core/base/linear.h"

#include <cmath>
#include <vector>

namespace pathmark::detect {
namespace {

// Parameters: x, y, flux, then the sky where free, then one flux per neighbour.
struct PixelTerm {
    double dx, dy; ///< pixel centre, relative to the window's middle
    double value;
    double weight = 0.0;
    bool rejected = false;
};

constexpr int kWeightRounds = 4; // by then the model is known well enough to weigh the pixels

class PointFitter {
  public:
    PointFitter(const frame::Image& image,
                const PointSpread& spread,
                double x,
                double y,
                std::span<const Neighbour> neighbours,
                const PointFitOptions& options)
        : spread_(spread), options_(options), cx_(static_cast<int>(std::lround(x))),
          cy_(static_cast<int>(std::lround(y))), startX_(x - cx_), startY_(y - cy_),
          count_(3 + (options.freeSky ? 1 : 0) + static_cast<int>(neighbours.size())) {
        const int half =
            std::min(spread.radius(),
                     std::max(3,
                              static_cast<int>(std::ceil(options.windowFwhm * spread.fwhm() +
                                                         spread.trailHalf()))));
        inside_ = image.contains(cx_ - half, cy_ - half) && image.contains(cx_ + half, cy_ + half);
        if (!inside_) {
            return;
        }
        for (int j = -half; j <= half; ++j) {
            for (int i = -half; i <= half; ++i) {
                const auto value = static_cast<double>(image.at(cx_ + i, cy_ + j));
                if (std::isfinite(value)) {
                    pixels_.push_back({static_cast<double>(i), static_cast<double>(j), value});
                    for (const Neighbour& n : neighbours) {
                        const PointSpread& form = n.spread != nullptr ? *n.spread : spread;
                        neighbourShare_.push_back(form.at(cx_ + i - n.x, cy_ + j - n.y).value);
                    }
                }
            }
        }
        neighbours_ = neighbours;
        parameters_ = Eigen::VectorXd::Zero(count_);
        parameters_[0] = startX_;
        parameters_[1] = startY_;
    }

    Result<PointFit> run() {
        if (!inside_) {
            return fail(ErrorId::MeasureOutside, "The source is too near the edge of the frame.");
        }
        if (pixels_.size() < static_cast<std::size_t>(count_ + 6)) {
            return fail(ErrorId::MeasureFitFailed, "Too few good pixels around the source.");
        }
        solveFluxes();
        bool settled = iterate();
        if (settled && options_.rejectSigma > 0.0 && rejectOutliers() > 0) {
            settled = iterate();
        }
        const double shift = std::hypot(parameters_[0] - startX_, parameters_[1] - startY_);
        if (!settled || !(shift <= options_.maxShift)) {
            return fail(ErrorId::MeasureFitFailed, "The fit left the source or did not settle.");
        }
        return summary();
    }

  private:
    /// Model and slopes at one pixel; `row` holds d model / d parameter.
    double model(std::size_t k, Eigen::VectorXd& row) const {
        const PixelTerm& pixel = pixels_[k];
        const auto sample = spread_.at(pixel.dx - parameters_[0], pixel.dy - parameters_[1]);
        row[0] = -parameters_[2] * sample.slopeX;
        row[1] = -parameters_[2] * sample.slopeY;
        row[2] = sample.value;
        double value = parameters_[2] * sample.value;
        int at = 3;
        if (options_.freeSky) {
            row[at] = 1.0;
            value += parameters_[at++];
        }
        for (std::size_t n = 0; n < neighbours_.size(); ++n, ++at) {
            row[at] = neighbourShare_[k * neighbours_.size() + n];
            value += parameters_[at] * row[at];
        }
        return value;
    }

    [[nodiscard]] double variance(double modelValue) const {
        const double sky = options_.freeSky ? parameters_[3] : 0.0;
        return options_.noise * options_.noise + std::max(0.0, modelValue - sky);
    }

    /// The weights of the model as it stands. They are held while a step is judged: chi-square under weights that
    /// move with the model has its minimum elsewhere, and steps would be refused that are right.
    void refreshWeights() {
        Eigen::VectorXd row(count_);
        for (std::size_t k = 0; k < pixels_.size(); ++k) {
            pixels_[k].weight = 1.0 / variance(model(k, row));
        }
    }

    double build(Eigen::MatrixXd& normal, Eigen::VectorXd& gradient) const {
        normal.setZero(count_, count_);
        gradient.setZero(count_);
        Eigen::VectorXd row(count_);
        double chi = 0.0;
        for (std::size_t k = 0; k < pixels_.size(); ++k) {
            if (pixels_[k].rejected) {
                continue;
            }
            const double value = model(k, row);
            const double weight = pixels_[k].weight;
            const double residual = pixels_[k].value - value;
            chi += weight * residual * residual;
            normal.selfadjointView<Eigen::Lower>().rankUpdate(row, weight);
            gradient += weight * residual * row;
        }
        const Eigen::Index first = count_ - static_cast<Eigen::Index>(neighbours_.size());
        for (std::size_t n = 0; n < neighbours_.size(); ++n) {
            if (neighbours_[n].fluxSigma <= 0.0) {
                continue;
            }
            const Eigen::Index at = first + static_cast<Eigen::Index>(n);
            const double weight = 1.0 / (neighbours_[n].fluxSigma * neighbours_[n].fluxSigma);
            const double residual = neighbours_[n].flux - parameters_[at];
            chi += weight * residual * residual;
            normal(at, at) += weight;
            gradient[at] += weight * residual;
        }
        normal.triangularView<Eigen::StrictlyUpper>() = normal.transpose();
        return chi;
    }

    /// The fluxes and the sky are linear: solved at once for the starting place.
    void solveFluxes() {
        Eigen::MatrixXd normal;
        Eigen::VectorXd gradient;
        refreshWeights();
        build(normal, gradient);
        const Eigen::Index n = count_ - 2;
        const Eigen::MatrixXd block = normal.bottomRightCorner(n, n);
        parameters_.tail(n) += solveSymmetric(block, Eigen::VectorXd(gradient.tail(n)));
    }

    bool iterate() {
        Eigen::MatrixXd normal;
        Eigen::VectorXd gradient;
        double lambda = 1e-4;
        refreshWeights();
        double chi = build(normal, gradient);
        for (int round = 0; round < options_.maxRounds; ++round) {
            Eigen::MatrixXd damped = normal;
            damped.diagonal() *= 1.0 + lambda;
            const Eigen::VectorXd step = solveSymmetric(damped, gradient);
            const Eigen::VectorXd before = parameters_;
            parameters_ += step;
            Eigen::MatrixXd nextNormal;
            Eigen::VectorXd nextGradient;
            const double nextChi = build(nextNormal, nextGradient);
            const double moved = std::hypot(step[0], step[1]);
            if (!std::isfinite(nextChi)) {
                parameters_ = before;
                return false;
            }
            if (nextChi > chi * (1.0 + 1e-9) && moved > 1e-5) {
                parameters_ = before;
                lambda = std::max(10.0 * lambda, 1e-3);
                if (lambda > 1e6) {
                    return false;
                }
                continue;
            }
            normal = std::move(nextNormal);
            gradient = std::move(nextGradient);
            chi = nextChi;
            lambda *= 0.1;
            if (round < kWeightRounds) {
                refreshWeights();
                chi = build(normal, gradient);
            }
            if (moved < 1e-4) {
                return true;
            }
        }
        return false;
    }

    int rejectOutliers() {
        Eigen::VectorXd row(count_);
        int rejected = 0;
        for (std::size_t k = 0; k < pixels_.size(); ++k) {
            const double value = model(k, row);
            const double limit = options_.rejectSigma * std::sqrt(variance(value)) +
                                 0.1 * std::abs(parameters_[2]) * row[2];
            if (pixels_[k].value - value > limit) {
                pixels_[k].rejected = true;
                ++rejected;
            }
        }
        return rejected;
    }

    [[nodiscard]] PointFit summary() const {
        Eigen::MatrixXd normal;
        Eigen::VectorXd gradient;
        const double chi = build(normal, gradient);
        const Eigen::MatrixXd covariance = inverseOfSymmetric(normal);
        int used = 0;
        for (const PixelTerm& pixel : pixels_) {
            used += pixel.rejected ? 0 : 1;
        }
        PointFit fit;
        fit.x = cx_ + parameters_[0];
        fit.y = cy_ + parameters_[1];
        fit.flux = parameters_[2];
        fit.sky = options_.freeSky ? parameters_[3] : 0.0;
        fit.xError = std::sqrt(covariance(0, 0));
        fit.yError = std::sqrt(covariance(1, 1));
        fit.xyCovariance = covariance(0, 1);
        fit.fluxError = std::sqrt(covariance(2, 2));
        fit.chiSquare = chi / std::max(1, used - count_);
        fit.rejectedPixels = static_cast<int>(pixels_.size()) - used;
        return fit;
    }

    const PointSpread& spread_;
    const PointFitOptions& options_;
    int cx_;
    int cy_;
    double startX_;
    double startY_;
    int count_;
    bool inside_ = false;
    std::span<const Neighbour> neighbours_;
    std::vector<PixelTerm> pixels_;
    std::vector<double> neighbourShare_;
    Eigen::VectorXd parameters_;
};

} // namespace

Result<PointFit> fitPoint(const frame::Image& image,
                          const PointSpread& spread,
                          double x,
                          double y,
                          std::span<const Neighbour> neighbours,
                          const PointFitOptions& options) {
    PATHMARK_EXPECTS(options.noise > 0.0);
    return PointFitter(image, spread, x, y, neighbours, options).run();
}

} // namespace pathmark::detect

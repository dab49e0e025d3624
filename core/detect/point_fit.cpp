#include "core/detect/point_fit.h"

#include "core/base/linear.h"
#include "core/detect/faint_place.h"

#include <cmath>
#include <vector>

namespace pathmark::detect {
namespace {

// Parameters: x, y, flux, then the sky where free, then the neighbours' terms; on a mosaic the flux is green's, and those of
// red and blue come last.
struct PixelTerm {
    double dx, dy; ///< pixel centre, relative to the window's middle
    double value;
    double sky; ///< variance without the source
    int colour; ///< of a mosaic, else 1
    double weight = 0.0;
    bool rejected = false;
};

constexpr double kColourDoubt = 0.3; // of a body's red and blue light against an average star's
constexpr double kFaintSnr = 10.0;   // below it slopes alone do not tell where a light may stand
constexpr double kFaintReach = 1.25; // FWHM
constexpr double kFaintStep = 1.5;   // errors of the fit: a sum over a bell curve is good to 1e-3
constexpr int kWeightRounds = 4;     // by then the model is known well enough to weigh the pixels

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
          terms_(termsOf(neighbours)), firstTerm_(3 + (options.freeSky ? 1 : 0)),
          firstColour_(firstTerm_ + static_cast<int>(terms_.size())),
          count_(firstColour_ + (options.mosaic != nullptr ? 2 : 0)) {
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
                    const PixelTerm pixel = termAt(i, j, value);
                    pixels_.push_back(pixel);
                    const double share = responseOf(pixel.colour) / meanResponse();
                    for (const Neighbour& n : neighbours) {
                        addTerms(n, share, i, j);
                    }
                }
            }
        }
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
    /// What a neighbour adds to the model, as much as the parameter says; one more measurement where it is known beforehand.
    struct NeighbourTerm {
        double known = 0.0;
        double sigma = 0.0; ///< 0: not known
    };

    /// Of each its flux, and the two shifts of its place where that is not sure.
    static std::vector<NeighbourTerm> termsOf(std::span<const Neighbour> neighbours) {
        std::vector<NeighbourTerm> terms;
        for (const Neighbour& n : neighbours) {
            terms.push_back({n.flux, n.fluxSigma});
            if (n.placeSigma > 0.0) {
                terms.insert(terms.end(), 2, {0.0, n.placeSigma});
            }
        }
        return terms;
    }

    /// What a pixel sees of those terms.
    void addTerms(const Neighbour& n, double share, int i, int j) {
        const PointSpread& form = n.spread != nullptr ? *n.spread : spread_;
        const auto sample = form.at(cx_ + i - n.x, cy_ + j - n.y);
        termShare_.push_back(share * sample.value);
        if (n.placeSigma > 0.0) {
            termShare_.push_back(-share * n.flux * sample.slopeX);
            termShare_.push_back(-share * n.flux * sample.slopeY);
        }
    }

    [[nodiscard]] PixelTerm termAt(int i, int j, double value) const {
        PixelTerm pixel{static_cast<double>(i),
                        static_cast<double>(j),
                        value,
                        options_.noise * options_.noise,
                        1};
        if (options_.mosaic != nullptr) {
            pixel.colour = options_.mosaic->colourAt(cx_ + i, cy_ + j);
            pixel.sky = std::pow(options_.mosaic->noise(cx_ + i, cy_ + j), 2);
        }
        return pixel;
    }

    [[nodiscard]] double responseOf(int colour) const {
        return options_.mosaic != nullptr ? options_.response.of(colour) : 1.0;
    }

    [[nodiscard]] double meanResponse() const {
        return options_.mosaic != nullptr ? options_.response.mean() : 1.0;
    }

    /// Where the flux that a pixel sees stands among the parameters.
    [[nodiscard]] int fluxPlace(int colour) const {
        return colour == 1 ? 2 : firstColour_ + colour / 2;
    }

    /// Model and slopes at one pixel; `row` holds d model / d parameter.
    double model(std::size_t k, Eigen::VectorXd& row) const {
        const PixelTerm& pixel = pixels_[k];
        const auto sample = spread_.at(pixel.dx - parameters_[0], pixel.dy - parameters_[1]);
        const int place = fluxPlace(pixel.colour);
        row.setZero();
        row[0] = -parameters_[place] * sample.slopeX;
        row[1] = -parameters_[place] * sample.slopeY;
        row[place] = sample.value;
        double value = parameters_[place] * sample.value;
        int at = 3;
        if (options_.freeSky) {
            row[at] = 1.0;
            value += parameters_[at++];
        }
        for (std::size_t n = 0; n < terms_.size(); ++n, ++at) {
            row[at] = termShare_[k * terms_.size() + n];
            value += parameters_[at] * row[at];
        }
        return value;
    }

    [[nodiscard]] double variance(const PixelTerm& pixel, double modelValue) const {
        const double sky = options_.freeSky ? parameters_[3] : 0.0;
        return pixel.sky + options_.lightVariance * std::max(0.0, modelValue - sky);
    }

    /// Red and blue light as foretold by green, each one more measurement.
    void holdColours(Eigen::MatrixXd& normal, Eigen::VectorXd& gradient, double& chi) const {
        for (const int colour : {0, 2}) {
            const int at = fluxPlace(colour);
            const double ratio = responseOf(colour);
            const double sigma = kColourDoubt * ratio * colourScale_;
            const double weight = 1.0 / (sigma * sigma);
            const double residual = ratio * parameters_[2] - parameters_[at];
            chi += weight * residual * residual;
            normal(at, at) += weight;
            normal(2, 2) += weight * ratio * ratio;
            normal(2, at) -= weight * ratio;
            normal(at, 2) -= weight * ratio;
            gradient[at] += weight * residual;
            gradient[2] -= weight * ratio * residual;
        }
    }

    /// The weights of the model as it stands. They are held while a step is judged: chi-square under weights that
    /// move with the model has its minimum elsewhere, and steps would be refused that are right.
    void refreshWeights() {
        colourScale_ = std::max(1.0, std::abs(parameters_[2]));
        Eigen::VectorXd row(count_);
        for (std::size_t k = 0; k < pixels_.size(); ++k) {
            pixels_[k].weight = 1.0 / variance(pixels_[k], model(k, row));
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
        for (std::size_t n = 0; n < terms_.size(); ++n) {
            if (terms_[n].sigma <= 0.0) {
                continue;
            }
            const Eigen::Index at = firstTerm_ + static_cast<Eigen::Index>(n);
            const double weight = 1.0 / (terms_[n].sigma * terms_[n].sigma);
            const double residual = terms_[n].known - parameters_[at];
            chi += weight * residual * residual;
            normal(at, at) += weight;
            gradient[at] += weight * residual;
        }
        normal.triangularView<Eigen::StrictlyUpper>() = normal.transpose();
        if (options_.mosaic != nullptr) {
            holdColours(normal, gradient, chi);
        }
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
            const int place = fluxPlace(pixels_[k].colour);
            const double limit = options_.rejectSigma * std::sqrt(variance(pixels_[k], value)) +
                                 0.1 * std::abs(parameters_[place]) * row[place];
            if (pixels_[k].value - value > limit) {
                pixels_[k].rejected = true;
                ++rejected;
            }
        }
        return rejected;
    }

    /// Where the light may stand around the fit, with the weights of the fit.
    [[nodiscard]] Eigen::Matrix2d momentsOfPlace(double error) const {
        std::vector<FaintPixel> pixels;
        std::vector<std::size_t> used;
        for (std::size_t k = 0; k < pixels_.size(); ++k) {
            const PixelTerm& p = pixels_[k];
            if (!p.rejected) {
                used.push_back(k);
                pixels.push_back({p.dx,
                                  p.dy,
                                  p.value,
                                  p.weight,
                                  parameters_[fluxPlace(p.colour)] / parameters_[2]});
            }
        }
        const int sky = options_.freeSky ? 1 : 0;
        const auto columns = static_cast<Eigen::Index>(terms_.size()) + sky;
        UnderLight under{Eigen::MatrixXd::Ones(static_cast<Eigen::Index>(used.size()), columns),
                         Eigen::VectorXd::Zero(columns),
                         Eigen::VectorXd::Zero(columns)};
        for (std::size_t n = 0; n < terms_.size(); ++n) {
            const Eigen::Index at = static_cast<Eigen::Index>(n) + sky;
            for (std::size_t k = 0; k < used.size(); ++k) {
                under.terms(static_cast<Eigen::Index>(k), at) =
                    termShare_[used[k] * terms_.size() + n];
            }
            if (terms_[n].sigma > 0.0) {
                under.weights[at] = 1.0 / (terms_[n].sigma * terms_[n].sigma);
                under.known[at] = terms_[n].known;
            }
        }
        return placeMoments(spread_,
                            pixels,
                            under,
                            {parameters_[0], parameters_[1]},
                            kFaintStep * error,
                            kFaintReach * spread_.fwhm() + spread_.trailHalf());
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
        // The mean over a cell; without a mosaic the one flux there is.
        Eigen::VectorXd shares = Eigen::VectorXd::Zero(count_);
        for (const auto& [colour, share] : {std::pair{0, 0.25}, {1, 0.5}, {2, 0.25}}) {
            shares[options_.mosaic != nullptr ? fluxPlace(colour) : 2] += share;
        }
        fit.flux = shares.dot(parameters_);
        fit.sky = options_.freeSky ? parameters_[3] : 0.0;
        fit.fluxError = std::sqrt(shares.dot(covariance * shares));
        Eigen::Matrix2d place = covariance.topLeftCorner<2, 2>();
        if (fit.flux > 0.0 && fit.flux < kFaintSnr * fit.fluxError) {
            const Eigen::Matrix2d anywhere = momentsOfPlace(std::sqrt(0.5 * place.trace()));
            place = anywhere.trace() > place.trace() ? anywhere : place;
        }
        fit.xError = std::sqrt(place(0, 0));
        fit.yError = std::sqrt(place(1, 1));
        fit.xyCovariance = place(0, 1);
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
    std::vector<NeighbourTerm> terms_;
    int firstTerm_;
    int firstColour_;
    int count_;
    double colourScale_ = 1.0; ///< electrons that the doubt of the colours is a share of
    bool inside_ = false;
    std::vector<PixelTerm> pixels_;
    std::vector<double> termShare_; ///< pixel by pixel
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

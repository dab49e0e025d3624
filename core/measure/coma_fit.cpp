#include "core/measure/coma_fit.h"

#include "core/base/linear.h"
#include "core/measure/coma_profile.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <vector>

namespace pathmark::measure {
namespace {

constexpr double kReachFwhm = 2.0; // where the cusp tells the place; farther out the tail would
constexpr double kLeastSlope = 0.5;
constexpr double kRejectSigma = 6.0;
constexpr double kMostShift = 3.0; // pixels from the start
/// Of residuals side by side where the model holds: the sky's surface and the stars' shape are not known to the last.
constexpr double kUsualCorrelation = 0.1;

// Parameters: x, y, the excess of one side in x and y, then brightness and level of each colour.
constexpr int kFirstColour = 4;

struct Pixel {
    double dx, dy; ///< from the middle of the window
    double value;
    double sky;           ///< variance without the comet
    double response;      ///< of an average star: what the excess of a side goes by
    int colour;           ///< 0 where there is one only
    double lightVariance; ///< over the light
    double model = 0.0;
    double weightModel = 0.0; ///< what the weight goes by: held while a step is judged
    bool rejected = false;

    [[nodiscard]] double weight() const {
        return 1.0 / (sky + lightVariance * std::max(0.0, weightModel));
    }
};

/// One fit at a given slope.
class ComaFitter {
  public:
    ComaFitter(const frame::Image& light,
               const Picture& picture,
               frame::PixelPos start,
               int half,
               double reach)
        : isMosaic_(picture.mosaic != nullptr), colours_(isMosaic_ ? 3 : 1),
          count_(kFirstColour + 2 * colours_), cx_(static_cast<int>(std::lround(start.x))),
          cy_(static_cast<int>(std::lround(start.y))),
          core2_(0.25 * std::pow(picture.shape.fwhm(), 2)) {
        for (int j = -half; j <= half; ++j) {
            for (int i = -half; i <= half; ++i) {
                const int x = cx_ + i;
                const int y = cy_ + j;
                if (std::hypot(i, j) > reach || !light.contains(x, y) ||
                    !std::isfinite(light.at(x, y))) {
                    continue;
                }
                const int colour = isMosaic_ ? picture.mosaic->colourAt(x, y) : 0;
                const double noise =
                    isMosaic_ ? picture.mosaic->typicalNoise(colour) : picture.noise;
                pixels_.push_back({static_cast<double>(i),
                                   static_cast<double>(j),
                                   static_cast<double>(light.at(x, y)),
                                   noise * noise,
                                   isMosaic_ ? picture.response.of(colour) : 1.0,
                                   colour,
                                   picture.lightVariance});
            }
        }
    }

    [[nodiscard]] bool isWhole() const {
        return pixels_.size() > static_cast<std::size_t>(4 * count_);
    }

    /// Chi-square of the best fit with a profile; infinite where it does not settle.
    double run(const ComaProfile& profile, frame::PixelPos start) {
        parameters_ = Eigen::VectorXd::Zero(count_);
        parameters_[0] = start.x - cx_;
        parameters_[1] = start.y - cy_;
        solveLight(profile);
        double chi = build(profile);
        double damping = 1e-4;
        for (int round = 0; round < 40; ++round) {
            Eigen::MatrixXd damped = normal_;
            damped.diagonal() *= 1.0 + damping;
            const Eigen::VectorXd step = solveSymmetric(damped, gradient_);
            const Eigen::VectorXd before = parameters_;
            parameters_ += step;
            const double moved = std::hypot(step[0], step[1]);
            if (!(std::hypot(parameters_[0], parameters_[1]) < kMostShift)) {
                return std::numeric_limits<double>::infinity();
            }
            const double next = build(profile);
            if (next > chi * (1.0 + 1e-9) && moved > 1e-5) {
                parameters_ = before;
                build(profile);
                damping = std::max(10.0 * damping, 1e-3);
                continue;
            }
            chi = next;
            damping *= 0.1;
            if (round < 4) {
                weigh();
                chi = build(profile);
            }
            if (moved < 1e-4 && round >= 4) {
                return chi;
            }
        }
        return std::numeric_limits<double>::infinity();
    }

    /// Leaves out what stands out; true where anything did.
    bool reject() {
        bool any = false;
        for (Pixel& p : pixels_) {
            const double limit =
                kRejectSigma * std::sqrt(p.sky + std::max(0.0, p.model)) + 0.1 * std::abs(p.model);
            if (!p.rejected && std::abs(p.value - p.model) > limit) {
                p.rejected = true;
                any = true;
            }
        }
        return any;
    }

    [[nodiscard]] ComaFit
    result(double chi, double slope, const ComaProfile& profile, const StarsTakenOff& off) const {
        const Eigen::MatrixXd covariance = inverseOfSymmetric(normal_);
        const Eigen::Matrix2d ofStars = movedBy(off, profile, covariance);
        const auto used = static_cast<double>(std::count_if(
            pixels_.begin(), pixels_.end(), [](const Pixel& p) { return !p.rejected; }));
        ComaFit fit;
        fit.chiSquare = chi / std::max(1.0, used - count_ - 1);
        // What the model does not follow (jets, the tail's root) is not noise, but moves the place as such.
        // Where it is so over whole cores, the pixels of a core count as one.
        const double misfit =
            std::max(1.0, fit.chiSquare) + std::numbers::pi * core2_ * commonMisfit();
        fit.place.pixel = {cx_ + parameters_[0], cy_ + parameters_[1]};
        fit.place.xError = std::sqrt(misfit * covariance(0, 0) + ofStars(0, 0));
        fit.place.yError = std::sqrt(misfit * covariance(1, 1) + ofStars(1, 1));
        fit.place.xyCovariance = misfit * covariance(0, 1) + ofStars(0, 1);
        fit.slope = slope;
        for (int c = 0; c < colours_; ++c) {
            const int at = kFirstColour + 2 * c;
            const auto place = static_cast<std::size_t>(isMosaic_ ? c : 1);
            fit.brightness[place] = parameters_[at];
            fit.brightnessError[place] = std::sqrt(covariance(at, at));
        }
        return fit;
    }

  private:
    /// Mean product of the residuals of pixels side by side, in units of their noise: what of the misfit is no noise of single
    /// pixels. Zero where that could be chance.
    [[nodiscard]] double commonMisfit() const {
        const auto residualOf = [](const Pixel& p) {
            return (p.value - p.model) * std::sqrt(p.weight());
        };
        double sum = 0.0;
        int pairs = 0;
        for (std::size_t i = 0; i + 1 < pixels_.size(); ++i) {
            const Pixel& p = pixels_[i];
            const Pixel& q = pixels_[i + 1]; // of the same row, where it is the next
            if (!p.rejected && !q.rejected && q.dy == p.dy && q.dx == p.dx + 1.0) {
                sum += residualOf(p) * residualOf(q);
                ++pairs;
            }
        }
        return pairs == 0 ? 0.0
                          : std::max(0.0, sum / pairs - 1.0 / std::sqrt(pairs) - kUsualCorrelation);
    }

    /// Covariance of the place from the stars: what each moves the fit by where its flux is wrong by its error.
    [[nodiscard]] Eigen::Matrix2d movedBy(const StarsTakenOff& off,
                                          const ComaProfile& profile,
                                          const Eigen::MatrixXd& covariance) const {
        Eigen::Matrix2d sum = Eigen::Matrix2d::Zero();
        Eigen::VectorXd row(count_);
        for (const auto& star : off.stars) {
            Eigen::VectorXd pull = Eigen::VectorXd::Zero(count_);
            for (const Pixel& p : pixels_) {
                const double dx = cx_ + p.dx - star.pixel.x;
                const double dy = cy_ + p.dy - star.pixel.y;
                if (p.rejected || std::max(std::abs(dx), std::abs(dy)) > off.spread.radius()) {
                    continue;
                }
                rowOf(profile, p, row);
                pull += p.weight() * p.response * off.spread.at(dx, dy).value * row;
            }
            const Eigen::Vector2d moved = star.fluxError * (covariance * pull).head<2>();
            sum += moved * moved.transpose();
        }
        return sum;
    }

    void rowOf(const ComaProfile& profile, const Pixel& p, Eigen::VectorXd& row) const {
        const auto sample = profile.at(p.dx - parameters_[0], p.dy - parameters_[1]);
        const int at = kFirstColour + 2 * p.colour;
        row.setZero();
        row[0] = -parameters_[at] * sample.slopeX;
        row[1] = -parameters_[at] * sample.slopeY;
        // One side brighter than the other by so much at any distance: the root of a tail, or a jet.
        const double side = p.response / std::sqrt(p.dx * p.dx + p.dy * p.dy + core2_);
        row[2] = side * p.dx;
        row[3] = side * p.dy;
        row[at] = sample.value;
        row[at + 1] = 1.0;
    }

    [[nodiscard]] double modelOf(const Pixel& p, const Eigen::VectorXd& row) const {
        const int at = kFirstColour + 2 * p.colour;
        return parameters_[at] * row[at] + parameters_[at + 1] + parameters_[2] * row[2] +
               parameters_[3] * row[3];
    }

    void weigh() {
        for (Pixel& p : pixels_) {
            p.weightModel = p.model;
        }
    }

    /// Normal equations and chi-square as the parameters stand.
    double build(const ComaProfile& profile) {
        normal_.setZero(count_, count_);
        gradient_.setZero(count_);
        Eigen::VectorXd row(count_);
        double chi = 0.0;
        for (Pixel& p : pixels_) {
            rowOf(profile, p, row);
            p.model = modelOf(p, row);
            if (p.rejected) {
                continue;
            }
            const double weight = p.weight();
            const double residual = p.value - p.model;
            for (Eigen::Index a = 0; a < count_; ++a) {
                if (row[a] == 0.0) {
                    continue;
                }
                gradient_[a] += weight * residual * row[a];
                for (Eigen::Index b = 0; b < count_; ++b) {
                    normal_(a, b) += weight * row[a] * row[b];
                }
            }
            chi += weight * residual * residual;
        }
        return chi;
    }

    /// Brightness, levels and sides at the starting place: linear.
    void solveLight(const ComaProfile& profile) {
        for (Pixel& p : pixels_) {
            p.weightModel = std::max(0.0, p.value);
        }
        build(profile);
        const Eigen::Index n = count_ - 2;
        parameters_.tail(n) += solveSymmetric(Eigen::MatrixXd(normal_.bottomRightCorner(n, n)),
                                              Eigen::VectorXd(gradient_.tail(n)));
        build(profile);
        weigh();
    }

    bool isMosaic_;
    int colours_;
    int count_;
    int cx_;
    int cy_;
    double core2_; ///< of the stars' core, pixels squared
    std::vector<Pixel> pixels_;
    Eigen::VectorXd parameters_;
    Eigen::MatrixXd normal_;
    Eigen::VectorXd gradient_;
};

struct Trial {
    double slope;
    double chi;
};

/// The slope of least chi-square; `at` fits with a given one, `middle` is the fit with the usual one.
template <typename At>
double bestSlope(Trial middle, const At& at) {
    Trial low = at(kLeastSlope);
    Trial high = at(kMostSlope);
    for (int round = 0; round < 7; ++round) {
        if (low.chi < middle.chi || high.chi < middle.chi) {
            break; // the least lies at a bound
        }
        // The least of the parabola through all three, where it is well inside; else the middle of the wider side.
        const double a = middle.slope - low.slope;
        const double b = high.slope - middle.slope;
        const double p = (high.chi - middle.chi) / b;
        const double q = (low.chi - middle.chi) / a;
        double next = p + q > 0.0 ? middle.slope - 0.5 * (p * a - q * b) / (p + q) : middle.slope;
        if (!(std::abs(next - middle.slope) > 0.002)) {
            break;
        }
        next = std::clamp(next, low.slope + 0.1 * a, high.slope - 0.1 * b);
        const Trial trial = at(next);
        Trial& side = trial.slope < middle.slope ? low : high;
        if (trial.chi < middle.chi) {
            (trial.slope < middle.slope ? high : low) = middle;
            middle = trial;
        } else {
            side = trial;
        }
    }
    return (low.chi < middle.chi ? low : high.chi < middle.chi ? high : middle).slope;
}

} // namespace

Result<ComaFit> fitComa(const frame::Image& light,
                        const Picture& picture,
                        frame::PixelPos start,
                        const detect::PointSpread& spread,
                        const StarsTakenOff& off,
                        std::optional<double> slope) {
    const double reach = std::max(5.0, kReachFwhm * spread.fwhm() + spread.trailHalf());
    const int half = static_cast<int>(std::ceil(reach)) + 2;
    ComaFitter fitter(light, picture, start, half, reach);
    if (!fitter.isWhole()) {
        const int cx = static_cast<int>(std::lround(start.x));
        const int cy = static_cast<int>(std::lround(start.y));
        return fail(ErrorId::MeasureOutside,
                    light.contains(cx - half, cy - half) && light.contains(cx + half, cy + half)
                        ? "Too many pixels of the comet's middle are saturated or defect."
                        : "The comet is too near the edge of the frame.");
    }
    const int tableHalf = half + static_cast<int>(kMostShift) + 1;

    // Hits and stars go first, by the slope that comae mostly have.
    const double first = slope.value_or(kUsualSlope);
    ComaProfile profile(spread, first, tableHalf); // of the latest fit
    const auto at = [&](double trial) {
        profile = ComaProfile(spread, trial, tableHalf);
        return Trial{trial, fitter.run(profile, start)};
    };
    Trial last{first, fitter.run(profile, start)};
    for (int round = 0; round < 3 && fitter.reject(); ++round) {
        last.chi = fitter.run(profile, start);
    }
    if (!slope) {
        last = at(bestSlope(last, at));
    }
    if (!std::isfinite(last.chi)) {
        return fail(ErrorId::MeasureFitFailed, "The fit of the coma did not settle.");
    }
    return fitter.result(last.chi, last.slope, profile, off);
}

} // namespace pathmark::measure

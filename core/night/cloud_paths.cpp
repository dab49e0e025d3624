#include "core/night/cloud_paths.h"

#include "core/base/linear.h"
#include "core/orbit/place/ephemeris.h"
#include "core/sweep/cubic_weights.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::night {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr int kTimes = 13;
constexpr double kMarginSeconds = 60.0;
constexpr double kLongestDays = 1.0;
constexpr double kLikelihood = 0.99; ///< that lies within the coordinates
constexpr Index kDegree = 3;
constexpr double kSmoothing = 0.08;    ///< of half the line: orbits stand on a grid
constexpr int kDensities = 80;         ///< places on the line where it is looked for
constexpr double kStraightFrom = 1e-3; ///< arcsec: a shorter line has no shape

/// The places of one member at even times, about one direction.
class CloudPath : public LostPath {
  public:
    CloudPath(const SkyPos& centre, const Utc& from, double stepSeconds, VectorXd places)
        : centre_(centre), from_(from), step_(stepSeconds), places_(std::move(places)) {}

    /// Cubic between the times.
    [[nodiscard]] Result<SkyPos> at(const Utc& time) const override {
        const double place = time.secondsSince(from_) / step_;
        const int k = std::clamp(static_cast<int>(std::floor(place)), 1, kTimes - 3);
        const auto weights = sweep::cubicWeights(place - k);
        double east = 0.0;
        double north = 0.0;
        for (int i = 0; i < 4; ++i) {
            const double weight = weights[static_cast<std::size_t>(i)];
            east += weight * places_[2 * (k - 1 + i)];
            north += weight * places_[2 * (k - 1 + i) + 1];
        }
        return offsetBy(centre_, east, north);
    }

  private:
    SkyPos centre_;
    Utc from_;
    double step_;
    VectorXd places_; ///< arcsec east and north at each time
};

/// The value below which so much of the weight lies.
double quantileOf(const VectorXd& values, const VectorXd& weights, double share) {
    std::vector<Index> order(static_cast<std::size_t>(values.size()));
    for (std::size_t k = 0; k < order.size(); ++k) {
        order[k] = static_cast<Index>(k);
    }
    std::sort(order.begin(), order.end(), [&](Index a, Index b) { return values[a] < values[b]; });
    double sum = 0.0;
    for (const Index k : order) {
        sum += weights[k];
        if (sum >= share) {
            return values[k];
        }
    }
    return values[order.back()];
}

class CloudPaths : public LostPaths {
  public:
    static Result<std::unique_ptr<LostPaths>> make(const LostBody& body,
                                                   std::span<const StackLight> lights);

    [[nodiscard]] std::size_t coordinates() const override { return coordinates_; }

    /// The density of the orbits along the line, each as broad as what is open at its distance.
    [[nodiscard]] double logLikelyAlong(double q) const override {
        return std::log(std::max(1e-6, densityAt(middle_ + half_ * q) / mostDense_));
    }

    [[nodiscard]] std::array<double, 2> asideSigmas() const override { return asideSigmas_; }

    [[nodiscard]] Result<std::unique_ptr<LostPath>>
    pathOf(const std::array<double, 3>& q) const override {
        VectorXd places = onLine(middle_ + half_ * q[0]);
        for (std::size_t d = 0; d < 2; ++d) {
            places += q[d + 1] * aside_[d];
        }
        return std::unique_ptr<LostPath>(new CloudPath(centre_, from_, step_, std::move(places)));
    }

  private:
    Result<bool> follow(const LostBody& body);
    void lay(double starWidth);
    [[nodiscard]] VectorXd onLine(double along) const;
    [[nodiscard]] double densityAt(double along) const;

    Utc from_;
    double step_ = 1.0; ///< seconds between the times
    SkyPos centre_;
    MatrixXd places_;  ///< of each orbit a row: arcsec east and north at each time
    VectorXd weights_; ///< of each orbit, one in all
    MatrixXd open_;    ///< steps that what is open at one distance moves it by, one a column

    double shapeMiddle_ = 0.0; ///< of the orbits along the line
    double shapeHalf_ = 1.0;
    MatrixXd shape_; ///< kDegree + 1 rows: the line's coefficients
    double middle_ = 0.0;
    double half_ = 0.0; ///< with what is open
    VectorXd along_;    ///< of each orbit
    double breadth_ = 1.0;
    double mostDense_ = 1.0;
    std::array<VectorXd, 2> aside_;
    std::array<double, 2> asideSigmas_{};
    std::size_t coordinates_ = 1;
};

/// The cloud's orbits over the times.
Result<bool> CloudPaths::follow(const LostBody& body) {
    const orbit::OrbitCloud& cloud = *body.cloud;
    const auto count = static_cast<Index>(cloud.cells.size());
    const auto steps = static_cast<Index>(cloud.aside.size());
    places_.resize(count, 2 * kTimes);
    open_.resize(2 * kTimes, steps);
    weights_.resize(count);
    for (Index i = 0; i < count; ++i) {
        const double above =
            cloud.cells[static_cast<std::size_t>(i)].chiSquare - cloud.leastChiSquare;
        weights_[i] = std::exp(-0.5 * above);
    }
    weights_ /= weights_.sum();
    for (int k = 0; k < kTimes; ++k) {
        const auto observer = orbit::observerAt(
            body.tables.planets, body.site, from_.plusSeconds(k * step_), body.tables.turn);
        if (!observer) {
            return fail(observer.error());
        }
        const auto sky = orbit::directionsOf(cloud, *observer);
        const auto aside = orbit::directionsAside(cloud, *observer);
        if (k == 0) {
            centre_ = sky.front();
        }
        const auto offsetOf = [&](const SkyPos& place) -> Eigen::Vector2d {
            const PlanePos off = toTangentPlane(centre_, place);
            return Eigen::Vector2d(off.xi, off.eta) / kRadiansPerArcsec;
        };
        for (Index i = 0; i < count; ++i) {
            places_.block<1, 2>(i, 2 * k) = offsetOf(sky[static_cast<std::size_t>(i)]).transpose();
        }
        for (Index i = 0; i < steps; ++i) {
            open_.block<2, 1>(2 * k, i) =
                offsetOf(aside[static_cast<std::size_t>(i)]) - offsetOf(sky.front());
        }
    }
    return true;
}

/// Powers of how far along the orbits one is; beyond the ends it goes on straight.
VectorXd CloudPaths::onLine(double along) const {
    const double s = (along - shapeMiddle_) / shapeHalf_;
    const double inside = std::clamp(s, -1.0, 1.0);
    VectorXd sum = VectorXd::Zero(places_.cols());
    for (Index power = kDegree; power >= 0; --power) {
        sum = inside * sum + VectorXd(shape_.row(power).transpose());
    }
    VectorXd slope = VectorXd::Zero(places_.cols());
    for (Index power = kDegree; power >= 1; --power) {
        slope =
            inside * slope + static_cast<double>(power) * VectorXd(shape_.row(power).transpose());
    }
    return sum + (s - inside) * slope;
}

double CloudPaths::densityAt(double along) const {
    double sum = 0.0;
    for (Index i = 0; i < along_.size(); ++i) {
        const double off = (along - along_[i]) / breadth_;
        sum += weights_[i] * std::exp(-0.5 * off * off);
    }
    return sum;
}

/// The line and the directions aside.
void CloudPaths::lay(double starWidth) {
    const VectorXd mean = places_.transpose() * weights_;
    const MatrixXd off = places_.rowwise() - mean.transpose();
    const MatrixXd weighted = weights_.cwiseSqrt().asDiagonal() * off;
    const MatrixXd openSquare = pathmark::productOf(open_, open_.transpose());
    const PrincipalAxes first =
        principalAxesOf(pathmark::productOf(weighted.transpose(), weighted) + openSquare);
    const VectorXd direction = first.vectors.col(places_.cols() - 1);
    along_ = off * direction;
    const double low = quantileOf(along_, weights_, 0.5 * (1.0 - kLikelihood));
    const double high = quantileOf(along_, weights_, 0.5 * (1.0 + kLikelihood));
    const double beyond = kLineSigmas * (open_.transpose() * direction).norm();
    shapeMiddle_ = middle_ = 0.5 * (low + high);
    shapeHalf_ = std::max(0.5 * (high - low), kStraightFrom);
    half_ = 0.5 * (high - low) + beyond;
    breadth_ = std::max(beyond / kLineSigmas, kSmoothing * half_);
    mostDense_ = 0.0;
    for (int k = 0; k <= kDensities; ++k) {
        mostDense_ =
            std::max(mostDense_, densityAt(middle_ + half_ * (2.0 * k / kDensities - 1.0)));
    }
    shape_ = MatrixXd::Zero(kDegree + 1, places_.cols());
    if (high - low > kStraightFrom) {
        MatrixXd powers(places_.rows(), kDegree + 1);
        for (Index i = 0; i < places_.rows(); ++i) {
            const double s = std::clamp((along_[i] - shapeMiddle_) / shapeHalf_, -1.0, 1.0);
            const double weight = std::sqrt(weights_[i]);
            for (Index power = 0; power <= kDegree; ++power) {
                powers(i, power) = weight * std::pow(s, static_cast<double>(power));
            }
        }
        shape_ = leastSquares(powers, MatrixXd(weights_.cwiseSqrt().asDiagonal() * places_));
    } else {
        shape_.row(0) = mean.transpose();
        shape_.row(1) = shapeHalf_ * direction.transpose();
    }
    MatrixXd rest(places_.rows(), places_.cols());
    for (Index i = 0; i < places_.rows(); ++i) {
        rest.row(i) = places_.row(i) - onLine(along_[i]).transpose();
    }
    const MatrixXd openAside = open_ - direction * (direction.transpose() * open_);
    const MatrixXd weightedRest = weights_.cwiseSqrt().asDiagonal() * rest;
    const PrincipalAxes others =
        principalAxesOf(pathmark::productOf(weightedRest.transpose(), weightedRest) +
                        pathmark::productOf(openAside, openAside.transpose()));
    for (std::size_t d = 0; d < 2; ++d) {
        const VectorXd axis = others.vectors.col(places_.cols() - 1 - static_cast<Index>(d));
        const VectorXd far = (rest * axis).cwiseAbs();
        const double open = (openAside.transpose() * axis).norm();
        const double half = std::hypot(quantileOf(far, weights_, kLikelihood), kLineSigmas * open);
        aside_[d] = half * axis;
        const double sigma = std::sqrt(weights_.dot(far.cwiseAbs2()) + open * open);
        asideSigmas_[d] = sigma > 0.0 ? half / sigma : 0.0;
        double most = 0.0;
        for (int k = 0; k < kTimes; ++k) {
            most = std::max(most, aside_[d].segment<2>(2 * k).norm());
        }
        if (most > kAsideWidths * starWidth) {
            coordinates_ = d + 2;
        }
    }
}

Result<std::unique_ptr<LostPaths>> CloudPaths::make(const LostBody& body,
                                                    std::span<const StackLight> lights) {
    auto paths = std::make_unique<CloudPaths>();
    const auto [from, to] = spanOf(lights);
    double width = std::numeric_limits<double>::max();
    for (const StackLight& light : lights) {
        width = std::min(width, light.starArcsec());
    }
    if (to.secondsSince(from) > kLongestDays * kSecondsPerDay) {
        return fail(ErrorId::SweepNoMotion,
                    "Many orbits agree with what is known of the body: it is sought on one night "
                    "at a time.");
    }
    paths->from_ = from.plusSeconds(-kMarginSeconds);
    paths->step_ = (to.secondsSince(from) + 2.0 * kMarginSeconds) / (kTimes - 1);
    if (auto followed = paths->follow(body); !followed) {
        return fail(followed.error());
    }
    paths->lay(width);
    return std::unique_ptr<LostPaths>(std::move(paths));
}

} // namespace

Result<std::unique_ptr<LostPaths>> cloudPaths(const LostBody& body,
                                              std::span<const StackLight> lights) {
    return CloudPaths::make(body, lights);
}

} // namespace pathmark::night

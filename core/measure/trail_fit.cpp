#include "core/measure/trail_fit.h"

#include "core/base/expects.h"
#include "core/detect/point_spread.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <vector>

namespace pathmark::measure {
namespace {

using detect::PointSpread;
using frame::PixelPos;

constexpr double kSeenFwhm = 33.0;   ///< half side of the part that is looked at
constexpr double kBrightSigma = 2.5; ///< of the mean of three by three pixels
constexpr double kAroundFwhm = 2.0;  ///< pixels so near to the trail are fitted
constexpr double kPerPoint = 0.5;    ///< pixels of the way that one point stands for
constexpr int kMostRounds = 40;
constexpr int kTerms = 6; ///< middle, way, flux, sky

using Vector = Eigen::Matrix<double, kTerms, 1>;
using Matrix = Eigen::Matrix<double, kTerms, kTerms>;

/// The part of the picture about a place, stars taken off.
struct Part {
    int x0 = 0;
    int y0 = 0;
    frame::Image light;

    [[nodiscard]] double at(int i, int j) const { return static_cast<double>(light.at(i, j)); }
};

Part partAbout(const Picture& picture,
               PixelPos middle,
               const PointSpread& spread,
               std::span<const StarNearby> neighbours) {
    const int half = static_cast<int>(std::ceil(kSeenFwhm * spread.fwhm()));
    Part part{static_cast<int>(std::lround(middle.x)) - half,
              static_cast<int>(std::lround(middle.y)) - half,
              frame::Image(2 * half + 1, 2 * half + 1, frame::kNoValue)};
    for (int j = 0; j < part.light.height(); ++j) {
        for (int i = 0; i < part.light.width(); ++i) {
            if (picture.image->contains(part.x0 + i, part.y0 + j)) {
                part.light.at(i, j) = picture.image->at(part.x0 + i, part.y0 + j);
            }
        }
    }
    for (const StarNearby& star : neighbours) {
        if (!star.flux) {
            continue;
        }
        const int reach = spread.radius();
        const int cx = static_cast<int>(std::lround(star.pixel.x)) - part.x0;
        const int cy = static_cast<int>(std::lround(star.pixel.y)) - part.y0;
        for (int j = cy - reach; j <= cy + reach; ++j) {
            for (int i = cx - reach; i <= cx + reach; ++i) {
                if (part.light.contains(i, j)) {
                    const auto sample =
                        spread.at(part.x0 + i - star.pixel.x, part.y0 + j - star.pixel.y);
                    part.light.at(i, j) -= static_cast<float>(*star.flux * sample.value);
                }
            }
        }
    }
    return part;
}

frame::Image meanOfNine(const frame::Image& image) {
    frame::Image mean(image.width(), image.height(), frame::kNoValue);
    for (int j = 1; j + 1 < image.height(); ++j) {
        for (int i = 1; i + 1 < image.width(); ++i) {
            float sum = 0.0F;
            for (int v = -1; v <= 1; ++v) {
                for (int u = -1; u <= 1; ++u) {
                    sum += image.at(i + u, j + v);
                }
            }
            mean.at(i, j) = sum / 9.0F;
        }
    }
    return mean;
}

struct Spot {
    int i = 0;
    int j = 0;
};

/// What hangs together above the level, from the brightest pixel within reach of the start.
std::vector<Spot> spotsFrom(const frame::Image& mean, Spot start, double reach, double level) {
    std::optional<Spot> brightest;
    const int r = static_cast<int>(std::ceil(reach));
    for (int j = start.j - r; j <= start.j + r; ++j) {
        for (int i = start.i - r; i <= start.i + r; ++i) {
            if (mean.contains(i, j) && std::hypot(i - start.i, j - start.j) <= reach &&
                static_cast<double>(mean.at(i, j)) > level &&
                (!brightest || mean.at(i, j) > mean.at(brightest->i, brightest->j))) {
                brightest = Spot{i, j};
            }
        }
    }
    std::vector<Spot> spots;
    if (!brightest) {
        return spots;
    }
    frame::Image taken(mean.width(), mean.height(), 0.0F);
    std::vector<Spot> open{*brightest};
    taken.at(brightest->i, brightest->j) = 1.0F;
    while (!open.empty()) {
        const Spot at = open.back();
        open.pop_back();
        spots.push_back(at);
        // Two pixels are bridged: a faint trail has gaps.
        for (int v = -2; v <= 2; ++v) {
            for (int u = -2; u <= 2; ++u) {
                const Spot next{at.i + u, at.j + v};
                if (mean.contains(next.i, next.j) && taken.at(next.i, next.j) == 0.0F &&
                    static_cast<double>(mean.at(next.i, next.j)) > level) {
                    taken.at(next.i, next.j) = 1.0F;
                    open.push_back(next);
                }
            }
        }
    }
    return spots;
}

/// Where and how the trail lies by the moments of its pixels: middle x, y, way x, y, flux, sky.
Vector momentsOf(const Part& part, const std::vector<Spot>& spots, double fwhm) {
    double sum = 0.0;
    double mx = 0.0;
    double my = 0.0;
    for (const Spot& s : spots) {
        const double v = std::max(0.0, part.at(s.i, s.j));
        sum += v;
        mx += v * s.i;
        my += v * s.j;
    }
    sum = std::max(sum, 1e-6);
    mx /= sum;
    my /= sum;
    double xx = 0.0;
    double xy = 0.0;
    double yy = 0.0;
    for (const Spot& s : spots) {
        const double v = std::max(0.0, part.at(s.i, s.j)) / sum;
        xx += v * (s.i - mx) * (s.i - mx);
        xy += v * (s.i - mx) * (s.j - my);
        yy += v * (s.j - my) * (s.j - my);
    }
    const double angle = 0.5 * std::atan2(2.0 * xy, xx - yy);
    const double spreadOfAxes = std::hypot(xx - yy, 2.0 * xy); // of the variances along and across
    const double length = std::max(fwhm, std::sqrt(12.0 * spreadOfAxes));
    Vector start;
    start << part.x0 + mx, part.y0 + my, length * std::cos(angle), length * std::sin(angle), sum,
        0.0;
    return start;
}

/// Value and slopes by middle and way of a trail of unit light.
struct Drawn {
    double value = 0.0;
    std::array<double, 4> slope{}; ///< by the middle's x and y, and the way's
};

Drawn drawnAt(const PointSpread& spread, const Vector& p, int x, int y) {
    const double length = std::hypot(p[2], p[3]);
    const int points = std::max(4, static_cast<int>(std::ceil(length / kPerPoint)));
    const double dx = x - p[0];
    const double dy = y - p[1];
    Drawn drawn;
    for (int k = 0; k < points; ++k) {
        const double s = (k + 0.5) / points - 0.5;
        const auto sample = spread.at(dx - s * p[2], dy - s * p[3]);
        drawn.value += sample.value;
        drawn.slope[0] -= sample.slopeX;
        drawn.slope[1] -= sample.slopeY;
        drawn.slope[2] -= s * sample.slopeX;
        drawn.slope[3] -= s * sample.slopeY;
    }
    drawn.value /= points;
    for (double& v : drawn.slope) {
        v /= points;
    }
    return drawn;
}

/// Pixels from a place to the trail.
double distanceTo(const Vector& p, int x, int y) {
    const double square = p[2] * p[2] + p[3] * p[3];
    const double along = square > 0.0 ? ((x - p[0]) * p[2] + (y - p[1]) * p[3]) / square : 0.0;
    const double s = std::clamp(along, -0.5, 0.5);
    return std::hypot(x - p[0] - s * p[2], y - p[1] - s * p[3]);
}

/// Least squares over the pixels about a trail.
class TrailFitter {
  public:
    TrailFitter(const Picture& picture, const Part& part, const PointSpread& spread)
        : picture_(picture), part_(part), spread_(spread) {}

    /// Takes the pixels about a trail as it is thought to lie.
    void choose(const Vector& p) {
        pixels_.clear();
        for (int j = 0; j < part_.light.height(); ++j) {
            for (int i = 0; i < part_.light.width(); ++i) {
                if (std::isfinite(part_.light.at(i, j)) &&
                    distanceTo(p, part_.x0 + i, part_.y0 + j) <
                        kAroundFwhm * spread_.fwhm() + 1.0) {
                    pixels_.push_back({i, j});
                }
            }
        }
    }

    /// One search for the least chi-square from a start. Nothing where it does not settle.
    std::optional<Vector> settle(Vector p) {
        double damping = 1e-3;
        double best = weigh(p);
        for (int round = 0; round < kMostRounds; ++round) {
            Matrix damped = normal_;
            damped.diagonal() *= 1.0 + damping;
            const Vector step = damped.ldlt().solve(gradient_);
            if (!step.allFinite()) {
                return std::nullopt;
            }
            const Vector next = p + step;
            const double chi = weigh(next);
            if (chi < best || std::abs(chi - best) < 1e-6 * best) {
                const bool isSettled = best - chi < 1e-5 * best && step.head(4).norm() < 1e-3;
                p = next;
                best = chi;
                damping = std::max(1e-9, 0.2 * damping);
                if (isSettled) {
                    return p;
                }
            } else {
                damping *= 8.0;
                if (damping > 1e8) {
                    return std::nullopt;
                }
                (void)weigh(p);
            }
        }
        return std::nullopt;
    }

    /// Sum of squares over the variances; leaves the normal equations of that place. The flux that the variance goes by is `p`'s own.
    double weigh(const Vector& p) {
        normal_.setZero();
        gradient_.setZero();
        double chi = 0.0;
        for (const Spot& s : pixels_) {
            const Drawn drawn = drawnAt(spread_, p, part_.x0 + s.i, part_.y0 + s.j);
            Vector row;
            row << p[4] * drawn.slope[0], p[4] * drawn.slope[1], p[4] * drawn.slope[2],
                p[4] * drawn.slope[3], drawn.value, 1.0;
            const double model = p[4] * drawn.value;
            const double variance =
                picture_.noise * picture_.noise + picture_.lightVariance * std::max(0.0, model);
            const double left = part_.at(s.i, s.j) - model - p[5];
            normal_ += row * row.transpose() / variance;
            gradient_ += row * (left / variance);
            chi += left * left / variance;
        }
        return chi;
    }

    [[nodiscard]] Matrix covariance() const { return normal_.inverse(); }

    [[nodiscard]] double degrees() const {
        return std::max(1.0, static_cast<double>(pixels_.size()) - kTerms);
    }

  private:
    const Picture& picture_;
    const Part& part_;
    const PointSpread& spread_;
    std::vector<Spot> pixels_;
    Matrix normal_ = Matrix::Zero();
    Vector gradient_ = Vector::Zero();
};

TrailFit resultOf(TrailFitter& fitter, const Vector& p) {
    TrailFit fit;
    fit.chiSquare = fitter.weigh(p) / fitter.degrees();
    fit.middle = {p[0], p[1]};
    fit.way = {p[2], p[3]};
    fit.flux = p[4];
    const Matrix covariance = fitter.covariance();
    const double length = std::max(1e-6, fit.length());
    const double c = p[2] / length;
    const double s = p[3] / length;
    const double xx = covariance(2, 2);
    const double xy = covariance(2, 3);
    const double yy = covariance(3, 3);
    fit.lengthError = std::sqrt(c * c * xx + 2.0 * c * s * xy + s * s * yy);
    fit.angleError = std::sqrt(s * s * xx - 2.0 * c * s * xy + c * c * yy) / length;
    return fit;
}

} // namespace

Result<TrailFit> fitTrail(const Picture& picture,
                          frame::PixelPos start,
                          double searchPixels,
                          std::span<const StarNearby> neighbours) {
    PATHMARK_EXPECTS(picture.image != nullptr && picture.mosaic == nullptr);
    const PointSpread spread(picture.shape);
    const Part part = partAbout(picture, start, spread, neighbours);
    const frame::Image mean = meanOfNine(part.light);
    const Spot middle{part.light.width() / 2, part.light.height() / 2};
    const auto spots = spotsFrom(mean, middle, searchPixels, kBrightSigma * picture.noise / 3.0);
    if (spots.size() < 4) {
        return fail(ErrorId::MeasureNotSeen, "Nothing stands out there that could be a trail.");
    }
    TrailFitter fitter(picture, part, spread);
    Vector p = momentsOf(part, spots, spread.fwhm());
    for (int round = 0; round < 2;
         ++round) { // the second over the pixels about what the first found
        fitter.choose(p);
        const auto settled = fitter.settle(p);
        if (!settled) {
            return fail(ErrorId::MeasureFitFailed, "The light there has not the form of a trail.");
        }
        p = *settled;
    }
    const double seen = 0.5 * part.light.width() - spread.fwhm();
    for (const double end : {-0.5, 0.5}) {
        if (std::abs(p[0] + end * p[2] - start.x) > seen ||
            std::abs(p[1] + end * p[3] - start.y) > seen) {
            return fail(ErrorId::MeasureFitFailed,
                        "The trail goes on beyond what is looked at; point at its middle.");
        }
    }
    if (!(p[4] > 0.0)) {
        return fail(ErrorId::MeasureNotSeen, "Nothing stands out there that could be a trail.");
    }
    return resultOf(fitter, p);
}

} // namespace pathmark::measure

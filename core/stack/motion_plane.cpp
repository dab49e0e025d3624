#include "core/stack/motion_plane.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/stack/convolution.h"
#include "core/stack/resample_kernels.h"
#include "core/stack/star_filter.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::stack {
namespace {

/// Errors of a frame's light from the median, beyond which it is another's.
constexpr double kClip = 4.0;

/// Of the light, by which frames may differ beyond the noise of their sky.
constexpr double kUneven = 0.1;

/// What is filtered of a frame, with a border of the filter's reach.
struct Inputs {
    frame::Image weighted; ///< r / v
    frame::Image inverse;  ///< 1 / v
};

Inputs inputsOf(const MovingFrame& frame, int left, int top, int width, int height) {
    Inputs inputs{frame::Image(width, height, 0.0F), frame::Image(width, height, 0.0F)};
    const auto inverse = static_cast<float>(1.0 / (frame.noise * frame.noise));
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) {
            if (!frame.light.contains(left + x, top + y)) {
                continue;
            }
            if (const float v = frame.light.at(left + x, top + y); std::isfinite(v)) {
                inputs.weighted.at(x, y) = v * inverse;
                inputs.inverse.at(x, y) = inverse;
            }
        }
    }
    return inputs;
}

} // namespace

PointSums::PointSums(const MovingFrames& moving, double reach)
    : frames_(moving.frames().size()), middle_(moving.grid().wcs.referencePixel),
      spanMinutes_(moving.spanMinutes()) {
    const int side = 2 * static_cast<int>(std::ceil(reach)) + 5; // two more each way to interpolate
    left_ = static_cast<int>(std::lround(middle_.x)) - side / 2;
    top_ = static_cast<int>(std::lround(middle_.y)) - side / 2;
    for (const MovingFrame& frame : moving.frames()) {
        fwhm_ += frame.star.fwhm() / static_cast<double>(frames_.size());
    }
    parallelFor(frames_.size(), [&](std::size_t i) {
        const MovingFrame& frame = moving.frames()[i];
        const auto filter = StarFilter::of(frame.star);
        const int whole = side + 2 * filter.half;
        const Inputs inputs =
            inputsOf(frame, left_ - filter.half, top_ - filter.half, whole, whole);
        frames_[i] = {frame.minutes,
                      convolved(inputs.weighted, filter.light, filter.half),
                      convolved(inputs.inverse, filter.square, filter.half)};
    });
}

PointSums::At PointSums::at(const FrameSums& frame, const PointTrack& track) const {
    const frame::PixelPos place{track.place.x + track.faster.x * frame.minutes - left_,
                                track.place.y + track.faster.y * frame.minutes - top_};
    const int x = static_cast<int>(std::floor(place.x));
    const int y = static_cast<int>(std::floor(place.y));
    if (x < 1 || y < 1 || x + 2 > frame.light.width() || y + 2 > frame.light.height()) {
        return {};
    }
    const float light = interpolateAround(Kernel::Cubic, frame.light, place, 1.0);
    if (!std::isfinite(light)) {
        return {};
    }
    const double fx = place.x - x;
    const double fy = place.y - y;
    const auto known = [&](int i, int j) {
        return static_cast<double>(frame.information.at(x + i, y + j));
    };
    return {static_cast<double>(light),
            (1.0 - fy) * ((1.0 - fx) * known(0, 0) + fx * known(1, 0)) +
                fy * ((1.0 - fx) * known(0, 1) + fx * known(1, 1))};
}

std::vector<std::size_t> PointSums::countedOn(const PointTrack& track) const {
    std::vector<At> all;
    std::vector<double> lights;
    for (const FrameSums& frame : frames_) {
        all.push_back(at(frame, track));
        if (all.back().information > 0.0) {
            lights.push_back(all.back().light / all.back().information);
        }
    }
    std::vector<std::size_t> counted;
    if (lights.empty()) {
        return counted;
    }
    const double median = medianInPlace(std::span(lights));
    for (std::size_t i = 0; i < all.size(); ++i) {
        const At& one = all[i];
        const double error = std::hypot(1.0 / std::sqrt(one.information), kUneven * median);
        if (one.information > 0.0 &&
            std::abs(one.light / one.information - median) < kClip * error) {
            counted.push_back(i);
        }
    }
    return counted;
}

double PointSums::snrOf(const PointTrack& track, std::span<const std::size_t> counted) const {
    double light = 0.0;
    double information = 0.0;
    for (const std::size_t i : counted) {
        const At one = at(frames_[i], track);
        light += one.light;
        information += one.information;
    }
    return information > 0.0 ? light / std::sqrt(information) : 0.0;
}

double PointSums::snr(const PointTrack& track) const {
    return snrOf(track, countedOn(track));
}

frame::Image
PointSums::plane(const PointTrack& middle, const GridMotion& halfWidth, int side) const {
    PATHMARK_EXPECTS(side > 1);
    frame::Image result(side, side);
    parallelFor(static_cast<std::size_t>(side), [&](std::size_t row) {
        for (int column = 0; column < side; ++column) {
            PointTrack track = middle;
            track.faster.x += halfWidth.x * (2.0 * column / (side - 1) - 1.0);
            track.faster.y += halfWidth.y * (2.0 * static_cast<double>(row) / (side - 1) - 1.0);
            result.at(column, static_cast<int>(row)) = static_cast<float>(snr(track));
        }
    });
    return result;
}

namespace {

/// Two numbers of place, two of motion times `minutes`: pixels all of them.
using Numbers = Eigen::Vector4d;

/// Half the square of the S/N as a function of four numbers about a track.
class Likelihood {
  public:
    Likelihood(const PointSums& sums, const PointTrack& about)
        : sums_(sums), about_(about), counted_(sums.countedOn(about)),
          minutes_(std::max(1e-6, 0.5 * sums.spanMinutes())) {}

    [[nodiscard]] PointTrack trackAt(const Numbers& n) const {
        return {{about_.place.x + n[0], about_.place.y + n[1]},
                {about_.faster.x + n[2] / minutes_, about_.faster.y + n[3] / minutes_}};
    }

    [[nodiscard]] double at(const Numbers& n) const {
        const double snr = sums_.snrOf(trackAt(n), counted_);
        return 0.5 * snr * snr;
    }

    [[nodiscard]] double minutes() const { return minutes_; }

  private:
    const PointSums& sums_;
    PointTrack about_;
    std::vector<std::size_t> counted_;
    double minutes_;
};

struct Slope {
    Numbers gradient;
    Eigen::Matrix4d curvature;
};

Slope slopeAt(const Likelihood& f, const Numbers& n, double step) {
    Slope slope;
    const double here = f.at(n);
    const auto along = [&](int i, double by) {
        Numbers m = n;
        m[i] += by;
        return m;
    };
    for (int i = 0; i < 4; ++i) {
        const double up = f.at(along(i, step));
        const double down = f.at(along(i, -step));
        slope.gradient[i] = (up - down) / (2.0 * step);
        slope.curvature(i, i) = (up - 2.0 * here + down) / (step * step);
        for (int j = 0; j < i; ++j) {
            const auto corner = [&](double a, double b) {
                Numbers m = n;
                m[i] += a * step;
                m[j] += b * step;
                return f.at(m);
            };
            const double mixed =
                (corner(1, 1) - corner(1, -1) - corner(-1, 1) + corner(-1, -1)) / 4.0;
            slope.curvature(i, j) = slope.curvature(j, i) = mixed / (step * step);
        }
    }
    return slope;
}

/// The second moments of the likelihood about a peak: where it is flat on one side or has a shoulder, as at low S/N, they are wider
/// than its curvature says.
///
/// Returns  Of the four numbers, about the peak.
Eigen::Matrix4d momentsAbout(const Likelihood& f, const Eigen::Matrix4d& covariance) {
    constexpr int kHalf = 4; ///< points each way along each axis of the ellipsoid
    constexpr int kPoints = 2 * kHalf + 1;
    constexpr double kSigmas = 0.85; ///< standard deviations
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> axes(covariance);
    const Numbers lengths = axes.eigenvalues().cwiseMax(0.0).cwiseSqrt();
    const Eigen::Matrix4d toNumbers = axes.eigenvectors() * lengths.asDiagonal();
    const double top = f.at(Numbers::Zero());

    struct Sums {
        double weight = 0.0;
        Eigen::Matrix4d squares = Eigen::Matrix4d::Zero();
    };

    std::vector<Sums> parts(kPoints * kPoints);
    parallelFor(parts.size(), [&](std::size_t part) {
        const auto offset = [](std::size_t k) {
            return kSigmas * (static_cast<double>(k) - kHalf);
        };
        for (std::size_t k = 0; k < kPoints * kPoints; ++k) {
            const Numbers n = toNumbers * Numbers(offset(part / kPoints),
                                                  offset(part % kPoints),
                                                  offset(k / kPoints),
                                                  offset(k % kPoints));
            const double weight = std::exp(std::min(0.0, f.at(n) - top));
            parts[part].weight += weight;
            parts[part].squares += weight * n * n.transpose();
        }
    });
    Sums whole;
    for (const Sums& part : parts) {
        whole.weight += part.weight;
        whole.squares += part.squares;
    }
    return whole.squares / whole.weight;
}

/// The highest of a lattice of places and motions.
PointTrack highestNear(const PointSums& sums,
                       const PointTrack& from,
                       const GridMotion& halfWidth,
                       double placeReach) {
    const double step = sums.fwhm() / 3.0;
    // At the ends of the time a motion has gone half the span.
    const double motionStep = step / std::max(1e-6, 0.5 * sums.spanMinutes());
    const int places = static_cast<int>(std::ceil(placeReach / step));
    const auto count = [&](double half) { return static_cast<int>(std::ceil(half / motionStep)); };
    const int columns = count(halfWidth.x);
    const int rows = count(halfWidth.y);

    struct Best {
        double snr = -1e30;
        PointTrack track;
    };

    std::vector<Best> bests(static_cast<std::size_t>(2 * rows + 1));
    parallelFor(bests.size(), [&](std::size_t row) {
        for (int column = -columns; column <= columns; ++column) {
            for (int y = -places; y <= places; ++y) {
                for (int x = -places; x <= places; ++x) {
                    if (x * x + y * y > places * places) {
                        continue;
                    }
                    PointTrack track = from;
                    track.place.x += x * step;
                    track.place.y += y * step;
                    track.faster.x += column * motionStep;
                    track.faster.y += (static_cast<int>(row) - rows) * motionStep;
                    if (const double snr = sums.snr(track); snr > bests[row].snr) {
                        bests[row] = {snr, track};
                    }
                }
            }
        }
    });
    return std::max_element(bests.begin(),
                            bests.end(),
                            [](const Best& a, const Best& b) { return a.snr < b.snr; })
        ->track;
}

} // namespace

std::optional<FittedMotion> fitMotion(const PointSums& sums,
                                      const PointTrack& from,
                                      const GridMotion& halfWidth,
                                      double placeReach,
                                      double least) {
    PointTrack track = highestNear(sums, from, halfWidth, placeReach);
    if (sums.snr(track) < least) {
        return std::nullopt;
    }
    const double step = 0.15 * sums.fwhm();
    for (int round = 0; round < 12; ++round) {
        const Likelihood f(sums, track);
        const Slope slope = slopeAt(f, Numbers::Zero(), step);
        const Eigen::Matrix4d information = -slope.curvature;
        const Eigen::LLT<Eigen::Matrix4d> solved(information);
        if (solved.info() != Eigen::Success) {
            return std::nullopt; // no peak: the light of something else
        }
        Numbers move = solved.solve(slope.gradient);
        const double largest = move.cwiseAbs().maxCoeff();
        if (largest > 0.5 * sums.fwhm()) {
            move *= 0.5 * sums.fwhm() / largest;
        }
        track = f.trackAt(move);
        if (largest < 1e-3 * sums.fwhm()) {
            const Numbers perPixel(1.0, 1.0, 1.0 / f.minutes(), 1.0 / f.minutes());
            const Eigen::Matrix4d covariance =
                momentsAbout(f, solved.solve(Eigen::Matrix4d::Identity()));
            return FittedMotion{
                track, sums.snr(track), perPixel.asDiagonal() * covariance * perPixel.asDiagonal()};
        }
    }
    return std::nullopt;
}

} // namespace pathmark::stack

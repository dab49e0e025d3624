#pragma once

#include "core/stack/moving_frames.h"

#include <Eigen/Dense>

#include <optional>
#include <vector>

namespace pathmark::stack {

/// A point of light that moves over a grid.
struct PointTrack {
    frame::PixelPos place; ///< in the middle of the frames
    GridMotion faster;     ///< than the grid
};

/// What frames about a body say of a point of light on any track near the middle of their grid.
///
/// Model    N = sum P r / v and D = sum P^2 / v over pixels, P the star's light, r a pixel and v the variance of the sky in it. A track's
///          S/N is sum N / sqrt(sum D) over the frames whose light N / D is within four errors of their median, a tenth of it counted
///          among the errors: a star on the way is not the body.
/// Domain   Bodies that do not outshine the sky: their own photons are not in v.
/// Source   King 1983, PASP 95, 163; Zackay & Ofek 2017, ApJ 836, 187 (weighted sums of matched filters).
class PointSums {
  public:
    /// `reach`: pixels from the grid's middle that tracks may go.
    PointSums(const MovingFrames& frames, double reach);

    /// 0 where no frame sees the track.
    [[nodiscard]] double snr(const PointTrack& track) const;

    /// Rows of `side` by `side` motions about `middle`, that far each way: y upwards, as on the grid.
    [[nodiscard]] frame::Image
    plane(const PointTrack& middle, const GridMotion& halfWidth, int side) const;

    [[nodiscard]] frame::PixelPos middle() const { return middle_; }

    /// Of a star, pixels; the mean of the frames'.
    [[nodiscard]] double fwhm() const { return fwhm_; }

    [[nodiscard]] double spanMinutes() const { return spanMinutes_; }

    /// Which frames count for a track, and their sum; for search and fit.
    [[nodiscard]] std::vector<std::size_t> countedOn(const PointTrack& track) const;
    [[nodiscard]] double snrOf(const PointTrack& track, std::span<const std::size_t> counted) const;

  private:
    struct FrameSums {
        double minutes = 0.0;
        frame::Image light;       ///< N about the middle
        frame::Image information; ///< D
    };

    /// N and D of a frame at a track; D is 0 where it does not see it.
    struct At {
        double light = 0.0;
        double information = 0.0;
    };

    [[nodiscard]] At at(const FrameSums& frame, const PointTrack& track) const;

    std::vector<FrameSums> frames_;
    frame::PixelPos middle_;
    int left_ = 0; ///< of the sums on the grid
    int top_ = 0;
    double fwhm_ = 0.0;
    double spanMinutes_ = 0.0;
};

/// The motion that frames show.
struct FittedMotion {
    PointTrack track;
    double snr = 0.0;
    Eigen::Matrix4d covariance; ///< of place x, y (pixels) and motion x, y (pixels per minute)
};

/// Searches for a body near a track and fits its place and motion.
///
/// Model    The highest S/N over motions `halfWidth` about `from` and places within `placeReach` pixels, on lattices of a third of a
///          star's width; then Newton's method on half the square of the S/N, the logarithm of the likelihood, with the frames that counted
///          at its highest. Covariance: the inverse of its curvature.
/// Returns  Nothing where the highest is below `least`, or does not settle.
std::optional<FittedMotion> fitMotion(const PointSums& sums,
                                      const PointTrack& from,
                                      const GridMotion& halfWidth,
                                      double placeReach,
                                      double least);

} // namespace pathmark::stack

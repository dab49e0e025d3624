#pragma once

#include "core/frame/image.h"

#include <random>

namespace pathmark::bench {

/// The sky and the camera of the campaign.
inline constexpr double kFwhm = 2.6; ///< pixels
inline constexpr double kBeta = 3.0;
inline constexpr double kSky = 400.0;     ///< electrons per pixel
inline constexpr double kReadNoise = 6.0; ///< electrons

/// Sigma of an empty pixel, electrons.
double noiseOfSky();

/// Where a point is, and the trail that it leaves through it; pixels.
struct Form {
    double x = 0.0;
    double y = 0.0;
    double trailX = 0.0;
    double trailY = 0.0;
};

/// The smallest errors of place and light that an unbiased measurement can have.
struct Bound {
    double x = 0.0;
    double y = 0.0;
    double flux = 0.0;
};

/// A point's light in each pixel of a square: a Moffat profile summed in small steps, step by step along a trail.
class SummedPoint {
  public:
    SummedPoint(const Form& form, int side);

    /// Without bound and fluxOf, five times as fast.
    static SummedPoint sharesOnly(const Form& form, int side);

    [[nodiscard]] const Form& form() const { return form_; }

    /// Shares of its light.
    [[nodiscard]] const frame::Image& shares() const { return shares_; }

    /// The bound of Cramer and Rao for place and light together, the sky known: sky and read noise of each pixel, and the light's own photons.
    [[nodiscard]] Bound bound(double flux) const;

    /// The light that has a signal-to-noise at that bound.
    [[nodiscard]] double fluxOf(double snr) const;

  private:
    SummedPoint() = default;

    Form form_;
    frame::Image shares_;
    frame::Image slopeX_; ///< of the shares by the place
    frame::Image slopeY_;
};

/// A picture of so much light from each of some points, photon by photon, its sky taken off.
frame::Image expose(std::initializer_list<std::pair<const SummedPoint*, double>> points,
                    int side,
                    std::mt19937_64& random);

} // namespace pathmark::bench

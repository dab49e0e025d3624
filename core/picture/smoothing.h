#pragma once

#include "core/picture/colour_picture.h"

#include <array>
#include <vector>

namespace pathmark::picture {

/// What is known of the noise of a picture's planes.
struct PlaneNoise {
    std::array<double, 3> noise{};         ///< of a pixel of sky, as if pixels were independent
    std::array<double, 3> lightVariance{}; ///< variance of light over that light
};

/// Takes noise off a picture and leaves what stands out of it, on every scale at which it does.
///
/// Model    Each plane as a sum of differences between pictures that are ever wider smoothed by cubic B-splines (1 to 16 pixels), and the
///          smoothest. Of a difference a pixel keeps z^4 / (z^4 + (3 strength)^4), z^2 being the mean square over three by three pixels in
///          units of its noise there: that of the sky on that scale (its median deviation) with the photons of the light added. An edge or
///          a star stands out on its own scales and stays as it is; a tail stands out on the wide ones and keeps those alone.
/// Source   Starck & Murtagh 1994, A&A 288, 342 (the decomposition); the shrinking is ours.
class Smoothing {
  public:
    Smoothing(const ColourPicture& light, const PlaneNoise& noise);

    /// 0: as it was.
    [[nodiscard]] ColourPicture at(double strength) const;

    static constexpr std::size_t kScales = 5;

  private:
    struct Scale {
        frame::Image detail;
        frame::Image square; ///< z^2
    };

    struct Plane {
        std::vector<Scale> scales;
        frame::Image smoothest;
    };

    bool isGrey_ = false;
    std::vector<Plane> planes_;
};

/// The same without keeping anything: for large pictures.
ColourPicture smoothed(const ColourPicture& light, const PlaneNoise& noise, double strength);

} // namespace pathmark::picture

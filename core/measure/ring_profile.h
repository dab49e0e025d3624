#pragma once

#include "core/measure/picture.h"

#include <utility>
#include <vector>

namespace pathmark::measure {

/// How well a surface holds the sky where it cannot be seen, in units of the sky's sigma.
constexpr double kSkyDoubt = 0.01;

/// Mean light of rings about a place.
class RingProfile {
  public:
    RingProfile(const Picture& picture,
                const frame::Image& light,
                frame::PixelPos centre,
                double reach);

    /// The mean at a distance, linear between the rings.
    [[nodiscard]] double at(double distance) const;

    /// The mean of the rings from a distance on.
    [[nodiscard]] double rimLevel(double from) const;

    /// How far from the centre a part of a ring still stands out of noise of this sigma.
    [[nodiscard]] double extent(double noise) const;

  private:
    struct Ring {
        double mean = 0.0;
        double count = 0.0;                             ///< pixels
        std::vector<std::pair<double, double>> sectors; ///< median, root of the number of pixels
    };

    double reach_;
    std::vector<Ring> rings_;
};

} // namespace pathmark::measure

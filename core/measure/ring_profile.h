#pragma once

#include "core/measure/picture.h"

#include <cstddef>
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

    struct Level {
        double value = 0.0;
        double error = 0.0; ///< one standard deviation
    };

    /// The light of a pixel from a distance on: the median of the sectors, as a tail or a bright star lies in one or two of them; its
    /// error from how they differ.
    [[nodiscard]] Level rimLevel(double from) const;

    /// How far from the centre a part of a ring still stands out of noise of this sigma.
    [[nodiscard]] double extent(double noise) const;

  private:
    struct Sector {
        std::size_t turn = 0; ///< which of all
        double median = 0.0;
        double pixels = 0.0;
    };

    struct Ring {
        double mean = 0.0;
        std::vector<Sector> sectors; ///< those of some pixels
    };

    double reach_;
    std::vector<Ring> rings_;
};

} // namespace pathmark::measure

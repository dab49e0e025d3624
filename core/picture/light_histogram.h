#pragma once

#include "core/picture/stretch.h"

#include <vector>

namespace pathmark::picture {

/// How often each light is in a picture, over light in sigmas of the sky's noise above the sky on an axis that is even near the sky and
/// logarithmic far above it, so that both ends are seen.
struct LightHistogram {
    Ground ground;
    double first = 0.0; ///< on the axis, the left end of the first bin
    double step = 1.0;
    std::vector<double> counts;

    /// From light in the picture's units to the axis, and back.
    [[nodiscard]] double axisOf(double light) const;
    [[nodiscard]] double lightAt(double axis) const;

    [[nodiscard]] double last() const { return first + step * static_cast<double>(counts.size()); }
};

/// Of the intensity of every pixel that some frame shows.
LightHistogram histogramOf(const ColourPicture& picture);

/// Shares of the pixels that a stretch shows as plain black, and as plain white.
struct Clipped {
    double black = 0.0;
    double white = 0.0;
};

Clipped clippedBy(const ColourPicture& picture, const Stretch& stretch);

} // namespace pathmark::picture

#pragma once

#include "core/base/angle.h"

#include <optional>

namespace pathmark::measure {

/// How well a body's place is foretold: one standard deviation along and across the line on which its orbit may be off.
struct PlaceError {
    double majorArcsec = 0.0;
    double minorArcsec = 0.0;
    double positionAngleDegrees = 0.0; ///< of the major axis, east of north
};

/// The part of the sky in which a body is looked for: an ellipse about its predicted place, three of its errors wide, nowhere
/// narrower than `leastArcsec` and nowhere wider than a minute of arc.
class SearchArea {
  public:
    explicit SearchArea(double leastArcsec, const std::optional<PlaceError>& error = {});

    /// The longer half axis, arcsec.
    [[nodiscard]] double reachArcsec() const { return major_; }

    /// How far a place is from the prediction: 0 there, 1 on the edge.
    [[nodiscard]] double distance(PlanePos fromPrediction) const;

    /// The signal-to-noise from which a light in the area counts.
    ///
    /// Model    `atLeast` is what counts within a circle of `leastArcsec`; in a larger area, which holds as many times more
    ///          independent places, noise passes this threshold no more often than that one there.
    [[nodiscard]] double threshold(double atLeast) const;

  private:
    double least_;
    double major_;
    double minor_;
    double sin_ = 0.0;
    double cos_ = 1.0;
};

} // namespace pathmark::measure

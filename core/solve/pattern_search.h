#pragma once

#include "core/base/angle.h"
#include "core/solve/likelihood.h"
#include "core/solve/pattern_index.h"

#include <array>
#include <functional>
#include <optional>
#include <span>
#include <stop_token>
#include <vector>

namespace pathmark::solve {

/// The sources of a frame and what is known of its place.
struct PatternQuestion {
    std::span<const Place> sources; ///< brightest first, pixels from the middle of the frame
    double width = 0.0;             ///< pixels
    double height = 0.0;
    double scaleLow = 0.0; ///< radians per pixel
    double scaleHigh = 0.0;
    std::optional<SkyPos> centre; ///< with `radius`: the middle of the frame is not further away
    Angle radius;
    std::size_t mostSources =
        60; ///< patterns are made of these at most; time grows with their fourth power
    double mostPatterns = 200'000; ///< quads looked up; the brightest come first
    double mostPlaces = 300'000;   ///< places judged
    double tolerance = 0.012;      ///< of the numbers of a code: noise and distortion
};

/// A place that the patterns propose.
struct PatternAnswer {
    SkyPos tangentPoint;
    Similarity
        transform; ///< pixels from the middle of the frame to the plane about the tangent point
    std::array<Place, 4> quadPixels{}; ///< the four pairs that proposed it
    std::array<Place, 4> quadPlane{};
    double ratioLog10 = 0.0;
    int matched = 0;
};

/// What the search did, whether it found something or not.
struct PatternReport {
    double tried = 0.0;                ///< places looked at
    double patterns = 0.0;             ///< quads of the frame looked up
    std::optional<PatternAnswer> best; ///< the likeliest place that was not accepted
};

/// Proposes places until one is accepted.
///
/// Model    Quads of the brightest sources, those with the brightest faintest member first, are looked up by their code;
///          each quad found is a similarity, which is judged by the other sources (PlaceLikelihood) against the stars of
///          the index's own level. `accept` is asked about every place whose ratio exceeds a thousand times the
///          places tried so far, and ends the search by true.
PatternReport searchPatterns(const PatternIndex& index,
                             const PatternQuestion& question,
                             const std::function<bool(const PatternAnswer&, double tried)>& accept,
                             const std::stop_token& stop);

} // namespace pathmark::solve

#pragma once

#include "core/measure/fixed_place.h"
#include "core/measure/picture.h"

#include <optional>
#include <span>
#include <vector>

namespace pathmark::measure {

/// The light within a circle.
struct CircleLight {
    double radius = 0.0; ///< pixels
    double flux = 0.0;   ///< electrons, the sky about it and the light of its neighbours taken off
    double error = 0.0;  ///< one standard deviation, that of the sky's level in it
    double share = 1.0;  ///< that a point has within it, drawn out as the body is
    double expectedSnr = 0.0; ///< of the whole light, measured within this circle
};

/// What the error of a light is made of, electrons.
struct ErrorParts {
    double light = 0.0;         ///< its own photons
    double sky = 0.0;           ///< the sky and whatever else each pixel has, but for what follows
    double reading = 0.0;       ///< the camera's reading of the pixels, where it is known
    double level = 0.0;         ///< the level of the sky, the same for all pixels
    double neighbours = 0.0;    ///< the light of neighbours that was taken off
    double flat = 0.0;          ///< the flat's own noise
    double scintillation = 0.0; ///< the air's

    [[nodiscard]] double all() const;

    /// The same of a light so many times as bright.
    [[nodiscard]] ErrorParts times(double factor) const;
};

/// The light about a place in circle upon circle.
struct GrowthCurve {
    std::vector<CircleLight> circles; ///< the smallest first
    std::size_t best = 0;             ///< the circle with the highest expected S/N
    double flux = 0.0;                ///< of all its light, from the best circle
    ErrorParts error;                 ///< of `flux`
    double skyLevel = 0.0;  ///< of the ring, electrons per pixel above the sky of the picture
    double ringInner = 0.0; ///< pixels
    double ringOuter = 0.0;
    bool isBlended = false; ///< neighbours have more than 1 % of the light of the best circle
    bool isSaturated = false;
    std::optional<double> magnitude; ///< of `flux`, in the picture's band
    double magnitudeError = 0.0;
};

/// Radii that show how the light of a point grows, from a fraction of the profile's width to where nearly all is in; pixels.
std::vector<double> growthRadii(const PointForms& forms);

/// Measures the light about a place within circles.
///
/// Model    Pixels on a rim count by the area inside. The sky is the clipped mean of a ring about the largest circle, what the body itself
///          leaves in it taken off. Neighbours with a known flux are taken off by their profile; in the ring, pixels that
///          they reach are left out. A circle's light over its share is all of a point's. The best circle is that in which the whole light
///          would have the highest S/N, judged by the light itself: a faint one gets a smaller circle.
/// Shapes   `radii`: pixels, rising
/// Errors   measure.outside  the place, or most of the ring, is off the picture
/// Source   Howell 1989, PASP 101, 616 (growth curves and the radius of best S/N); Stetson 1990, PASP 102, 932.
Result<GrowthCurve> growthCurve(const Picture& picture,
                                const PointForms& forms,
                                frame::PixelPos place,
                                std::span<const StarNearby> neighbours,
                                std::span<const double> radii);

} // namespace pathmark::measure

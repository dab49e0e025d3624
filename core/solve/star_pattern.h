#pragma once

#include "core/base/angle.h"
#include "core/frame/image.h"

#include <functional>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::solve {

/// A point of a pattern, in pixels or in a tangent plane.
struct Point {
    double x = 0.0;
    double y = 0.0;
};

/// plane = offset + scale turn(pixel), the pixel's y turned over first where `flipped`.
struct Similarity {
    double cosine = 1.0; ///< scale times cosine
    double sine = 0.0;
    double offsetX = 0.0;
    double offsetY = 0.0;
    bool flipped = false;

    [[nodiscard]] Point apply(Point p) const {
        const double y = flipped ? -p.y : p.y;
        return {offsetX + cosine * p.x - sine * y, offsetY + sine * p.x + cosine * y};
    }
};

struct PatternOptions {
    double scaleLow = 0.0; ///< plane units per pixel
    double scaleHigh = 0.0;
    double sidesAgree = 0.006; ///< relative error of a triangle's side ratios
    double matchRadius = 0.0;  ///< plane units: a star counts as matched within this
    int neighbours = 7;        ///< triangles are made of each star and pairs of its nearest ones
    double falseAlarmLog10 = -9.0; ///< a hypothesis is believed below this
};

/// The best way found to lay the sources over the catalogue.
struct PatternMatch {
    Similarity transform;
    int matched = 0;
    int tested = 0;               ///< sources that fell inside the catalogue's area
    double falseAlarmLog10 = 0.0; ///< log10 of the expected number of equally good chance matches
};

/// Lays a list of sources over a list of catalogue stars by triangles of near neighbours.
///
/// Model    Triangles with the same two side ratios propose a similarity; each is judged by how many of
///          the sources then meet a star. Were the stars placed at random, the number met would be
///          binomial; its tail, times the number of proposals judged, is the false-alarm figure.
/// Shapes   Brightest first in both; `plane` in the tangent plane about the hint, its density uniform.
/// Errors   nullopt where nothing passes the bound
/// Source   Groth 1986, AJ 91, 1244 (triangles); the binomial bound is ours.
std::optional<PatternMatch> matchPattern(std::span<const Point> pixels,
                                         std::span<const Point> plane,
                                         double planeRadius,
                                         const PatternOptions& options);

/// log10 of the chance of at least `hits` of `trials` with probability p each (0 where hits = 0).
double binomialTailLog10(int hits, int trials, double p);

} // namespace pathmark::solve

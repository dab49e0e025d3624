#pragma once

#include "core/base/result.h"
#include "core/catalog/star_store.h"
#include "core/detect/detect.h"
#include "core/frame/wcs.h"
#include "core/solve/wcs_fit.h"

#include <optional>
#include <vector>

namespace pathmark::solve {

/// What is known of a frame's place before it is solved.
struct SolveHint {
    SkyPos centre;
    Angle radius;          ///< how far the true centre may be away
    double scaleLow = 0.1; ///< arcsec per pixel
    double scaleHigh = 20.0;
};

/// A source that lies on a catalogue star.
struct MatchedStar {
    std::size_t source = 0; ///< index into Detection::sources
    catalog::Star star;
    bool usedInFit = false;
};

/// A solved frame.
struct Solution {
    frame::Wcs wcs;
    int order = 1;
    double rmsArcsec = 0.0;
    double chiSquare = 0.0;
    int usedStars = 0;
    double placeErrorPixels = 0.0; ///< of the solution itself, along an axis
    double falseAlarmLog10 = 0.0;
    std::vector<MatchedStar> matched;
};

/// Finds where a frame points, whatever its orientation, mirrored or not.
///
/// Model    Triangles of the brightest sources against the brightest stars around the hint (see
///          matchPattern), then all sources against all stars, in steps of growing degree.
/// Time     Stars are moved to `date`, the middle of the exposure.
/// Errors   solve.too_few_stars, solve.no_match, catalog.no_stars
Result<Solution> solveFrame(const detect::Detection& detection,
                            int width,
                            int height,
                            const Utc& date,
                            const SolveHint& hint,
                            const catalog::StarStore& store);

/// Solves a frame whose solution is nearly known: pairs its sources with the stars around a WCS that is good
/// to `radiusPixels`, and fits. The false-alarm figure is left at 0: nothing was searched.
///
/// Errors   solve.no_match  fewer than four pairs; catalog.no_stars
Result<Solution> refineSolution(const detect::Detection& detection,
                                int width,
                                int height,
                                const Utc& date,
                                const frame::Wcs& nearly,
                                double radiusPixels,
                                const catalog::StarStore& store);

} // namespace pathmark::solve

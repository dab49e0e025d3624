#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/catalog/star_store.h"
#include "core/detect/detect.h"
#include "core/frame/wcs.h"
#include "core/solve/attempt.h"
#include "core/solve/catalogue_patterns.h"
#include "core/solve/pair_up.h"
#include "core/solve/wcs_fit.h"

#include <optional>
#include <vector>

namespace pathmark::solve {

/// A solution is believed below this: log10 of the bound on its being chance.
constexpr double kFalseAlarmBound = -8.0;

/// What is known of a frame's place before it is solved.
struct SolveHint {
    std::optional<SkyPos> centre; ///< absent: anywhere
    Angle radius;                 ///< how far the true centre may be away
    double scaleLow = 0.1;        ///< arcsec per pixel
    double scaleHigh = 20.0;
    std::optional<frame::Wcs>
        neighbour; ///< of another frame of the series: tried first, never trusted
};

/// What led to a solution.
enum class FoundBy {
    Neighbour, ///< a frame of the same series, moved
    Hint,
    WiderHint, ///< the hint was wrong in scale or place
    AllSky,
    Hand, ///< laid over the frame by the observer
};

const char* name(FoundBy how);

/// A solved frame.
struct Solution {
    frame::Wcs wcs;
    int order = 1;
    double rmsArcsec = 0.0;
    double chiSquare = 0.0;
    int usedStars = 0;
    double covered =
        0.0; ///< share of the bright sources that are stars, or of the bright stars that are seen
    double placeErrorPixels = 0.0; ///< of the solution itself, along an axis
    SolutionError error;           ///< the same at every place
    PlanePos colourShift;          ///< see WcsFit
    double falseAlarmLog10 = 0.0;
    FoundBy foundBy = FoundBy::Hint;
    std::vector<MatchedStar> matched;
};

/// What a frame is solved with.
struct SolveMeans {
    const catalog::StarStore* store = nullptr;
    CataloguePatterns* allSky = nullptr; ///< of the same store; absent: only around the hint
    std::stop_token stop;
};

/// Finds where a frame points, whatever its orientation and scale, mirrored or not.
///
/// Model    Patterns of four sources against those of the stars around the hint, then of the hint made wider, then of
///          the whole catalogue; every place proposed is judged by all sources (PlaceLikelihood) and believed only
///          where the bound on false alarms is below kFalseAlarmBound. Then all sources against all stars, in
///          steps of growing degree.
/// Time     Stars are moved to `date`, the middle of the exposure.
/// Returns  `attempt`, where given, is told what was met on the way, also where there is a solution.
/// Errors   solve.too_few_stars, solve.no_match (with what was tried and what to try next), solve.no_hint (no centre
///          and no patterns of the whole sky), catalog.no_stars, base.cancelled
Result<Solution> solveFrame(const detect::Detection& detection,
                            FrameSize size,
                            const Utc& date,
                            const SolveHint& hint,
                            const SolveMeans& means,
                            SolveAttempt* attempt = nullptr);

/// Solves a frame whose solution is nearly known: pairs its sources with the stars around a WCS that is good
/// to `radiusPixels`, and fits. The false-alarm figure is left at 0: nothing was searched.
///
/// Errors   solve.no_match  fewer than four pairs; catalog.no_stars
Result<Solution> refineSolution(const detect::Detection& detection,
                                FrameSize size,
                                const Utc& date,
                                const frame::Wcs& nearly,
                                double radiusPixels,
                                const catalog::StarStore& store);

} // namespace pathmark::solve

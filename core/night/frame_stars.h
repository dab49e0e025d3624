#pragma once

#include "core/catalog/star_store.h"
#include "core/night/decisions.h"
#include "core/night/records.h"
#include "core/solve/star_residuals.h"

#include <optional>
#include <span>
#include <vector>

namespace pathmark::night {

/// The sources of one light, and its solution with what became of every star.
struct FrameStars {
    detect::Detection detection;
    solve::FrameSize size;
    std::optional<solve::Solution> solution; ///< absent: the frame is not solved
    std::vector<solve::StarResidual> stars;  ///< empty without a solution
};

/// Searches the calibrated light again and fits its solution again: the night file keeps neither sources nor pairs.
///
/// Errors   frame.* of the calibrated file; detect.no_sources; solve.no_match; catalog.no_stars
Result<FrameStars> starsOf(const LightRecord& light, const catalog::StarStore& store);

/// The account of a solution of sources that are there already.
///
/// Errors   catalog.no_stars
Result<std::vector<solve::StarResidual>> residualsOf(const detect::Detection& detection,
                                                     solve::FrameSize size,
                                                     const Utc& date,
                                                     const solve::Solution& solution,
                                                     const catalog::StarStore& store);

/// Where the fit by hand of a frame begins: its own solution, that of the frame of its series next in time, what the header
/// says of pointing and scale, or else the brightest star of the catalogue at a common scale. North is up where nothing
/// says otherwise.
frame::Wcs handFitStart(const LightRecord& light,
                        const frame::FrameInfo& info,
                        std::span<const LightRecord> lights,
                        const catalog::StarStore& store);

} // namespace pathmark::night

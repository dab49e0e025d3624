#pragma once

#include "core/catalog/star_store.h"
#include "core/solve/photometric_match.h"
#include "core/solve/solve_frame.h"

#include <optional>
#include <vector>

namespace pathmark::night {

/// The light that a star of the catalogue has on a picture; the colour of an average star where its own is not known.
double electronsOf(const catalog::Star& star,
                   const solve::PhotometricMatch& photometry,
                   double exposureSeconds);

/// Indices of the sources of a solved frame whose light stars of the catalogue explain: those that the solution is
/// matched with, and those beside which stars lie that together are as bright. Two stars that run together have a centroid
/// that jumps from frame to frame; it is no body for that.
std::vector<std::size_t> sourcesOnStars(const detect::Detection& detection,
                                        const solve::Solution& solution,
                                        const std::optional<solve::PhotometricMatch>& photometry,
                                        double exposureSeconds,
                                        const Utc& date,
                                        solve::FrameSize size,
                                        const catalog::StarStore& store);

} // namespace pathmark::night

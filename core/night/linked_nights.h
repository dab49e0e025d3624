#pragma once

#include "core/night/records.h"
#include "core/orbit/determine/judge.h"

#include <span>
#include <stop_token>
#include <vector>

namespace pathmark::night {

/// A candidate of one night: how it moves, and where it was measured.
struct NightCandidate {
    SweptBody body;
    double halfSeconds = 0.0; ///< from the middle of its frames to the first and the last
    std::vector<orbit::Observation> observations;
};

/// What places follow from.
struct OrbitGround {
    const orbit::Planets& planets;
    const orbit::SiteCodes& sites;
    const orbit::EarthTurn& turn;
};

/// Which candidates of several nights are one body.
///
/// Model    Two of different nights are held against each other where the motion of either leads to the other as nearly as an orbit's
///          bending allows, at a like pace and brightness; they are one where one orbit fits the places of both within their errors.
/// Returns  For each candidate the place of the earliest that it is one with; its own where it is with none.
/// Threads  Pure.
std::vector<std::size_t> linkNights(std::span<const NightCandidate> candidates,
                                    const OrbitGround& ground,
                                    const std::stop_token& stop = {});

} // namespace pathmark::night

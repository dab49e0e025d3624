#pragma once

#include "core/base/angle.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::solve {

/// What an attempt at a frame met on its way: tells why there is no solution.
struct SolveAttempt {
    int sources = 0;  ///< found in the frame
    int starlike = 0; ///< of them, neither particle hits nor nebulae
    double fwhmPixels = 0.0;
    double trailPixels = 0.0;     ///< length of the trails that all stars draw; 0: points
    std::optional<SkyPos> centre; ///< of the hint
    Angle radius;
    double scaleLow = 0.0; ///< arcsec per pixel
    double scaleHigh = 0.0;
    int starsAround = 0;      ///< bright catalogue stars around the hint
    bool wholeSky = false;    ///< the whole catalogue was searched as well
    double placesTried = 0.0; ///< 0: the search did not begin
    int bestMatched = 0;      ///< sources on stars at the best place
    int bestOf = 0;
    double bestChanceLog10 = 0.0; ///< log10 of the bound on that being chance
};

/// One question that a failed attempt is asked, with its number.
struct SolveCheck {
    std::string question;
    bool passed = false;
    std::string finding;
    std::string advice; ///< what to try; empty where it passed
};

/// The questions in the order in which they are asked; the first that did not pass is the likeliest reason.
std::vector<SolveCheck> checksOf(const SolveAttempt& attempt);

/// The same in one or two sentences.
std::string explain(const SolveAttempt& attempt);

/// Fewest star-like sources that a search begins with.
constexpr int kFewestSources = 5;

} // namespace pathmark::solve

#pragma once

#include "core/stack/stack.h"

#include <optional>
#include <span>
#include <string>

namespace pathmark::stack {

/// What a stack's header says beyond what its frames and pixels do.
struct StackTitle {
    std::string object;           ///< what stands still in it: "stars", or a body
    double exposureSeconds = 0.0; ///< of the frame whose electrons these are
    std::string filter;
    std::optional<double> zeroPoint; ///< magnitude of one electron per second
    std::string band;                ///< of the zero point
    std::vector<std::string> added;  ///< names of the frames; none: of their files
    double fwhmPixels = 0.0;         ///< of a star on it; 0: not known
    double beta = 0.0;               ///< of its Moffat profile
    double rateArcsecPerMin = 0.0;   ///< of what stands still in it, over the sky
    double angleDegrees = 0.0;       ///< east of north
    double placeErrorPixels =
        0.0; ///< of a place on it along an axis, by the solutions of its frames; 0: not known
    std::optional<Utc>
        middle;      ///< when what stands still in it was exposed; none: the frames' middle
    std::string key; ///< of the product; empty: made up of what the stack was made from
};

/// What a stack's header tells whoever measures on it.
constexpr const char* kNoiseKeyword = "PMNOISE";          ///< of a pixel of sky with full coverage
constexpr const char* kLightVarianceKeyword = "PMLIGHTV"; ///< Stack::lightVariance
constexpr const char* kFwhmKeyword = "PMFWHM";            ///< of a star, pixels of the stack
constexpr const char* kBetaKeyword = "PMBETA";            ///< of its Moffat profile
constexpr const char* kRateKeyword = "PMRATE";   ///< of what stands still in it, arcsec per minute
constexpr const char* kAngleKeyword = "PMANGLE"; ///< its position angle, degrees

/// Whether a header is that of a stack: its sky is taken off, and it has maps of its own.
bool isStack(const frame::Header& header);

/// The header of a stack, its solution and its weighted middle in it.
frame::Header headerOf(std::span<const StackFrame> frames,
                       const Stack& stack,
                       const StackOptions& options,
                       const frame::Wcs& wcs,
                       const StackTitle& title);

} // namespace pathmark::stack

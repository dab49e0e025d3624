#pragma once

#include "core/sweep/tracks.h"

#include <span>
#include <string>

namespace pathmark::sweep {

/// A sum that was followed to its peak.
struct Peak {
    Track track;
    double snr = 0.0;
    double information = 0.0;
    double wholeSnr = 0.0; ///< however much a single frame makes of it
    std::size_t zone = 0;  ///< where its hit came from
};

/// Why a peak is no body: its light is not there frame by frame, not in both halves of the time, or no point's. Empty where it may be one.
///
/// Shapes   `without`: brighter bodies, whose light counts for nothing where the peak's track passes them
std::string doubtOf(const LightMaps& maps,
                    const Tracks& tracks,
                    const Peak& peak,
                    std::span<const FoundBody> without);

} // namespace pathmark::sweep

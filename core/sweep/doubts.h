#pragma once

#include "core/sweep/tracks.h"

#include <algorithm>
#include <span>
#include <string>
#include <vector>

namespace pathmark::sweep {

/// A sum that was followed to its peak.
struct Peak {
    Track track;
    double snr = 0.0;
    double information = 0.0;
    double wholeSnr = 0.0; ///< however much a single frame makes of it
    std::size_t zone = 0;  ///< where its hit came from
    std::vector<std::size_t>
        struck; ///< frames in which something else shines there; they do not count

    [[nodiscard]] bool isStruck(std::size_t frame) const {
        return std::find(struck.begin(), struck.end(), frame) != struck.end();
    }
};

/// Sigma by which a frame may differ from the mean that has such an S/N in it: a body's own light may vary, and what a frame lacks of
/// it is no surprise where it is bright.
inline double bearable(double meanSnr) {
    return 1.0 + 0.3 * meanSnr;
}

/// Which frames have far more light than all others together: a particle's hit, a satellite; a fifth of them at most.
std::vector<bool> struckFrames(std::span<const FrameLight> lights);

/// Takes the frames out of a peak in which far more shines than in all others together: a particle's hit, a satellite; of a fifth of the
/// frames at most. Its S/N is that of the others then.
void leaveOutStruck(const LightMaps& maps,
                    const Tracks& tracks,
                    std::span<const FoundBody> without,
                    Peak& peak);

/// Why a peak is no body: its light is not there frame by frame, not in both halves of the time, or no point's. Empty where it may be one.
///
/// Shapes   `without`: brighter bodies, whose light counts for nothing where the peak's track passes them
std::string doubtOf(const LightMaps& maps,
                    const Tracks& tracks,
                    const Peak& peak,
                    std::span<const FoundBody> without);

} // namespace pathmark::sweep

#pragma once

#include "core/solve/solve_frame.h"

#include <cmath>
#include <span>
#include <vector>

namespace pathmark::solve {

/// What became of a star of the catalogue or a source of the frame.
enum class MatchStatus {
    Used,     ///< matched, and the solution rests on it
    Rejected, ///< matched, but too far off for the solution
    Unclear, ///< a source and a star lie together, but another star is as near, or the source is no clear point
    SourceOnly, ///< no star of the catalogue lies there
    StarOnly,   ///< no source lies there
};

const char* name(MatchStatus status);

/// One star or source of a solved frame.
struct StarResidual {
    MatchStatus status = MatchStatus::Used;
    frame::PixelPos pixel; ///< of the source; where the star should be if it has none
    SkyPos sky;            ///< of the star; of the source where it has none
    double dxPixels = 0.0; ///< source minus star, along the frame's axes
    double dyPixels = 0.0;
    double raArcsec = 0.0; ///< the same on the sky, times cos(dec)
    double decArcsec = 0.0;
    double sigmaArcsec = 0.0;     ///< expected along an axis, see pairError
    double magG = std::nan("");   ///< NaN: not in the catalogue
    double colour = std::nan(""); ///< BP - RP
    double snr = 0.0;             ///< 0: no source
    std::int64_t sourceId = 0;    ///< of the catalogue
    std::uint32_t flags = 0;      ///< detect::SourceFlag
};

/// Every source of a frame and every star of `field` that falls on it.
///
/// Shapes   The brightest stars first, then the sources without a star.
std::vector<StarResidual> starResiduals(const detect::Detection& detection,
                                        const Solution& solution,
                                        std::span<const catalog::Star> field,
                                        FrameSize size);

/// The magnitude G that nine in ten matched stars are brighter than: how deep stars of the catalogue should be seen.
double matchedDepth(const Solution& solution);

} // namespace pathmark::solve

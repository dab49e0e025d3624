#pragma once

#include "core/catalog/star.h"
#include "core/detect/detect.h"
#include "core/frame/wcs.h"
#include "simulate/optics.h"

#include <random>
#include <vector>

namespace pathmark::bench {

/// A made-up frame, by numbers.
struct Kind {
    int width = 1000;
    int height = 1000;
    double scale = 1.0; ///< arcsec per pixel
    int stars = 100;    ///< of the catalogue on the frame
    bool mirrored = false;
    double rotation = 0.0;   ///< degrees
    double distortion = 0.0; ///< pixels at the corner
    double missing = 0.0;    ///< share of the stars that is not detected
    double spurious = 0.0;   ///< spurious sources, share of all
    int hint = 0;            ///< 0 good, 1 off by up to two degrees, 2 none
};

/// Its stars, its sources, and where everything truly is.
struct Made {
    std::vector<catalog::StarRow> rows;
    std::vector<detect::Source> sources; ///< brightest first
    simulate::Optics optics;
    double catalogRadius = 0.0; ///< degrees
    int usable = 0;             ///< stars of the catalogue among the sources
};

/// Stars around a random place and a frame of them. Where they fall is said by the simulator's vector optics, which
/// shares no code with the program's projection.
Made makeFrame(const Kind& kind, std::mt19937& random);

/// A frame of stars that exist already.
Made makeFrameOf(const Kind& kind,
                 const std::vector<catalog::StarRow>& rows,
                 double raDegrees,
                 double decDegrees,
                 std::mt19937& random);

/// Sources that are no sky: anywhere, in clumps, on a lattice or along columns.
std::vector<detect::Source> makeJunk(int width, int height, int count, std::mt19937& random);

detect::Detection detectionOf(std::vector<detect::Source> sources);

Kind randomKind(std::mt19937& random);

/// Largest departure of a solution from the optics over the frame, in pixels.
double worstPixel(const Made& made, const Kind& kind, const frame::Wcs& wcs);

} // namespace pathmark::bench

#pragma once

#include "core/base/result.h"
#include "core/detect/background.h"
#include "core/detect/point_spread_field.h"
#include "core/frame/image.h"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::detect {

/// What may be wrong with a source, as bits.
enum SourceFlag : std::uint32_t {
    kSaturated = 1, ///< a pixel at or above the saturation level
    kBlended = 2,   ///< another source within 2 FWHM was fitted with it
    kSharp = 4,     ///< narrower than any star of the frame: a particle hit or a hot pixel
    kExtended = 8,  ///< wider than the stars of the frame
    kPoorFit = 16,  ///< reduced chi-square above 3
    kEdge = 32,     ///< part of its light falls off the frame
    kDefect = 64,   ///< a pixel of its core has no value
};

std::string flagText(std::uint32_t flags);

/// One source of light, fitted with the frame's point-spread function.
struct Source {
    double x = 0.0; ///< pixels from 0
    double y = 0.0;
    double xError = 0.0; ///< one standard deviation
    double yError = 0.0;
    double flux = 0.0; ///< electrons
    double fluxError = 0.0;
    double snr = 0.0;
    double fwhm = 0.0;       ///< of this source, pixels
    double elongation = 1.0; ///< of this source, longer over shorter axis
    double chiSquare = 0.0;
    std::uint32_t flags = 0;
};

struct DetectOptions {
    double threshold = 5.0;           ///< signal-to-noise of a source worth keeping
    std::optional<double> saturation; ///< electrons; absent: nothing is called saturated
    int maxSources = 20000;           ///< the brightest are kept
    bool looksAgain =
        true; ///< for faint ones, once the light of the first is taken off; a solution needs none of them
    std::optional<double>
        likelyFwhm; ///< pixels, of a frame of the same series: saves a search of the wrong width
};

/// A frame's sky, its point-spread function and its sources, brightest first.
struct Detection {
    Background sky;
    PointSpreadField spread;
    std::vector<Source> sources;
    double fwhm = 0.0; ///< pixels, across any trail
    double elongation = 1.0;

    /// Pixels from end to end of the trails that all stars draw; 0 where they are points.
    [[nodiscard]] double trailLength() const { return 2.0 * spread.middle().trailHalf(); }
};

/// Finds and fits the sources of a frame.
///
/// Errors   detect.no_sources  fewer than three sources from which to learn the star's shape
/// Threads  Uses the shared workers; the answer does not depend on their number.
Result<Detection> detectSources(const frame::Image& image, const DetectOptions& options);

} // namespace pathmark::detect

#pragma once

#include "core/night/solved_light.h"
#include "core/stack/canvas.h"
#include "core/stack/stack.h"

#include <algorithm>
#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// A star of a light, as far as lights are brought to one brightness by it.
struct LightStar {
    SkyPos sky;
    double flux = 0.0;
    double error = 0.0;
};

/// A solved light that is to be stacked, and what is known of it without a night's records.
struct StackLight {
    frame::FrameInfo info;
    stack::FramePlace
        place; ///< where its pixels lie; of a colour camera's sums with the lean of an average star in it
    Utc middle;
    double noise = 0.0;               ///< sigma of a pixel of sky, in the file's own units
    double beta = 3.0;                ///< of the Moffat profile of its stars
    double fwhmPixels = 0.0;          ///< of its stars; 0 where none were found
    double saturation = 1e30;         ///< likewise
    double solutionErrorPixels = 0.0; ///< of a place along an axis, by its solution
    double leanErrorPixels = 0.0;     ///< see frame::leanError
    double electronsPerUnit = 1.0;
    std::optional<double> zeroPoint; ///< magnitude of one unit per second
    std::string band;
    std::vector<LightStar> stars; ///< bright ones

    [[nodiscard]] double scaleArcsec() const { return place.wcs.scaleArcsec(); }

    /// The width of its stars; a pixel's where none were found.
    [[nodiscard]] double starArcsec() const { return std::max(1.0, fwhmPixels) * scaleArcsec(); }
};

/// Reads a light, its solution (its own, of a .wcs file beside it or in `wcsFolder`), and measures its sky and its stars.
///
/// Errors   frame.*; frame.bad_wcs where it is not solved or is the raw mosaic of a colour camera
Result<StackLight> readStackLight(const std::filesystem::path& file,
                                  const std::filesystem::path& wcsFolder,
                                  const frame::ReadingRules& rules);

/// The lights as frames of a stack in the electrons of `reference`, standing on the stars.
///
/// Model    Scaled by their zero points where both have one of the same band, else by the stars that they have in common, else by
///          their exposures.
std::vector<stack::StackFrame> stackFramesOf(std::span<const StackLight> lights,
                                             std::size_t reference);

} // namespace pathmark::night

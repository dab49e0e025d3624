#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/base/time.h"
#include "core/frame/wcs.h"

#include <array>
#include <filesystem>
#include <span>
#include <vector>

namespace pathmark::stack {

/// A frame in which a target is followed.
struct PathFrame {
    std::filesystem::path path;
    frame::Wcs wcs;
    Utc middle;
    double fwhmPixels = 3.0; ///< of its stars
};

/// A place where the observer saw the target.
struct Mark {
    std::size_t frame = 0; ///< index
    SkyPos sky;
};

/// Whether the target's light was found in a frame.
struct PathPoint {
    bool found = false;
    double offsetArcsec = 0.0; ///< of that light from the path
};

/// A smooth path over the sky.
struct MarkedPath {
    std::vector<PathPoint> points; ///< one for each frame
    SkyPos centre;                 ///< of the tangent plane
    Utc start;
    double halfSeconds = 1.0; ///< time counts from -1 at the start in units of this
    std::vector<std::array<double, 2>>
        coefficients; ///< arcsec to the east and north for each power of time

    [[nodiscard]] SkyPos at(const Utc& time) const;
};

/// The path of a target that was marked in some frames.
///
/// Model    A polynomial of time through the marks (a line through two) says where to look. In each frame the brightest lights
///          near there are centred with a Gaussian weight of the stars' width; the line on which most frames have one is the
///          target's, however bright the stars are that it passes. A polynomial of degree 1 to 3, as high as the
///          scatter bears, through what is found is the path; light off it by more than three times the scatter is
///          something else's. Where fewer than four frames, or a third of them, agree, the marks alone count.
/// Errors   stack.bad_marks  fewer than two, or all at one time; base.cancelled, and those of the readers
/// Source   Fischler & Bolles 1981, CACM 24, 381 (a line that most agree on).
Result<MarkedPath>
followMarks(std::span<const PathFrame> frames, std::span<const Mark> marks, const Job& job);

} // namespace pathmark::stack

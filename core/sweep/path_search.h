#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/sweep/frame_filter.h"
#include "core/sweep/motion_zones.h"

#include <array>
#include <vector>

namespace pathmark::sweep {

/// A part of a filtered frame, of any field and night.
struct PathFrame {
    FilteredFrame filtered;
    frame::PixelPos corner;  ///< of the frame that its first pixel is
    double fluxScale = 1.0;  ///< brings its values to the electrons of the reference frame
    double fwhmPixels = 0.0; ///< of its stars
    std::size_t block = 0;   ///< frames of one block follow each other closely
};

/// Where a body is on one frame, by how far it is along the line of its orbit's error.
struct FramePath {
    static constexpr double kNowhere = -1e6; ///< x of a place where the body is in no frame

    std::vector<frame::PixelPos> line; ///< at even steps from -1 to 1 of the first coordinate
    std::array<Velocity, 2> aside{};   ///< pixels for one unit of the second and the third
    Velocity trail;                    ///< pixels while the shutter is open

    /// Cubic between the places of the line; nowhere beside one that is so.
    [[nodiscard]] frame::PixelPos at(const std::array<double, 3>& q) const;
};

/// A body that may be anywhere along a line, and a little aside of it: coordinates from -1 to 1 each.
struct PathFamily {
    std::vector<FramePath> frames;
    std::size_t coordinates = 1; ///< that matter: 1 to 3
    /// How likely the body is along the line, at even steps of the first coordinate: logarithms, 0 where it is likeliest; empty: alike.
    std::vector<double> logLikely;
    std::array<double, 2>
        asideSigmas{}; ///< standard deviations in one unit of the second and the third; 0: alike everywhere

    /// At any place; 0 at the likeliest.
    [[nodiscard]] double logLikelyAt(const std::array<double, 3>& q) const;
};

/// A place on the line where all frames together show light.
struct FoundPath {
    std::array<double, 3> q{};
    double snr = 0.0;       ///< a frame counts with a few sigma at most
    double wholeSnr = 0.0;  ///< however much a frame makes of it
    double height = 0.0;    ///< S/N that says as much where the body is likeliest
    double electrons = 0.0; ///< of the reference frame
    double log10FalseAlarms = 0.0;
    int frames = 0; ///< that see it
};

struct PathSearchResult {
    double tried = 0.0;           ///< members of the family
    double thresholdSnr = 0.0;    ///< where the body is likeliest
    std::vector<FoundPath> found; ///< the surest first
};

/// Light along the members of a family, over frames of any fields and nights together.
///
/// Model    The best sum of matched filters for each member, on a lattice that loses 5 % of S/N at most, followed to its peak by
///          steps that are halved. Where the body is less likely it must be the brighter: what counts is S/N^2 / 2 and the logarithm of how
///          likely the place is together. How high chance reaches is measured by the same frames in blocks that are moved against each other. Light
///          must be there frame by frame, and in both halves of what the frames know.
/// Shapes   `frames` and those of the family alike
/// Errors   base.cancelled
Result<PathSearchResult> searchPaths(const std::vector<PathFrame>& frames,
                                     const PathFamily& family,
                                     double falseAlarms,
                                     const Job& job);

} // namespace pathmark::sweep

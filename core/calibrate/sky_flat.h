#pragma once

#include "core/calibrate/master.h"
#include "core/calibrate/surface.h"

#include <span>
#include <vector>

namespace pathmark::calibrate {

struct SkyFlatOptions {
    MasterOptions master;
    /// For each frame of the group what is to be left out of it (a comet with its coma); may be empty.
    std::vector<std::vector<ProtectedDisc>> protect;
    double wantedNoise =
        0.002; ///< relative, of a pixel of the flat: it is smoothed until it has no more
};

/// A flat from the night's own dithered lights: the sky itself is the lamp.
///
/// Model    Each light less its pedestal is divided by its sky; sources (3 sigma above the local sky, and around them)
///          and protected discs are masked; what is left is combined by sigma clip and smoothed by a square mean
///          just wide enough for the noise wanted. A gradient of the sky itself stays in it.
/// Shapes   `pedestal` (a dark or bias, may be null) has the lights' size.
/// Errors   calibrate.no_frames  fewer than five lights, or a sky of less than 20 ADU
///          and those of combine::combineFiles
/// Cost     Reads every light twice.
Result<Master> buildSkyFlat(const FrameGroup& lights,
                            const Master* pedestal,
                            const SkyFlatOptions& options,
                            const Job& job);

} // namespace pathmark::calibrate

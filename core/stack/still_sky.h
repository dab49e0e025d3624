#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/stack/layers.h"
#include "core/stack/smooth_skies.h"

#include <filesystem>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::stack {

/// A series of which the sky that does not move is to be taken out.
struct MovingSeries {
    std::span<const StackFrame> frames; ///< as they stand on the sky; a coma is protected in them
    std::span<const FramePixels> sizes;
    std::span<const SkyPos> targets; ///< what moves, frame by frame; empty: not known
    std::optional<PixelGrid> grid =
        {}; ///< that what stands still is added on; else one about the middle of the first frame
    std::optional<SmoothSkyWishes> smooth =
        {}; ///< the sky of each frame is a polynomial, see smoothSkies; else a mesh
};

/// How far the light of something that moves so many pixels over a series reaches, as far as it is kept from becoming sky: of a slow
/// one less of its wings, so that other frames show the sky behind it.
double ownLightRadius(double way, double fwhm);

/// A series without its unmoving sky.
struct WithoutStillSky {
    std::vector<StackFrame> frames; ///< files of their own, noise measured anew
    Stack stars;                    ///< what stands still, and its noise
    frame::Image model;             ///< what of it was taken out: little of its noise
    PixelGrid grid;                 ///< of it
    std::vector<double>
        mismatch; ///< by frame, share of a star's light; negative: nothing could be taken out
    std::optional<SmoothSkies> skies; ///< where they were wished
};

/// Takes everything out of frames that stands still from frame to frame: stars, galaxies, ghosts of the field.
///
/// Model    The frames are added on the stars without the target: it is left out along its path; where that is not known, only what is
///          clipped there is; a coma and its tail are first taken off as a stack
///          on its motion shows them, and once more as it shows them where those stars are not, so that its light never becomes sky
///          and the stars on its way do not become coma. The stack
///          is laid on each frame and brought to its seeing and transparency by a MatchingKernel. Pixels have no value
///          where stars are saturated, or so bright that what the kernel misses is more than the noise.
///          With smooth skies those are fitted to the frames where no star and nothing of what moves is, and taken off
///          instead of meshes, so that wide faint light stays: the frames' own skies are then nought.
/// Files    One for each frame in `folder`, which the caller takes away; with a coma two on the way.
/// Errors   stack.no_frames  fewer than four, or a target that moves by less than its own width; stack.no_canvas, base.cancelled,
///          base.disk_full, and those of the readers
/// Cost     Reads each frame twice and writes it once; with a coma five times and four times.
Result<WithoutStillSky>
takeOutStillSky(const MovingSeries& series, const std::filesystem::path& folder, const Job& job);

} // namespace pathmark::stack

#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/base/time.h"
#include "core/calibrate/surface.h"
#include "core/combine/combine.h"
#include "core/frame/fits_header.h"
#include "core/stack/resample.h"

#include <filesystem>
#include <memory>
#include <span>
#include <vector>

namespace pathmark::stack {

/// One frame of a stack.
struct StackFrame {
    std::filesystem::path path; ///< calibrated
    FramePlace place;
    Utc middle;
    double noise = 1.0;     ///< sigma of a pixel of sky, in the frame's own units
    double fluxScale = 1.0; ///< brings its values to the electrons of the reference frame
    double fwhm = 0.0;      ///< of its stars, arcsec; where all have one, sharper frames weigh more
    double saturation = 1e30;                      ///< in the frame's own units
    std::vector<calibrate::ProtectedDisc> protect; ///< what is no sky: a coma
    std::vector<LeftOutDisc> leftOut;              ///< what is not added
    std::shared_ptr<const calibrate::Surface> sky =
        nullptr;            ///< its sky, where it is known; else it is measured
    bool isDiffuse = false; ///< added for a coma's light, as all others of the stack then are
};

struct StackOptions {
    combine::CombineRule rule; ///< floorSigma is taken from the frames
    Resampling resampling;
    bool maps = false; ///< count what is clipped, pixel by pixel

    StackOptions();
};

/// Frames added on the stars or on a body.
struct Stack {
    frame::Image image;    ///< electrons of the reference frame, sky taken off; NaN: no frame there
    frame::Image variance; ///< of `image`, as if its pixels were independent
    frame::Image coverage; ///< share of the weight of all frames that a pixel has, 0 to 1
    frame::Image
        clippedLow; ///< values left out below what was kept; empty where no maps were wanted
    frame::Image clippedHigh;
    double noise =
        0.0; ///< sigma of a pixel of sky with full coverage, as if pixels were independent
    double lightVariance = 1.0;    ///< variance of the light in a pixel over that light
    double pixelNoiseFactor = 1.0; ///< the scatter from pixel to pixel is this times `noise`
    int frames = 0;
    double clippedShare = 0.0; ///< of all values
};

/// The weight of a frame: one over the variance of its scaled sky, and over the area of its stars, so that places of points are known
/// best; for a coma's light over their width alone, as the cusp about its nucleus is blunted in proportion to that.
double weightOf(const StackFrame& frame);

/// Sigma of a frame's sky in a pixel of a grid that covers `area` of its own, as if pixels were independent, in the reference's
/// electrons.
double noiseOnGrid(const StackFrame& frame, double area);

/// The weighted middle of the exposures: the stack's time.
Utc middleOf(std::span<const StackFrame> frames);

/// Adds frames on a grid.
///
/// Model    Each frame's own sky (SkyLevels, unless it is given) is taken off, its values are brought to the reference's electrons, and combined by the
///          rule with weightOf as weights; sigma of the clipping is the larger of the frames' own and that of the values. The
///          variance is that of the sky and of the light in the stack itself. Interpolation makes neighbours share
///          noise: single pixels scatter by pixelNoiseFactor less than the variance says, sums over a
///          star as it says. Of two frames, what stands in one alone is left out.
/// Errors   stack.no_frames, base.cancelled, and those of the readers
/// Cost     Reads each frame once and a quarter of it for its sky; of one that is turned by many degrees more. Bands hold 256 MB in all; files
///          are open only while they are read.
Result<Stack> stackFrames(std::span<const StackFrame> frames,
                          const PixelGrid& grid,
                          const StackOptions& options,
                          const Job& job);

/// Writes a stack: the image, then VARIANCE and COVERAGE, and CLIPPED_LOW and CLIPPED_HIGH where they were counted.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool>
writeStack(const std::filesystem::path& path, const Stack& stack, const frame::Header& header);

} // namespace pathmark::stack

#pragma once

#include "core/night/steps/calibrate_step.h"
#include "core/night/steps/frame_pass.h"

#include <array>
#include <span>

namespace pathmark::night {

/// Finds the sources of a light.
FrameStep detectStep();

/// Finds where a light looks: by the observer's own fit, by the one offered to it, or from the catalogue.
FrameStep solveStep();

/// What the header of a light says of its place and scale; no place: anywhere the catalogue covers.
solve::SolveHint solveHintOf(const FrameWork& work);

/// Finds how bright the stars of a solved light are, and which of its sources stars of the catalogue explain.
FrameStep zeroPointStep();

/// Finds how bright the sky of a light is, in magnitudes per square arcsecond.
FrameStep skyBrightnessStep();

/// The steps on single frames, in order.
inline std::span<const FrameStep> frameSteps() {
    static const std::array steps{
        calibrateStep(), detectStep(), solveStep(), zeroPointStep(), skyBrightnessStep()};
    return steps;
}

/// Takes every light through all steps on single frames, lays the exclusion rules over them, and stores them in order of time.
///
/// Errors   those of passFrames
Result<bool> lightsStep(NightRun& run);

} // namespace pathmark::night

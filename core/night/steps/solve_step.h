#pragma once

#include "core/night/steps/frame_pass.h"

namespace pathmark::night {

/// Finds the sources of a light.
FrameStep detectStep();

/// Finds where a light looks: by the observer's own fit, by the one offered to it, or from the catalogue.
FrameStep solveStep();

/// Finds how bright the stars of a solved light are, and which of its sources stars of the catalogue explain.
FrameStep zeroPointStep();

/// Takes every light through all steps on single frames, lays the exclusion rules over them, and stores them in order of time.
///
/// Errors   those of passFrames
Result<bool> lightsStep(NightRun& run);

} // namespace pathmark::night

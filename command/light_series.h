#pragma once

#include "command/frame_input.h"
#include "core/night/stack_lights.h"

namespace pathmark::command {

/// The lights of a series, in the order of time.
struct LightSeries {
    std::vector<night::StackLight> lights;
    std::vector<Error> failures; ///< of frames, those of the input among them
};

/// Reads frames for stacks; `wcsFolder`: see identify::solutionOf.
LightSeries
readLights(const Console& console, const FrameInput& input, const std::string& wcsFolder);

} // namespace pathmark::command

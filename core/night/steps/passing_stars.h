#pragma once

#include "core/stack/stack.h"

#include <cstdint>
#include <set>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

struct BodyStack;
struct NightRun;

/// What was done about the stars of the catalogue that a body passes in the frames of a stack on its motion.
struct PassingStars {
    std::set<std::int64_t> leftOut; ///< in none of the frames is their light in a fit of the body
    std::vector<std::size_t> framesLeft; ///< those that still have the body
    std::string problem; ///< why their light is still in the body's; empty: it is not
};

/// Leaves the stars that a body passes out of the frames of a stack on its motion. What stands out in one frame of many is clipped; in
/// one of three it is not, nor is what is fainter than the noise of a frame and brighter than that of the stack.
///
/// Model    A star's light is followed to a tenth of the noise of a sky pixel and for three FWHM. A frame in which it reaches the body is left out about the
///          body as a whole: of a profile of which each half is from other frames, in other seeing, the place would be off by more than
///          its error. Where that does not leave half of the frames, and two, light is followed less far, to the noise itself; where that
///          does not either, nothing is left out. A body that moves by less than a star's width has it beside it in all frames alike, as
///          in one frame: that is for its fit.
/// Shapes   `seen`: where the body is in the stack; `inputs`: of its lights, on its motion
PassingStars leaveOutPassingStars(const NightRun& run,
                                  const BodyStack& stack,
                                  const SkyPos& seen,
                                  std::span<stack::StackFrame> inputs);

} // namespace pathmark::night

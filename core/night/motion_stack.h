#pragma once

#include "core/night/stack_lights.h"
#include "core/stack/layers.h"
#include "core/stack/stack_header.h"

#include <functional>
#include <span>

namespace pathmark::night {

/// The pixels of lights.
std::vector<stack::FramePixels> sizesOf(std::span<const StackLight> lights);

/// The middle of all frames on the sky.
SkyPos middleOf(std::span<const StackLight> lights);

/// What stands still in stacks of lights.
struct StackSubject {
    std::span<const StackLight> lights; ///< the first is the reference
    std::string object;                 ///< "stars", or what moves
    bool moves = false;
    std::function<Result<SkyPos>(const Utc&)> at;
};

/// A stack with what its header says of it.
struct MotionStack {
    stack::Stack stack;
    frame::Header header;
    double fwhmArcsec = 0.0;      ///< of a star; 0: not known
    double exposureSeconds = 0.0; ///< of all its frames together
    std::optional<double> zeroPoint;
    std::optional<double> limitingMagnitude; ///< of a star of 5 sigma
};

/// Adds one layer of a series.
///
/// Errors   those of stack::stackFrames, and of the motion
Result<MotionStack> makeMotionStack(const stack::Layer& layer,
                                    const StackSubject& subject,
                                    const stack::StackOptions& options,
                                    const Job& job);

} // namespace pathmark::night

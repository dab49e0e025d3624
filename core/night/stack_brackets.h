#pragma once

#include "core/base/result.h"
#include "core/night/decisions.h"

#include <span>

namespace pathmark::night {

/// The decision that a bracket from one frame of a series to another makes: those between them, in order of time, are one
/// stack. They leave whatever bracket they were in; frames in no bracket are in no stack while their series has one.
///
/// Shapes   `lights` in order of time, as a night has them; the two frames in either order.
/// Errors   night.unknown_id    a frame is none of these lights, or the two are of different series
Result<BracketStacks> withBracket(std::span<const LightRecord> lights,
                                  const Decided& decided,
                                  const FrameId& first,
                                  const FrameId& last);

/// The decision that takes away the bracket that a frame is in; nullopt where it is in none.
std::optional<BracketStacks>
withoutBracket(std::span<const LightRecord> lights, const Decided& decided, const FrameId& frame);

} // namespace pathmark::night

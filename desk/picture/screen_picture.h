#pragma once

#include "desk/picture/picture_session.h"
#include "desk/session/picture.h"

namespace pathmark::desk {

/// A level of a picture and all smaller ones as the Sky shows them.
///
/// Shapes   `first`: the level that is the whole of what is shown
std::shared_ptr<const Picture>
screenPicture(const OpenPicture& open, const picture::Stretch& stretch, std::size_t first);

/// Pixels of what follows a hand.
inline constexpr double kFollowedPixels = 1.0e6;

/// The first level of at most so many pixels; the last where none is as small.
std::size_t levelOf(const OpenPicture& open, double mostPixels);

} // namespace pathmark::desk

#pragma once

#include "desk/picture/picture_session.h"
#include "desk/session/picture.h"

namespace pathmark::desk {

/// A level of a picture and all smaller ones as the Sky shows them.
///
/// Shapes   `first`: the level that is the whole of what is shown
std::shared_ptr<const Picture>
screenPicture(const OpenPicture& open, const picture::Look& look, std::size_t first);

/// What was taken off a picture as sky, and shaded where the comet's light was taken to be, with what was drawn since.
std::shared_ptr<const Picture> skyPicture(const OpenPicture& open,
                                          const night::PictureMaking& making);

/// Pixels of what follows a hand.
inline constexpr double kFollowedPixels = 1.0e6;

/// The first level of at most so many pixels; the last where none is as small.
std::size_t levelOf(const OpenPicture& open, double mostPixels);

/// Brightness of 0 to 1 in eight bits a plane, the top row first.
QImage screenImage(const picture::ColourPicture& shown);

} // namespace pathmark::desk

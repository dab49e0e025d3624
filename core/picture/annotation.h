#pragma once

#include "core/frame/wcs.h"
#include "core/picture/drawing.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::picture {

/// What is drawn on a picture that leaves the house.
struct Marks {
    bool caption = false; ///< a strip beneath it, with what it shows
    bool scale = false;   ///< a bar of a round length
    bool compass = false; ///< where north and east are
    bool path = false;    ///< the way of the body

    friend bool operator==(const Marks&, const Marks&) = default;
};

/// What the marks say.
struct MarkedSky {
    frame::Wcs wcs;                   ///< of the picture that they are drawn on
    std::string caption;              ///< one line
    std::vector<SkyPos> path;         ///< of the body, in the order of time
    frame::PixelPos body{-1e9, -1e9}; ///< where it stands: its path leaves that free
    double bottom = 0.0;              ///< rows at the bottom that are taken
};

/// A length of the sky that is a round number, and its name.
struct RoundLength {
    double arcsec = 0.0;
    std::string name; ///< as 30", 5', 1 deg
};

/// The longest of 1, 2, 3, 5, 10, 15, 20, 30 of seconds, minutes or degrees that is no longer than `most`.
RoundLength roundLength(double mostArcsec);

/// Pixels of a dot of a letter on a picture so wide.
int letterSize(int width);

/// Draws the marks; a caption makes the picture higher, so that it covers nothing.
void annotate(ColourPicture& shown, const Marks& marks, const MarkedSky& sky);

/// The way of something through a picture, free about where it stands.
void drawPath(Drawing& drawing,
              std::span<const frame::PixelPos> path,
              const frame::PixelPos& body,
              int size);

} // namespace pathmark::picture

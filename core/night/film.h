#pragma once

#include "core/night/picture_channels.h"
#include "core/picture/stretch.h"
#include "core/stack/canvas.h"

#include <filesystem>
#include <functional>
#include <optional>

namespace pathmark::night {

struct FilmWishes {
    std::function<Result<SkyPos>(const Utc&)> target; ///< what moves; empty: nothing is known to
    bool isBodyFixed = false; ///< the body stands still in it, else the stars
    stack::CanvasChoice canvas;
    bool isCanvasChosen =
        false;       ///< else what all frames share, and where they share nothing all of it
    int running = 1; ///< frames that are added for each picture
    int width = 0;   ///< pixels, at most; 0: as the frames are
    double framesPerSecond = 10.0;
    picture::StretchWish stretch;
    bool hasStamp = false; ///< the time, in the lower left corner
    bool hasPath = false;  ///< the way of the body
};

struct FilmMade {
    int frames = 0;
    int width = 0;
    int height = 0;
};

/// Writes a film of lights: each one picture, or the stack of several running ones.
///
/// Model    Each frame's sky is taken off and its light scaled by its transparency, so that one stretch, found from the picture in the
///          middle, holds for all. Planes of a colour camera are balanced by the stars of that picture.
/// Errors   picture.no_layer, film.no_encoder, stack.*, base.*, and those of the readers
Result<FilmMade> makeFilm(const PictureChannels& channels,
                          const FilmWishes& wishes,
                          const std::filesystem::path& path,
                          const Job& job);

} // namespace pathmark::night

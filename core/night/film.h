#pragma once

#include "core/night/picture_channels.h"
#include "core/picture/layered_picture.h"
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
    double pauseSeconds = 0.0; ///< that its first and its last picture stand
    picture::StretchWish stretch;
    std::optional<picture::Look> look; ///< counts instead of the stretch
    bool hasStamp = false;             ///< the time, in the lower left corner
    picture::Marks marks;              ///< a caption is none of a film's
};

struct FilmMade {
    int frames = 0;
    int width = 0;
    int height = 0;
};

/// One picture of a film, as it is seen, and when it was taken.
using FilmPicture = std::function<Result<bool>(picture::ColourPicture, const Utc&)>;

/// Makes the pictures of a film one after the other.
///
/// Model    Each frame's sky is taken off (stack::smoothSkies) and its light scaled by its transparency, so that one stretch, found from
///          the picture in the middle, holds for all. Planes of a colour camera are balanced by the stars of that picture.
/// Errors   picture.no_layer, stack.*, those of the readers and of `take`
Result<bool> makeFilmPictures(const PictureChannels& channels,
                              const FilmWishes& wishes,
                              const FilmPicture& take,
                              const Job& job);

/// Writes a film of lights: each one picture, or the stack of several running ones.
///
/// Errors   film.no_encoder, base.*, and those of makeFilmPictures
Result<FilmMade> makeFilm(const PictureChannels& channels,
                          const FilmWishes& wishes,
                          const std::filesystem::path& path,
                          const Job& job);

} // namespace pathmark::night

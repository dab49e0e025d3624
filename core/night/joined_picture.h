#pragma once

#include "core/catalog/star_store.h"
#include "core/night/picture_channels.h"
#include "core/picture/colour_picture.h"
#include "core/picture/star_colours.h"
#include "core/stack/canvas.h"

#include <functional>
#include <optional>
#include <string>

namespace pathmark::night {

/// What a picture is made of.
enum class PictureLayers { Stars, Comet, Both };

struct JoinedPictureWishes {
    PictureLayers layers = PictureLayers::Stars;
    stack::CanvasChoice canvas;
    std::function<Result<SkyPos>(const Utc&)> target; ///< of the comet; empty without one
};

/// A picture in linear light, with what is known of it.
struct JoinedPicture {
    picture::ColourPicture linear; ///< electrons, green as it was recorded
    stack::PixelGrid grid;         ///< the sky at `time`
    Utc time; ///< the middle of all exposures; where the comet is then it stands
    picture::PlaneScales scales;
    std::string planes; ///< in words, which light became which plane
    int frames = 0;
};

/// Stars and comet of all channels on one canvas.
///
/// Model    For each channel: stars, a stack on the sky without the comet (its coma taken off as its own stack shows it); comet, a stack on
///          its motion of frames without their unmoving sky, each frame at its own time, so that filters taken one after the other agree.
///          Both are light of the same frames' units and are added. Of three colours or more those nearest to 640, 545 and 440 nm
///          become red, green and blue; of two the mean is green; of one, or none, the picture is grey. What has no colour
///          (luminance) and the mean of the planes are averaged by their noise. White: see picture::scalesOf; `store` may be null.
/// Files    In `folder`, which the caller takes away.
/// Errors   picture.no_layer, stack.*, and those of the readers
Result<JoinedPicture> joinPicture(const PictureChannels& channels,
                                  const JoinedPictureWishes& wishes,
                                  const catalog::StarStore* store,
                                  const std::filesystem::path& folder,
                                  const Job& job);

} // namespace pathmark::night

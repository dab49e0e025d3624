#pragma once

#include "core/catalog/star_store.h"
#include "core/night/picture_channels.h"
#include "core/picture/colour_picture.h"
#include "core/picture/star_colours.h"
#include "core/stack/canvas.h"
#include "core/stack/smooth_skies.h"

#include <array>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// What a picture is made of.
enum class PictureLayers { Stars, Comet, Both };

struct JoinedPictureWishes {
    PictureLayers layers = PictureLayers::Stars;
    stack::CanvasChoice canvas;
    std::function<Result<SkyPos>(const Utc&)> target; ///< of the comet; empty without one
    stack::SmoothSkyWishes sky;
    std::map<std::string, int> planeOf =
        {}; ///< by name of a filter 0 to 2, red, green, blue, or -1, luminance: chosen by hand
};

/// Pixels of a picture for each of the surface that was taken for sky.
inline constexpr int kSkyCell = 16;

/// A picture in linear light, with what is known of it.
struct JoinedPicture {
    picture::ColourPicture linear; ///< electrons, green as it was recorded
    picture::ColourPicture
        stars; ///< what of it is stars, where both layers were wanted; else empty
    picture::ColourPicture
        sky; ///< what was taken off as sky, in cells of kSkyCell pixels; NaN where no frame is
    frame::Image
        extent; ///< likewise: 1 where the comet's light was taken to be; empty without a comet
    std::array<double, 3>
        noise{}; ///< of a pixel of sky in the planes, as if pixels were independent
    std::array<double, 3> lightVariance{}; ///< variance of light in them over that light
    stack::PixelGrid grid;                 ///< the sky at `time`
    Utc time; ///< the middle of all exposures; where the comet is then it stands
    picture::PlaneScales scales;
    std::string planes; ///< in words, which light became which plane
    int frames = 0;
    std::vector<std::string> leftOut; ///< filters of too few frames, in words
};

/// Stars and comet of all channels on one canvas.
///
/// Model    For each channel: stars, a stack on the sky without the comet (its coma taken off as its own stack shows it); comet, a stack on
///          its motion of frames without their unmoving sky, each frame at its own time, so that filters taken one after the other agree.
///          Both are light of the same frames' units and are added. Of three colours or more those nearest to 640, 545 and 440 nm
///          become red, green and blue; of two the mean is green; of one, or none, the picture is grey. What has no colour
///          (luminance) and the mean of the planes are averaged by their noise. Filters may be mapped to planes by hand: those of one
///          plane are averaged by their noise, brought to one scale by their stars. White: see picture::scalesOf; `store` may be null.
/// Files    In `folder`, which the caller takes away.
/// Errors   picture.no_layer, stack.*, and those of the readers
Result<JoinedPicture> joinPicture(const PictureChannels& channels,
                                  const JoinedPictureWishes& wishes,
                                  const catalog::StarStore* store,
                                  const std::filesystem::path& folder,
                                  const Job& job);

} // namespace pathmark::night

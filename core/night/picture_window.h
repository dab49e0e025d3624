#pragma once

#include "core/catalog/star_store.h"
#include "core/measure/picture.h"
#include "core/night/records.h"

#include <filesystem>
#include <vector>

namespace pathmark::night {

/// The part of a picture of a night about a place, to measure on without reading the rest.
struct PictureWindow {
    frame::Image image;
    measure::Picture
        picture; ///< its `image` is to be pointed at the one above; its pixels are those of the window
    frame::PixelPos corner; ///< the window's first pixel in the picture
    frame::PixelPos place;  ///< in the window

    [[nodiscard]] const measure::Picture& ready() {
        picture.image = &image;
        return picture;
    }
};

/// Of a calibrated and solved light, or of a stack.
///
/// Shapes   `light`: the light; of a stack one of its frames, whose zero point is not the stack's. `halfPixels`: from the place to the
///          window's edge.
/// Errors   those of the reader; frame.bad_wcs; measure.outside
Result<PictureWindow> windowOf(const std::filesystem::path& path,
                               const LightRecord& light,
                               bool isStack,
                               const SkyPos& place,
                               double halfPixels);

/// The catalogue's stars in a window and about it, as bright as the zero point has them; none where that is not known.
///
/// Shapes   `itself`: stars so near to the window's place are what is measured there, pixels; 0: none is
std::vector<measure::StarNearby> starsAbout(const PictureWindow& window,
                                            const Utc& time,
                                            double itself,
                                            const catalog::StarStore& store);

} // namespace pathmark::night

#include "core/stack/pixel_grid.h"

namespace pathmark::stack {

PixelGrid gridAround(const SkyPos& centre, const frame::Wcs& like, int width, int height) {
    PixelGrid grid;
    grid.width = width;
    grid.height = height;
    grid.wcs.referenceSky = centre;
    grid.wcs.referencePixel = {0.5 * (width - 1), 0.5 * (height - 1)};
    grid.wcs.cd = like.cd;
    return grid;
}

} // namespace pathmark::stack

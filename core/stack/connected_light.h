#pragma once

#include "core/frame/image.h"

namespace pathmark::stack {

/// Leaves of a picture the light that hangs together with its middle, a coma and its tail; everything else becomes 0.
///
/// Model    Medians of blocks of 8 x 8 pixels, so that what is left of stars does not count; from the blocks within `radius` of the
///          middle on to every neighbour that stands out of the picture's blocks by 2.5 sigma, and one block more all around.
void keepConnectedLight(frame::Image& picture, double radius);

} // namespace pathmark::stack

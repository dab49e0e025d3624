#pragma once

#include "core/frame/image.h"

#include <array>
#include <cstddef>

namespace pathmark::picture {

/// Three planes of one size: red, green, blue, in linear light. Of a grey picture all three are alike.
struct ColourPicture {
    std::array<frame::Image, 3> planes;
    bool isGrey = false;

    [[nodiscard]] int width() const { return planes[0].width(); }

    [[nodiscard]] int height() const { return planes[0].height(); }

    /// The mean of the planes of a pixel; of all three its colour is taken off by dividing by it.
    [[nodiscard]] float intensity(std::size_t pixel) const {
        return (planes[0].pixels()[pixel] + planes[1].pixels()[pixel] + planes[2].pixels()[pixel]) /
               3.0F;
    }
};

/// Fills what has no value from what lies around it, up to `reach` pixels away; what is farther becomes `beyond`.
void fillGaps(frame::Image& image, int reach, float beyond = 0.0F);

/// Sky and noise of a picture's intensity.
struct Ground {
    double level = 0.0;
    double noise = 0.0;
};

Ground groundOf(const ColourPicture& picture);

/// The picture in fewer pixels, each the mean of those that it covers; never more than there are.
ColourPicture reducedTo(const ColourPicture& picture, int width);

} // namespace pathmark::picture

#pragma once

#include "core/frame/image.h"
#include "core/stack/interpolation.h"
#include "core/stack/pixel_kernels.h"

#include <array>
#include <cmath>
#include <span>

// The inner loops of resampling; compiled with the options that make vector instructions of them.
namespace pathmark::stack {

/// The pixels of the frame at both ends of a run; it ends where the next begins.
using RunEnds = std::array<frame::PixelPos, 2>;

/// Interpolates at the places of a run, up to kRun of them, and multiplies with `factor`. Where the kernel touches a pixel without
/// a value, or reaches over the edge, the result is NaN; true where no place of the run, wanted or not, is such a one.
bool interpolateRun(Kernel kernel,
                    const frame::Image& pixels,
                    const RunEnds& ends,
                    float factor,
                    std::span<float> out);

/// The value at a place with the kernel `stretch` times as wide and without what has no value; NaN where too little is left.
float interpolateAround(Kernel kernel,
                        const frame::Image& pixels,
                        frame::PixelPos place,
                        double stretch);

/// How the frame's pixels change along x and along y of the grid.
struct Slopes {
    frame::PixelPos alongX;
    frame::PixelPos alongY;

    [[nodiscard]] double area() const {
        return std::abs(alongX.x * alongY.y - alongX.y * alongY.x);
    }
};

/// The mean value of a grid pixel about `place`, the frame's pixels shrunk to squares of side `drop` and weighted with the area that
/// they share with it; NaN where they cover too little of it.
float meanUnderDrops(const frame::Image& pixels,
                     frame::PixelPos place,
                     const Slopes& slopes,
                     double drop);

} // namespace pathmark::stack

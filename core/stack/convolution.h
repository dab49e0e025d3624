#pragma once

#include "core/frame/image.h"

#include <span>

namespace pathmark::stack {

/// The convolution of a picture with a kernel where the kernel lies wholly on it.
///
/// Shapes   `kernel`: 2 half + 1 squared, row by row; out(x, y) = sum k(u, v) picture(x + half - u, y + half - v), smaller than the
///          picture by half on every side. NaN in, NaN out.
frame::Image convolved(const frame::Image& picture, std::span<const float> kernel, int half);

/// The same for a part of one row: `out` begins at (x, y) of the result.
void convolveRow(const frame::Image& picture,
                 std::span<const float> kernel,
                 int half,
                 int x,
                 int y,
                 std::span<float> out);

} // namespace pathmark::stack

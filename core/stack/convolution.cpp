#include "core/stack/convolution.h"

#include "core/base/clones.h"

#include <algorithm>

namespace pathmark::stack {

PATHMARK_CLONES
void convolveRow(const frame::Image& picture,
                 std::span<const float> kernel,
                 int half,
                 int x,
                 int y,
                 std::span<float> out) {
    const int side = 2 * half + 1;
    std::fill(out.begin(), out.end(), 0.0F);
    for (int v = 0; v < side; ++v) {
        const float* row = picture.pixels().data() + picture.index(x, y + 2 * half - v);
        for (int u = 0; u < side; ++u) {
            const float k = kernel[static_cast<std::size_t>(v * side + u)];
            const float* from = row + (2 * half - u);
            for (std::size_t i = 0; i < out.size(); ++i) {
                out[i] += k * from[i];
            }
        }
    }
}

frame::Image convolved(const frame::Image& picture, std::span<const float> kernel, int half) {
    frame::Image result(picture.width() - 2 * half, picture.height() - 2 * half);
    for (int y = 0; y < result.height(); ++y) {
        convolveRow(picture, kernel, half, 0, y, result.row(y));
    }
    return result;
}

} // namespace pathmark::stack

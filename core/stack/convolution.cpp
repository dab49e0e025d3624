#include "core/stack/convolution.h"

#include "core/base/clones.h"

#include <array>
#include <cstring>

namespace pathmark::stack {

namespace {

constexpr std::size_t kWide = 16;
constexpr std::size_t kBlocks = 4; ///< values of the processor that stay in it over a whole kernel

/// Left to itself the compiler fetches and stores the sums at each pixel of the kernel.
using Lanes = float __attribute__((vector_size(sizeof(float) * kWide)));

/// `Blocks` times kWide pixels; `first` is the one under the kernel's last.
template <std::size_t Blocks>
[[gnu::always_inline]] inline void convolveSome(
    const float* first, std::ptrdiff_t width, std::span<const float> kernel, int side, float* out) {
    std::array<Lanes, Blocks> sums{};
    for (int v = 0; v < side; ++v) {
        const float* const row = first - static_cast<std::ptrdiff_t>(v) * width;
        const float* const weights = kernel.data() + static_cast<std::ptrdiff_t>(v) * side;
        for (int u = 0; u < side; ++u) {
            for (std::size_t b = 0; b < Blocks; ++b) {
                Lanes pixels;
                std::memcpy(&pixels, row - u + b * kWide, sizeof pixels);
                sums[b] += weights[u] * pixels;
            }
        }
    }
    std::memcpy(out, sums.data(), sizeof sums);
}

} // namespace

PATHMARK_CLONES
void convolveRow(const frame::Image& picture,
                 std::span<const float> kernel,
                 int half,
                 int x,
                 int y,
                 std::span<float> out) {
    const int side = 2 * half + 1;
    const std::ptrdiff_t width = picture.width();
    const float* const first = picture.pixels().data() + picture.index(x + 2 * half, y + 2 * half);
    std::size_t i = 0;
    for (; i + kBlocks * kWide <= out.size(); i += kBlocks * kWide) {
        convolveSome<kBlocks>(first + i, width, kernel, side, out.data() + i);
    }
    for (; i + kWide <= out.size(); i += kWide) {
        convolveSome<1>(first + i, width, kernel, side, out.data() + i);
    }
    for (; i < out.size(); ++i) {
        float sum = 0.0F;
        for (int v = 0; v < side; ++v) {
            for (int u = 0; u < side; ++u) {
                sum += kernel[static_cast<std::size_t>(v * side + u)] *
                       *(first + i - static_cast<std::ptrdiff_t>(v) * width - u);
            }
        }
        out[i] = sum;
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

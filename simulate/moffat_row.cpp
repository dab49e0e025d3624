#include "simulate/moffat_row.h"

#include "core/base/clones.h"

#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>

namespace pathmark::simulate {
namespace {

/// For u >= 1: the exponent, and the series of the logarithm in (m - 1) / (m + 1) of the rest, which lies about 1.
inline float log2Of(float u) {
    constexpr std::int32_t rootOfHalf = 0x3F3504F3;
    const auto bits = std::bit_cast<std::int32_t>(u);
    const std::int32_t exponent = (bits - rootOfHalf) >> 23;
    const float m = std::bit_cast<float>(bits - (exponent << 23));
    const float t = (m - 1.0F) / (m + 1.0F);
    const float square = t * t;
    const float series =
        2.88539008F + square * (0.96179669F + square * (0.57707802F + square * 0.41219859F));
    return static_cast<float>(exponent) + t * series;
}

/// For v <= 0: the power of the whole part, and the series of the rest, which lies within a half.
inline float exp2Of(float v) {
    constexpr float rounder = 12582912.0F; // 1.5 * 2^23: what is added to it loses its fraction
    const float least = v > -120.0F ? v : -120.0F;
    const float whole = (least + rounder) - rounder;
    const float f = least - whole;
    const float series =
        1.0F +
        f * (0.69314718F +
             f * (0.24022651F +
                  f * (0.05550411F + f * (0.00961813F + f * (0.00133336F + f * 0.00015404F)))));
    const auto exponent = static_cast<std::int32_t>(whole) * (1 << 23);
    return std::bit_cast<float>(std::bit_cast<std::int32_t>(series) + exponent);
}

/// Gauss's places and weights in a pixel, along an axis.
struct PixelPoints {
    std::array<float, 3> place;
    std::array<float, 3> weight;
};

constexpr std::array<PixelPoints, 3> kPixelPoints{{
    {{0.0F, 0.0F, 0.0F}, {1.0F, 0.0F, 0.0F}},
    {{-0.28867513F, 0.28867513F, 0.0F}, {0.5F, 0.5F, 0.0F}},
    {{-0.38729833F, 0.0F, 0.38729833F}, {5.0F / 18.0F, 8.0F / 18.0F, 5.0F / 18.0F}},
}};

} // namespace

PATHMARK_CLONES
void addMoffatRow(
    float* row, int count, const MoffatTerms& terms, float dx, float dy, float step, int points) {
    // Always so many at once: stretches are short, and what is left over of a vector would be done one by one.
    constexpr int most = 8;
    const PixelPoints& across = kPixelPoints[static_cast<std::size_t>(points - 1)];
    const float beta = -terms.beta;
    for (int start = 0; start < count; start += most) {
        const int here = count - start < most ? count - start : most;
        // Faint light is added at once: in steps it would be lost in a bright sky.
        std::array<float, most> sum{};
        for (int point = 0; point < points * points; ++point) {
            const auto i = static_cast<std::size_t>(point % points);
            const auto j = static_cast<std::size_t>(point / points);
            const float weight = terms.norm * across.weight[i] * across.weight[j];
            const float x = dx + static_cast<float>(start) * step + across.place[i];
            const float y = dy + across.place[j];
            const float p0 = terms.px * x + terms.py * y;
            const float q0 = terms.qx * x + terms.qy * y;
            for (int k = 0; k < most; ++k) {
                const float along = static_cast<float>(k) * step;
                const float p = p0 + terms.px * along;
                const float q = q0 + terms.qx * along;
                sum[static_cast<std::size_t>(k)] +=
                    weight * exp2Of(beta * log2Of(1.0F + p * p + q * q));
            }
        }
        for (int k = 0; k < here; ++k) {
            row[start + k] += sum[static_cast<std::size_t>(k)];
        }
    }
}

} // namespace pathmark::simulate

#include "core/calibrate/apply_pixels.h"

#include "core/base/clones.h"

#include <algorithm>
#include <array>

namespace pathmark::calibrate {

PATHMARK_CLONES
void applyPixels(
    const float* raw, const float* pedestal, const float* factor, std::size_t count, float* out) {
    for (std::size_t i = 0; i < count; ++i) {
        out[i] = (raw[i] - pedestal[i]) * factor[i];
    }
}

PATHMARK_CLONES
void applyFactor(const float* raw, const float* factor, std::size_t count, float* out) {
    for (std::size_t i = 0; i < count; ++i) {
        out[i] = raw[i] * factor[i];
    }
}

PATHMARK_CLONES
void scalePixels(float* pixels, const float* pedestal, float scale, std::size_t count) {
    if (pedestal == nullptr) {
        for (std::size_t i = 0; i < count; ++i) {
            pixels[i] *= scale;
        }
        return;
    }
    for (std::size_t i = 0; i < count; ++i) {
        pixels[i] = (pixels[i] - pedestal[i]) * scale;
    }
}

PATHMARK_CLONES
float highestOf(const float* pixels, std::size_t count) {
    constexpr std::size_t lanes = 16;
    std::array<float, lanes> highest{};
    std::size_t i = 0;
    for (; i + lanes <= count; i += lanes) {
        for (std::size_t k = 0; k < lanes; ++k) {
            highest[k] = pixels[i + k] > highest[k] ? pixels[i + k] : highest[k]; // false for NaN
        }
    }
    for (; i < count; ++i) {
        highest[0] = pixels[i] > highest[0] ? pixels[i] : highest[0];
    }
    return *std::max_element(highest.begin(), highest.end());
}

PATHMARK_CLONES
CountAt countAt(const float* pixels, std::size_t count, float value, float least) {
    CountAt result;
    constexpr std::size_t part = 1U << 16U;
    for (std::size_t first = 0; first < count; first += part) {
        const std::size_t end = std::min(count, first + part);
        int full = 0;
        int nearly = 0;
        for (std::size_t i = first; i < end; ++i) {
            const int above = pixels[i] > least ? 1 : 0;
            const int same = pixels[i] == value ? 1 : 0;
            const int below = pixels[i] < value ? 1 : 0;
            full += same;
            nearly += above & below;
        }
        result.full += static_cast<std::size_t>(full);
        result.nearly += static_cast<std::size_t>(nearly);
    }
    return result;
}

PATHMARK_CLONES
void markSharp(const float* above,
               const float* row,
               const float* below,
               std::size_t count,
               Rise least,
               unsigned char* sharp) {
    sharp[0] = 0;
    sharp[count - 1] = 0;
    for (std::size_t x = 1; x + 1 < count; ++x) {
        const float twice = 2.0F * row[x];
        const float across = twice - (row[x - 1] + row[x + 1]);
        const float along = twice - (above[x] + below[x]);
        const float falling = twice - (above[x - 1] + below[x + 1]);
        const float rising = twice - (above[x + 1] + below[x - 1]);
        const int straight = static_cast<int>(across > 2.0F * least.straight) |
                             static_cast<int>(along > 2.0F * least.straight);
        const int slanted = static_cast<int>(falling > 2.0F * least.slanted) |
                            static_cast<int>(rising > 2.0F * least.slanted);
        sharp[x] = static_cast<unsigned char>(straight | slanted);
    }
}

} // namespace pathmark::calibrate

#include "core/calibrate/apply_pixels.h"

#include "core/base/clones.h"

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

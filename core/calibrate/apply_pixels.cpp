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
void markRisen(const float* above,
               const float* row,
               const float* below,
               std::size_t count,
               float least,
               unsigned char* risen) {
    risen[0] = 0;
    risen[count - 1] = 0;
    for (std::size_t x = 1; x + 1 < count; ++x) {
        const float across = row[x - 1] < row[x + 1] ? row[x - 1] : row[x + 1];
        const float along = above[x] < below[x] ? above[x] : below[x];
        const float lower = across < along ? across : along;
        risen[x] = row[x] - lower > least ? 1 : 0;
    }
}

} // namespace pathmark::calibrate

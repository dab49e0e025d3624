#pragma once

#include <cstddef>

namespace pathmark::calibrate {

/// out = (raw - pedestal) x factor, pixel by pixel.
void applyPixels(
    const float* raw, const float* pedestal, const float* factor, std::size_t count, float* out);

/// out = raw x factor.
void applyFactor(const float* raw, const float* factor, std::size_t count, float* out);

/// pixels = (pixels - pedestal) x scale; the pedestal may be null.
void scalePixels(float* pixels, const float* pedestal, float scale, std::size_t count);

/// risen[x] = 1 where row[x] stands more than `least` above the lower of its neighbours on either axis; 0 at both ends.
void markRisen(const float* above,
               const float* row,
               const float* below,
               std::size_t count,
               float least,
               unsigned char* risen);

} // namespace pathmark::calibrate

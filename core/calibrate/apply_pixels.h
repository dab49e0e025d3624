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

/// The highest of them; 0 where none is above.
float highestOf(const float* pixels, std::size_t count);

/// How many have a value exactly, and how many lie above `least` and below it.
struct CountAt {
    std::size_t full = 0;
    std::size_t nearly = 0;
};

CountAt countAt(const float* pixels, std::size_t count, float value, float least);

/// By how much a pixel stands above the mean of two opposite neighbours, on an axis and on a diagonal.
struct Rise {
    float straight = 0.0F;
    float slanted = 0.0F;
};

/// sharp[x] = 1 where row[x] stands more than `least` above the mean of any pair of opposite neighbours; 0 at both ends.
void markSharp(const float* above,
               const float* row,
               const float* below,
               std::size_t count,
               Rise least,
               unsigned char* sharp);

} // namespace pathmark::calibrate

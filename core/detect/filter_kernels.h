#pragma once

#include <cstddef>

namespace pathmark::detect {

/// The hot loops over the rows of a frame, as free functions over pointers so that each processor level gets its own.

/// Both convolutions work on rows of whole blocks.
inline constexpr int kFilterBlock = 64;

/// out = in - level, 0 where `in` is NaN.
void subtractRow(const float* in, const float* level, float* out, int count);

/// out[i] = sum of kernel[|j|] padded[i + half + j] for j from -half to half.
///
/// Shapes   `count` a multiple of kFilterBlock; padded holds count + 2 half.
void convolveRow(const float* padded, const float* kernel, int half, float* out, int count);

/// The same across 2 half + 1 rows, times norm / noise; 0 where the noise is 0.
///
/// Shapes   `count` a multiple of kFilterBlock
void convolveColumns(const float* const* rows,
                     const float* kernel,
                     int half,
                     float norm,
                     const float* noise,
                     float* out,
                     int count);

/// True where any value exceeds the limit.
bool anyAbove(const float* values, int count, float limit);

/// out[i] = start + slope i
void ramp(float start, float slope, float* out, int count);

/// Number, sum and sum of squares of the values within [low, high], less `centre`; NaN is passed over.
struct ClippedSums {
    double count = 0.0;
    double sum = 0.0;
    double squares = 0.0;
};

/// Shapes   `count` a multiple of 16.
ClippedSums sumClipped(const float* values, int count, float low, float high, float centre);

/// What is known of a row: the sky's level and noise, and light in it.
struct KnownRow {
    const float* level;
    const float* noise;
    const float* light;
};

/// Takes known light off a row and scales what is left to the noise of the sky, where there is such light; a share `fault` of it may be
/// wrong.
void takeAndWeigh(const KnownRow& known, float fault, std::size_t count, float* row);

} // namespace pathmark::detect

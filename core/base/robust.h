#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace pathmark {

/// The median; reorders the values. Empty gives NaN.
double medianInPlace(std::span<float> values);
double medianInPlace(std::span<double> values);

/// The median of every `step`-th value that is finite; 0 where there is none. Leaves the values as they are.
double sampledMedian(std::span<const float> values, std::size_t step);

/// Centre and spread of the bulk of the values.
struct RobustMoments {
    double centre = 0.0;
    double sigma = 0.0;
    int kept = 0;
};

/// Mean and standard deviation after clipping at `clip` sigma about the median until nothing falls
/// out any more, the spread corrected for the clipped tails of a normal distribution. Reorders.
///
/// Domain   NaN values are passed over. No finite value gives NaN, NaN and kept = 0.
/// Source   Truncated normal variance: Johnson, Kotz & Balakrishnan 1994, sec. 13.10.1.
RobustMoments clippedMoments(std::span<float> values, double clip = 3.0);

/// Median and 1.4826 x the median absolute deviation.
RobustMoments medianAndDeviation(std::vector<double> values);

} // namespace pathmark

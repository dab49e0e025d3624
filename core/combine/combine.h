#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/frame/image.h"

#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace pathmark::combine {

/// How the values of one pixel become one.
enum class Combination {
    Mean,
    Median,
    SigmaClip,      ///< mean of what lies within `clip` sigma of the median
    WinsorisedClip, ///< likewise, sigma from values drawn in to 1.5 sigma until it settles
    PercentileClip, ///< mean of what is left when `share` of the values falls off at each end
    LineClip, ///< mean of what lies within `clip` sigma of a straight line in the order of the frames
};

const char* name(Combination combination);
std::optional<Combination> combinationNamed(std::string_view name);

/// The names of all combinations, for messages.
std::string combinationNames();

struct CombineRule {
    Combination combination = Combination::Mean;
    double clip = 4.0;  ///< in sigma; lower takes more away, at the cost of good values
    double share = 0.2; ///< of PercentileClip, at each end, 0 to 0.45
    /// SigmaClip measures the scatter by the median absolute deviation instead: nearly half of the values may then be wrong at
    /// one end, as where stars cross a stack on a body; it costs a second sort.
    bool byMedianDeviation = false;
    double floorSigma =
        0.0; ///< sigma is never taken to be less, so that few frames do not clip good values
    double floorLight = 0.0; ///< variance that a unit of light adds to the floor's: its photons
    double floorShare =
        0.0; ///< of the light, that it may differ by from frame to frame: the seeing's

    friend bool operator==(const CombineRule&, const CombineRule&) = default;
};

/// The combination that suits a number of frames, and one sentence why.
struct CombinationChoice {
    Combination combination;
    std::string reason;
};

CombinationChoice chooseCombination(int frameCount);

/// How many times the variance of a mean of so many values a combination's is, where nothing is wrong with them.
///
/// Source   As for combineValues; the trimmed mean of a normal distribution: Wilcox 2012, sec. 3.3.2.
double varianceFactor(const CombineRule& rule, std::size_t count);

/// One value from those of a pixel, with the variance that its scatter gives it.
struct CombinedValue {
    float value = 0.0F;    ///< NaN where there was none
    float variance = 0.0F; ///< of `value`; NaN where fewer than two values were kept
};

/// Combines the values of one pixel; reorders them.
///
/// Model    Scatter for the clips: the larger of the floor, sqrt(floorSigma^2 + floorLight m + (floorShare m)^2) for a median m > 0, and a
///          robust sigma, from the distance of two
///          sorted values over that expected of a normal distribution (SigmaClip), from winsorised values
///          (x 1.134), or from the median absolute residual (LineClip). The variance is that of
///          the mean of the kept values; of the median pi / (2 n + pi - 2) times that of one value; of
///          PercentileClip from the winsorised variance.
/// Domain   NaN values are passed over.
/// Source   Huber & Ronchetti 2009, Robust Statistics, 2nd ed., sec. 1.6 and 4.4 (winsorised residuals);
///          Wilcox 2012, Introduction to Robust Estimation, 3rd ed., sec. 3.3.2 (trimmed mean);
///          Blom 1958, Statistical Estimates and Transformed Beta-Variables (expected order statistics).
CombinedValue combineValues(std::span<float> values, const CombineRule& rule);

/// combineValues for neighbouring pixels at once.
///
/// Shapes   rows[f] points to the pixels of frame f; value and variance hold as many.
/// Accuracy The same bits as combineValues, pixel by pixel (tested).
/// Source   Batcher 1968, AFIPS 32, 307 (sorting network: no branch, so a processor does many pixels at once).
void combineColumns(std::span<const float* const> rows,
                    const CombineRule& rule,
                    std::span<float> value,
                    std::span<float> variance);

/// Where the combination of neighbouring pixels goes; an empty span is not wanted.
struct CombinedPixels {
    std::span<float> value; ///< NaN where there was none
    std::span<float>
        variance; ///< of `value`, from the scatter of what was kept; NaN where that is fewer than two
    std::span<float> weight;      ///< sum of the weights of what was kept
    std::span<float> clippedLow;  ///< values left out below what was kept
    std::span<float> clippedHigh; ///< and above
};

/// The weighted combination of neighbouring pixels, with what was left out of it.
///
/// Model    What is left out is decided as combineColumns does, whatever the weights: an outlier does not become a good
///          value by its weight. Of two values, where a clip is asked for and floorSigma is known, the higher one is left out
///          where it is more than twice the lower one and `clip` sigma of their difference, and the lower one where it is that
///          far below 0. What is kept is averaged with the weights; the median takes none. The variance of a
///          weighted mean is sum w^2 (v - mean)^2 / (sum w)^2 x k / (k - 1) for k values kept.
/// Shapes   rows[f] points to the pixels of frame f, weights[f] is its weight, > 0; every span of `out` that is wanted has as
///          many pixels.
/// Domain   NaN values are passed over.
/// Accuracy With equal weights that of combineColumns, but for the order of the sums (tested).
void combineWeighted(std::span<const float* const> rows,
                     std::span<const float> weights,
                     const CombineRule& rule,
                     const CombinedPixels& out);

/// A pixel-by-pixel combination of frames.
struct CombinedImage {
    frame::Image value;
    frame::Image variance; ///< of `value`; empty for a single frame
};

/// Changes pixels of frame `index` in place before they are combined; `firstPixel` counts row by row.
using PreparePixels =
    std::function<void(std::size_t index, std::size_t firstPixel, std::span<float> pixels)>;

/// Combines frames of one size pixel by pixel, a band of rows at a time: memory does not grow with
/// the length of the series. The rule's floorSigma is taken from the frames themselves where it is 0.
///
/// Errors   calibrate.no_frames, calibrate.sizes_differ, base.cancelled, and those of the reader
/// Threads  `prepare` is called from several threads, each with pixels of its own.
/// Cost     Reads every file once.
Result<CombinedImage> combineFiles(std::span<const std::filesystem::path> files,
                                   const CombineRule& rule,
                                   const PreparePixels& prepare,
                                   const Job& job);

} // namespace pathmark::combine

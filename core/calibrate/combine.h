#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/frame/image.h"

#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// How the values of one pixel become one.
enum class Combination { Mean, Median, ClippedMean };

const char* name(Combination combination);

/// The combination that suits a number of frames, and one sentence why.
struct CombinationChoice {
    Combination combination;
    std::string reason;
};

CombinationChoice chooseCombination(int frameCount);

/// One value of a pixel's values; reorders them.
///
/// Model    ClippedMean: values further than `clip` sigma from the median are left out and the rest
///          averaged; sigma is the larger of `floorSigma` and 1.4826 x the median absolute
///          deviation, so that few frames do not clip their own good values.
/// Domain   NaN values are passed over; none left gives NaN.
/// Source   Huber & Ronchetti 2009, Robust Statistics, 2nd ed., sec. 1.6 (MAD as scale).
float combineValues(std::span<float> values,
                    Combination combination,
                    double floorSigma,
                    double clip);

/// Changes one band of rows of frame `index` in place before it is combined.
using PrepareRows = std::function<void(std::size_t index, int firstRow, std::span<float> rows)>;

/// Combines frames of one size pixel by pixel, a band of rows at a time: memory does not grow with
/// the size of the series.
///
/// Errors   calibrate.no_frames, calibrate.sizes_differ, base.cancelled, and those of the reader
/// Cost     Reads every file once.
Result<frame::Image> combineFiles(std::span<const std::filesystem::path> files,
                                  Combination combination,
                                  const PrepareRows& prepare,
                                  const Job& job);

} // namespace pathmark::calibrate

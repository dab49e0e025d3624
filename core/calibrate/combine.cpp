#include "core/calibrate/combine.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/frame/fits_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::calibrate {
namespace {

constexpr double kClip = 4.0;
constexpr std::size_t kBandBytes = 64U << 20U;

/// The usual scatter of a pixel through the frames, from a sample of this band.
double typicalScatter(const std::vector<std::vector<float>>& rows, std::size_t pixels) {
    std::vector<double> scatters;
    const std::size_t step = std::max<std::size_t>(1, pixels / 500);
    for (std::size_t i = 0; i < pixels; i += step) {
        std::vector<double> values;
        for (const auto& row : rows) {
            if (std::isfinite(row[i])) {
                values.push_back(static_cast<double>(row[i]));
            }
        }
        if (values.size() >= 3) {
            scatters.push_back(medianAndDeviation(std::move(values)).sigma);
        }
    }
    return scatters.empty() ? 0.0 : medianInPlace(std::span(scatters));
}

void combineBand(const std::vector<std::vector<float>>& rows,
                 std::size_t pixels,
                 Combination combination,
                 std::span<float> out) {
    const double floorSigma =
        combination == Combination::ClippedMean ? typicalScatter(rows, pixels) : 0.0;
    constexpr std::size_t block = 8192;
    parallelFor((pixels + block - 1) / block, [&](std::size_t part) {
        std::vector<float> values(rows.size());
        for (std::size_t i = part * block; i < std::min(pixels, (part + 1) * block); ++i) {
            for (std::size_t frame = 0; frame < rows.size(); ++frame) {
                values[frame] = rows[frame][i];
            }
            out[i] = combineValues(values, combination, floorSigma, kClip);
        }
    });
}

float meanOf(std::span<const float> values) {
    double sum = 0.0;
    for (const float v : values) {
        sum += static_cast<double>(v);
    }
    return static_cast<float>(sum / static_cast<double>(values.size()));
}

} // namespace

const char* name(Combination combination) {
    switch (combination) {
    case Combination::Mean: return "mean";
    case Combination::Median: return "median";
    case Combination::ClippedMean: return "clipped mean";
    }
    return "";
}

CombinationChoice chooseCombination(int frameCount) {
    if (frameCount < 3) {
        return {
            Combination::Mean,
            fmt::format("{} frame(s): too few to tell an outlier, so the plain mean", frameCount)};
    }
    if (frameCount < 5) {
        return {Combination::Median,
                fmt::format("{} frames: too few to measure a scatter, so the median", frameCount)};
    }
    return {Combination::ClippedMean,
            fmt::format("{} frames: outliers stand out, so they are clipped and the rest averaged",
                        frameCount)};
}

float combineValues(std::span<float> values,
                    Combination combination,
                    double floorSigma,
                    double clip) {
    const auto finite =
        std::partition(values.begin(), values.end(), [](float v) { return std::isfinite(v); });
    std::span<float> kept = values.first(static_cast<std::size_t>(finite - values.begin()));
    if (kept.empty()) {
        return std::numeric_limits<float>::quiet_NaN();
    }
    if (combination == Combination::Mean || kept.size() < 3) {
        return meanOf(kept);
    }
    // The numbers are few: sorting them once gives the median and both tails.
    std::sort(kept.begin(), kept.end());
    const std::size_t n = kept.size();
    const float median = n % 2 == 1 ? kept[n / 2] : 0.5F * (kept[n / 2 - 1] + kept[n / 2]);
    if (combination == Combination::Median) {
        return median;
    }
    // Outliers stand at the ends of the sorted values, so only the ends need a look.
    const float reach = static_cast<float>(clip * floorSigma);
    if (kept.back() - median <= reach && median - kept.front() <= reach) {
        return meanOf(kept);
    }
    std::vector<float> deviations(n);
    for (std::size_t i = 0; i < n; ++i) {
        deviations[i] = std::abs(kept[i] - median);
    }
    const double sigma = std::max(floorSigma, 1.4826 * medianInPlace(std::span(deviations)));
    const float limit = static_cast<float>(clip * sigma);
    const auto first = std::lower_bound(kept.begin(), kept.end(), median - limit);
    const auto last = std::upper_bound(kept.begin(), kept.end(), median + limit);
    return first < last ? meanOf(std::span<const float>(first, last)) : median;
}

Result<frame::Image> combineFiles(std::span<const std::filesystem::path> files,
                                  Combination combination,
                                  const PrepareRows& prepare,
                                  const Job& job) {
    if (files.empty()) {
        return fail(ErrorId::CalibrateNoFrames, "There is nothing to combine.");
    }
    std::vector<frame::FitsReader> readers;
    for (const auto& file : files) {
        auto reader = frame::FitsReader::open(file);
        if (!reader) {
            return fail(reader.error());
        }
        if (!readers.empty() && (reader->width() != readers.front().width() ||
                                 reader->height() != readers.front().height())) {
            return fail(ErrorId::CalibrateSizesDiffer,
                        "This frame has another size than the others of its group; leave it out.",
                        file.string());
        }
        readers.push_back(std::move(*reader));
    }
    const int width = readers.front().width();
    const int height = readers.front().height();
    const std::size_t rowBytes = static_cast<std::size_t>(width) * sizeof(float) * readers.size();
    const int band = std::clamp(static_cast<int>(kBandBytes / rowBytes), 1, height);
    frame::Image result(width, height);
    std::vector<std::vector<float>> rows(readers.size());
    for (int first = 0; first < height; first += band) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        const int count = std::min(band, height - first);
        const std::size_t pixels =
            static_cast<std::size_t>(width) * static_cast<std::size_t>(count);
        for (std::size_t i = 0; i < readers.size(); ++i) {
            rows[i].resize(pixels);
            if (auto read = readers[i].rows(first, rows[i]); !read) {
                return fail(read.error());
            }
            if (prepare) {
                prepare(i, first, rows[i]);
            }
        }
        combineBand(
            rows, pixels, combination, result.pixels().subspan(result.index(0, first), pixels));
    }
    return result;
}

} // namespace pathmark::calibrate

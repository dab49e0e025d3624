#include "core/stack/stack.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/detect/background.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::stack {
namespace {

constexpr double kClip = 4.0;
constexpr std::size_t kBandBytes = 256U << 20U;

struct Weighted {
    float value;
    float weight;
};

struct Combined {
    float value = std::numeric_limits<float>::quiet_NaN();
    float weight = 0.0F;
    int clipped = 0;
};

Combined
combinePixel(std::vector<Weighted>& values, std::vector<float>& scratch, float floorSigma) {
    Combined result;
    if (values.empty()) {
        return result;
    }
    float low = -std::numeric_limits<float>::infinity();
    float high = std::numeric_limits<float>::infinity();
    if (values.size() >= 3) {
        scratch.clear();
        for (const Weighted& v : values) {
            scratch.push_back(v.value);
        }
        const auto median = static_cast<float>(medianInPlace(std::span(scratch)));
        for (float& v : scratch) {
            v = std::abs(v - median);
        }
        const float sigma =
            std::max(floorSigma, 1.4826F * static_cast<float>(medianInPlace(std::span(scratch))));
        const float reach = static_cast<float>(kClip) * sigma;
        low = median - reach;
        high = median + reach;
    }
    float sum = 0.0F;
    for (const Weighted& v : values) {
        if (v.value >= low && v.value <= high) {
            sum += v.weight * v.value;
            result.weight += v.weight;
        } else {
            ++result.clipped;
        }
    }
    if (result.weight > 0.0F) {
        result.value = sum / result.weight;
    }
    return result;
}

/// All frames on one band of the grid, sky taken off and scaled.
Result<std::vector<frame::Image>> resampleBand(std::span<const StackFrame> frames,
                                               std::vector<frame::FitsReader>& readers,
                                               const PixelGrid& grid,
                                               int firstRow,
                                               int rowCount) {
    std::vector<frame::Image> layers(frames.size());
    std::vector<std::optional<Error>> errors(frames.size());
    parallelFor(frames.size(), [&](std::size_t i) {
        auto layer =
            resampleRows(readers[i], frames[i].wcs, grid, frames[i].shift, firstRow, rowCount);
        if (!layer) {
            errors[i] = layer.error();
            return;
        }
        layers[i] = detect::Background(*layer).subtractFrom(*layer);
        const auto scale = static_cast<float>(frames[i].fluxScale);
        for (float& v : layers[i].pixels()) {
            v *= scale;
        }
    });
    for (const auto& error : errors) {
        if (error) {
            return fail(*error);
        }
    }
    return layers;
}

} // namespace

double weightOf(const StackFrame& frame) {
    const double sigma = frame.noise * frame.fluxScale;
    return 1.0 / (sigma * sigma);
}

Utc middleOf(std::span<const StackFrame> frames) {
    PATHMARK_EXPECTS(!frames.empty());
    double sum = 0.0;
    double weights = 0.0;
    for (const StackFrame& frame : frames) {
        sum += weightOf(frame) * frame.middle.secondsSince(frames.front().middle);
        weights += weightOf(frame);
    }
    return frames.front().middle.plusSeconds(sum / weights);
}

Result<Stack> stackFrames(std::span<const StackFrame> frames, const PixelGrid& grid, const Job& job) {
    if (frames.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to stack.");
    }
    std::vector<frame::FitsReader> readers;
    double weights = 0.0;
    for (const StackFrame& frame : frames) {
        auto reader = frame::FitsReader::open(frame.path);
        if (!reader) {
            return fail(reader.error());
        }
        readers.push_back(std::move(*reader));
        weights += weightOf(frame);
    }
    Stack result;
    result.image = frame::Image(grid.width, grid.height);
    result.coverage = frame::Image(grid.width, grid.height);
    result.noise = 1.0 / std::sqrt(weights);
    result.frames = static_cast<int>(frames.size());
    // The clipping must let pass the scatter of one frame, not of the mean.
    const auto floorSigma =
        static_cast<float>(std::sqrt(static_cast<double>(frames.size()) / weights));
    const std::size_t rowBytes =
        frames.size() * static_cast<std::size_t>(grid.width) * sizeof(float);
    const int band =
        std::clamp(static_cast<int>(kBandBytes / rowBytes), 64, std::max(64, grid.height));
    std::size_t clipped = 0;
    std::size_t total = 0;
    for (int first = 0; first < grid.height; first += band) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        const int count = std::min(band, grid.height - first);
        auto layers = resampleBand(frames, readers, grid, first, count);
        if (!layers) {
            return fail(layers.error());
        }
        std::vector<std::pair<std::size_t, std::size_t>> rowCounts(static_cast<std::size_t>(count));
        parallelFor(static_cast<std::size_t>(count), [&](std::size_t row) {
            std::vector<Weighted> values;
            std::vector<float> scratch;
            const int y = static_cast<int>(row);
            for (int x = 0; x < grid.width; ++x) {
                values.clear();
                for (std::size_t i = 0; i < frames.size(); ++i) {
                    const float v = (*layers)[i].at(x, y);
                    if (std::isfinite(v)) {
                        values.push_back({v, static_cast<float>(weightOf(frames[i]) / weights)});
                    }
                }
                const Combined pixel = combinePixel(values, scratch, floorSigma);
                result.image.at(x, first + y) = pixel.value;
                result.coverage.at(x, first + y) = pixel.weight;
                rowCounts[row].first += static_cast<std::size_t>(pixel.clipped);
                rowCounts[row].second += values.size();
            }
        });
        for (const auto& [cut, all] : rowCounts) {
            clipped += cut;
            total += all;
        }
    }
    result.clippedShare =
        total > 0 ? static_cast<double>(clipped) / static_cast<double>(total) : 0.0;
    return result;
}

PixelGrid gridAround(const SkyPos& centre, const frame::Wcs& like, int width, int height) {
    PixelGrid grid;
    grid.width = width;
    grid.height = height;
    grid.wcs.referenceSky = centre;
    grid.wcs.referencePixel = {0.5 * (width - 1), 0.5 * (height - 1)};
    grid.wcs.cd = like.cd;
    return grid;
}

} // namespace pathmark::stack

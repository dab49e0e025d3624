#include "core/stack/stack.h"

#include "core/base/parallel.h"
#include "core/combine/combine.h"
#include "core/detect/background.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::stack {
namespace {

constexpr double kClip = 4.0;
constexpr std::size_t kBandBytes = 256U << 20U;

/// What is combined of one band, and where it goes.
struct BandResult {
    std::span<float> value;
    std::span<float> weight;
    double clipped = 0.0;
    double total = 0.0;
};

/// Clips and averages the layers of a band, a part of its pixels at a time.
void combineBand(const std::vector<frame::Image>& layers,
                 std::span<const float> weights,
                 double floorSigma,
                 BandResult& band) {
    combine::CombineRule rule;
    rule.combination = combine::Combination::SigmaClip;
    rule.clip = kClip;
    rule.byMedianDeviation = true; // a star crosses many frames of a stack on a body
    rule.floorSigma = floorSigma;
    constexpr std::size_t part = 4096;
    const std::size_t pixels = band.value.size();
    const std::size_t parts = (pixels + part - 1) / part;
    std::vector<std::pair<double, double>> counts(parts);
    parallelFor(parts, [&](std::size_t p) {
        const std::size_t first = p * part;
        const std::size_t count = std::min(part, pixels - first);
        std::vector<const float*> rows;
        rows.reserve(layers.size());
        for (const frame::Image& layer : layers) {
            rows.push_back(layer.pixels().data() + first);
        }
        std::vector<float> low(count);
        std::vector<float> high(count);
        combine::combineWeighted(
            rows,
            weights,
            rule,
            {band.value.subspan(first, count), {}, band.weight.subspan(first, count), low, high});
        for (std::size_t i = 0; i < count; ++i) {
            counts[p].first += static_cast<double>(low[i] + high[i]);
        }
        for (const float* row : rows) {
            counts[p].second += static_cast<double>(
                std::count_if(row, row + count, [](float v) { return std::isfinite(v); }));
        }
    });
    for (const auto& [cut, all] : counts) {
        band.clipped += cut;
        band.total += all;
    }
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

Result<Stack>
stackFrames(std::span<const StackFrame> frames, const PixelGrid& grid, const Job& job) {
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
    const double floorSigma = std::sqrt(static_cast<double>(frames.size()) / weights);
    const std::size_t rowBytes =
        frames.size() * static_cast<std::size_t>(grid.width) * sizeof(float);
    const int band =
        std::clamp(static_cast<int>(kBandBytes / rowBytes), 64, std::max(64, grid.height));
    std::vector<float> shares;
    for (const StackFrame& frame : frames) {
        shares.push_back(static_cast<float>(weightOf(frame) / weights));
    }
    double clipped = 0.0;
    double total = 0.0;
    for (int first = 0; first < grid.height; first += band) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        const int count = std::min(band, grid.height - first);
        auto layers = resampleBand(frames, readers, grid, first, count);
        if (!layers) {
            return fail(layers.error());
        }
        const std::size_t start = result.image.index(0, first);
        const auto pixels = static_cast<std::size_t>(grid.width) * static_cast<std::size_t>(count);
        BandResult part{result.image.pixels().subspan(start, pixels),
                        result.coverage.pixels().subspan(start, pixels)};
        combineBand(*layers, shares, floorSigma, part);
        clipped += part.clipped;
        total += part.total;
    }
    result.clippedShare = total > 0.0 ? clipped / total : 0.0;
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

#include "core/stack/stack.h"

#include "core/base/parallel.h"
#include "core/base/try_each.h"
#include "core/frame/fits_file.h"
#include "core/frame/open_frame.h"
#include "core/stack/pixel_kernels.h"
#include "core/stack/sky_levels.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace pathmark::stack {
namespace {

constexpr std::size_t kBandBytes = 256U << 20U;
constexpr int kLeastBand = 16;

/// The images of a stack as far as a tile reaches, or all of them.
struct Layers {
    frame::Image value;
    frame::Image weight;
    frame::Image low;
    frame::Image high;

    Layers(int width, int height)
        : value(width, height), weight(width, height), low(width, height), high(width, height) {}
};

/// A stack in the making.
class Stacking {
  public:
    Stacking(std::span<const StackFrame> frames,
             const PixelGrid& grid,
             const StackOptions& options,
             const Job& job)
        : frames_(frames), grid_(grid), options_(options), job_(job), skies_(frames.size()),
          layers_(frames.size()) {}

    Result<Stack> make();

  private:
    void weigh();
    Result<bool> measureSkies();
    [[nodiscard]] std::vector<Tile> tiles() const;
    Result<bool> resampleAll(const Tile& tile);
    [[nodiscard]] Layers combined(const Tile& tile) const;
    void put(const Layers& part, const Tile& tile);
    void finish();

    /// Runs a piece of work on every frame's file, opened for it alone.
    Result<bool>
    forEachFile(const std::function<Result<bool>(std::size_t, frame::FrameSource&)>& work) const;

    std::span<const StackFrame> frames_;
    const PixelGrid& grid_;
    const StackOptions& options_;
    const Job& job_;
    std::vector<std::optional<SkyLevels>> skies_;
    std::vector<frame::Image> layers_; ///< the frames on the tile in hand
    std::vector<float> weights_;       ///< their sum is 1
    double floorSigma_ = 0.0;
    double clipped_ = 0.0;
    double values_ = 0.0;
    Stack stack_;
};

void Stacking::weigh() {
    double sum = 0.0;
    double largest = 0.0;
    const bool isMedian = options_.rule.combination == combine::Combination::Median;
    for (const StackFrame& frame : frames_) {
        const double weight = isMedian ? 1.0 : weightOf(frame); // a median takes none
        weights_.push_back(static_cast<float>(weight));
        sum += weight;
    }
    stack_.lightVariance = 0.0;
    double variance = 0.0;
    double area = 1.0;
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        weights_[i] /= static_cast<float>(sum);
        const double here = pixelArea(frames_[i].place, grid_);
        area = here > 0.0 ? here : area;
        const double sigma = noiseOnGrid(frames_[i], area);
        const auto w = static_cast<double>(weights_[i]);
        variance += w * w * sigma * sigma;
        stack_.lightVariance += w * w * frames_[i].fluxScale;
        largest += w * sigma * sigma;
    }
    const double factor = combine::varianceFactor(options_.rule, frames_.size());
    stack_.noise = std::sqrt(factor * variance);
    stack_.lightVariance *= factor;
    // Of single pixels, and no lower than what interpolation leaves of it: good values are not to be clipped.
    floorSigma_ = std::sqrt(largest);
    stack_.pixelNoiseFactor =
        options_.resampling.drop > 0.0 ? 1.0 : pixelNoiseFactor(options_.resampling.kernel);
}

Result<bool> Stacking::forEachFile(
    const std::function<Result<bool>(std::size_t, frame::FrameSource&)>& work) const {
    return tryEach(frames_.size(), job_, [&](std::size_t i) {
        auto reader = frame::openFrame(frames_[i].path);
        return reader ? work(i, **reader) : Result<bool>(fail(reader.error()));
    });
}

Result<bool> Stacking::measureSkies() {
    return forEachFile([&](std::size_t i, frame::FrameSource& reader) -> Result<bool> {
        auto sky =
            frames_[i].sky
                ? Result<SkyLevels>(SkyLevels::of(*frames_[i].sky, reader.width(), reader.height()))
                : SkyLevels::measure(reader, frames_[i].protect);
        if (!sky) {
            return fail(sky.error());
        }
        skies_[i] = std::move(*sky);
        return true;
    });
}

/// Bands along the rows of most frames, so that each row is read once.
std::vector<Tile> Stacking::tiles() const {
    std::size_t sideways = 0;
    for (const StackFrame& frame : frames_) {
        sideways += isTurnedSideways(frame.place, grid_) ? 1 : 0;
    }
    const bool columns = 2 * sideways > frames_.size();
    const int length = columns ? grid_.height : grid_.width;
    const int extent = columns ? grid_.width : grid_.height;
    const std::size_t lineBytes = frames_.size() * static_cast<std::size_t>(length) * sizeof(float);
    const int band = std::clamp(
        static_cast<int>(kBandBytes / lineBytes), kLeastBand, std::max(extent, kLeastBand));
    std::vector<Tile> tiles;
    for (int first = 0; first < extent; first += band) {
        const int count = std::min(band, extent - first);
        tiles.push_back(columns ? Tile{first, 0, count, length} : Tile{0, first, length, count});
    }
    return tiles;
}

/// All frames on one tile, sky taken off and scaled.
Result<bool> Stacking::resampleAll(const Tile& tile) {
    return forEachFile([&](std::size_t i, frame::FrameSource& reader) {
        return resampleInto(
            layers_[i],
            reader,
            fromGrid(frames_[i].place, grid_),
            tile,
            options_.resampling,
            {&*skies_[i], frames_[i].leftOut, static_cast<float>(frames_[i].fluxScale)});
    });
}

/// Clips and averages the layers of a tile, a part of its pixels at a time.
Layers Stacking::combined(const Tile& tile) const {
    Layers result(tile.width, tile.height);
    combine::CombineRule rule = options_.rule;
    rule.floorSigma = floorSigma_;
    constexpr std::size_t part = 4096;
    const std::size_t pixels = result.value.pixels().size();
    parallelFor((pixels + part - 1) / part, [&](std::size_t p) {
        const std::size_t first = p * part;
        const std::size_t count = std::min(part, pixels - first);
        std::vector<const float*> rows;
        rows.reserve(layers_.size());
        for (const frame::Image& layer : layers_) {
            rows.push_back(layer.pixels().data() + first);
        }
        combine::combineWeighted(rows,
                                 weights_,
                                 rule,
                                 {result.value.pixels().subspan(first, count),
                                  {},
                                  result.weight.pixels().subspan(first, count),
                                  result.low.pixels().subspan(first, count),
                                  result.high.pixels().subspan(first, count)});
    });
    return result;
}

void Stacking::put(const Layers& part, const Tile& tile) {
    const auto copy = [&](const frame::Image& from, frame::Image& to) {
        if (to.empty()) {
            return;
        }
        for (int y = 0; y < tile.height; ++y) {
            const auto row = from.row(y);
            std::copy(row.begin(), row.end(), &to.at(tile.x, tile.y + y));
        }
    };
    copy(part.value, stack_.image);
    copy(part.weight, stack_.coverage);
    copy(part.low, stack_.clippedLow);
    copy(part.high, stack_.clippedHigh);
    for (std::size_t i = 0; i < part.low.pixels().size(); ++i) {
        clipped_ += static_cast<double>(part.low.pixels()[i] + part.high.pixels()[i]);
    }
    std::vector<std::size_t> counts(layers_.size());
    parallelFor(layers_.size(),
                [&](std::size_t i) { counts[i] = countFinite(layers_[i].pixels()); });
    for (const std::size_t count : counts) {
        values_ += static_cast<double>(count);
    }
}

/// The variance of each pixel: of the sky that its kept frames have, and of the light in it.
void Stacking::finish() {
    const double sky = stack_.noise * stack_.noise;
    const auto image = stack_.image.pixels();
    const auto coverage = stack_.coverage.pixels();
    const auto variance = stack_.variance.pixels();
    for (std::size_t i = 0; i < image.size(); ++i) {
        const auto light = static_cast<double>(std::max(0.0F, image[i]));
        const auto share = static_cast<double>(coverage[i]);
        variance[i] = std::isfinite(image[i]) && share > 0.0
                          ? static_cast<float>((sky + stack_.lightVariance * light) / share)
                          : frame::kNoValue;
    }
    stack_.frames = static_cast<int>(frames_.size());
    stack_.clippedShare = values_ > 0.0 ? clipped_ / values_ : 0.0;
}

Result<Stack> Stacking::make() {
    if (frames_.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to stack.");
    }
    weigh();
    if (auto measured = measureSkies(); !measured) {
        return fail(measured.error());
    }
    for (frame::Image* image : {&stack_.image, &stack_.variance, &stack_.coverage}) {
        *image = frame::Image(grid_.width, grid_.height);
    }
    if (options_.maps) {
        stack_.clippedLow = frame::Image(grid_.width, grid_.height);
        stack_.clippedHigh = frame::Image(grid_.width, grid_.height);
    }
    for (const Tile& tile : tiles()) {
        if (auto resampled = resampleAll(tile); !resampled) {
            return fail(resampled.error());
        }
        put(combined(tile), tile);
    }
    finish();
    return std::move(stack_);
}

} // namespace

StackOptions::StackOptions() {
    rule.combination = combine::Combination::SigmaClip;
    rule.clip = 4.0;
    rule.byMedianDeviation = true; // a star crosses many frames of a stack on a body
    // Two of three values agree by chance: where there is light, photons and the seeing make the third one differ.
    rule.floorLight = 1.0;
    rule.floorShare = 0.1;
}

double noiseOnGrid(const StackFrame& frame, double area) {
    return frame.noise * frame.fluxScale * std::sqrt(area);
}

double weightOf(const StackFrame& frame) {
    const double sigma = frame.noise * frame.fluxScale;
    const double width = frame.fwhm > 0.0 ? frame.fwhm : 1.0;
    return 1.0 / (sigma * sigma * (frame.isDiffuse ? width : width * width));
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

Result<Stack> stackFrames(std::span<const StackFrame> frames,
                          const PixelGrid& grid,
                          const StackOptions& options,
                          const Job& job) {
    return Stacking(frames, grid, options, job).make();
}

Result<bool>
writeStack(const std::filesystem::path& path, const Stack& stack, const frame::Header& header) {
    std::vector<frame::NamedImage> images{{"VARIANCE", &stack.variance},
                                          {"COVERAGE", &stack.coverage}};
    if (!stack.clippedLow.empty()) {
        images.push_back({"CLIPPED_LOW", &stack.clippedLow});
        images.push_back({"CLIPPED_HIGH", &stack.clippedHigh});
    }
    return frame::writeFits(path, stack.image, header, frame::PixelType::Float32, images);
}

} // namespace pathmark::stack

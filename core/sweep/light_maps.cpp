#include "core/sweep/light_maps.h"

#include "core/base/parallel.h"
#include "core/stack/resample.h"
#include "core/stack/resample_kernels.h"
#include "core/sweep/frame_filter.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::sweep {
namespace {

constexpr double kMostSum = 8000.0; ///< of 16 bits, so that single frames have room above
constexpr long kLargest = 32767;
constexpr double kKeptSigma = 250.0;                 ///< of a frame, that a map can hold
constexpr double kUnitsOfOne = 32000.0 / kKeptSigma; ///< of a frame's sigma, before finish()
constexpr double kFullEnough =
    0.9; ///< of the usual information, below which a place counts for less

/// How a frame's sums come to the grid.
struct Sampling {
    const FilteredFrame& sums;
    stack::PixelMap toFrame;
    double lightFactor;  ///< makes sigma of the frame
    double weightFactor; ///< makes units of LightMap::weight
};

void sampleRow(const Sampling& sampling,
               int row,
               std::span<std::int16_t> light,
               std::span<std::uint8_t> weight) {
    const auto y = static_cast<double>(row);
    const frame::Image& information = sampling.sums.information;
    std::array<float, stack::kRun> values{};
    stack::RunEnds ends{sampling.toFrame({0.0, y}), {}};
    for (std::size_t x = 0; x < light.size(); x += stack::kRun, ends[0] = ends[1]) {
        ends[1] = sampling.toFrame({static_cast<double>(x + stack::kRun), y});
        if (!std::isfinite(ends[0].x) || !std::isfinite(ends[1].x)) {
            continue;
        }
        const std::size_t count = std::min<std::size_t>(stack::kRun, light.size() - x);
        stack::interpolateRun(
            stack::Kernel::Cubic, sampling.sums.light, ends, 1.0F, std::span(values).first(count));
        for (std::size_t k = 0; k < count; ++k) {
            const double t = static_cast<double>(k) / stack::kRun;
            const auto fx = std::lround(ends[0].x + t * (ends[1].x - ends[0].x));
            const auto fy = std::lround(ends[0].y + t * (ends[1].y - ends[0].y));
            if (!std::isfinite(values[k]) ||
                !information.contains(static_cast<int>(fx), static_cast<int>(fy))) {
                continue;
            }
            const double there =
                sampling.weightFactor *
                static_cast<double>(information.at(static_cast<int>(fx), static_cast<int>(fy)));
            // Where little is known of a place, little may come from it.
            const double share = there / kFullWeight;
            const double most = share < kFullEnough ? kMostSigma * std::sqrt(share) : kKeptSigma;
            const double sigma = sampling.lightFactor * static_cast<double>(values[k]);
            light[x + k] = static_cast<std::int16_t>(
                std::lround(kUnitsOfOne * std::clamp(sigma, -most, most)));
            weight[x + k] = static_cast<std::uint8_t>(std::lround(std::min(255.0, there)));
        }
    }
}

} // namespace

LightMaps::LightMaps(stack::PixelGrid grid, std::vector<SweepFrame> frames)
    : grid_(std::move(grid)), frames_(std::move(frames)), maps_(frames_.size()),
      usual_(frames_.size()) {
    PATHMARK_EXPECTS(frames_.size() >= 2);
    const Utc& first = frames_.front().middle;
    const double span = frames_.back().middle.secondsSince(first);
    PATHMARK_EXPECTS(span > 0.0);
    unitSeconds_ = 0.5 * span;
    origin_ = first.plusSeconds(unitSeconds_);
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        times_.push_back(frames_[i].middle.secondsSince(origin_) / unitSeconds_);
        // Until it is known what each tells, all are alike.
        maps_[i].share = 1.0 / static_cast<double>(frames_.size());
        maps_[i].fwhm =
            frames_[i].fwhmPixels * frames_[i].wcs.scaleArcsec() / grid_.wcs.scaleArcsec();
    }
}

void LightMaps::take(std::size_t i, const FramePixels& pixels) {
    const SweepFrame& frame = frames_[i];
    LightMap& map = maps_[i];
    const FilteredFrame sums = filterFrame(pixels, frame.fwhmPixels, frame.beta);
    const double usual = sums.usual;
    const auto count =
        static_cast<std::size_t>(grid_.width) * static_cast<std::size_t>(grid_.height);
    map.light.assign(count, folder_);
    map.weight.assign(count, folder_);
    if (!(usual > 0.0)) {
        return;
    }
    // With the noise that was found, in electrons of the reference.
    const double scatter = sums.scatter;
    const double noise = scatter * scatter;
    usual_[i] = usual / (frame.fluxScale * frame.fluxScale * noise);
    const Sampling sampling{sums,
                            stack::fromGrid({frame.wcs, {}}, grid_),
                            1.0 / (scatter * std::sqrt(usual)),
                            kFullWeight / usual};
    parallelFor(static_cast<std::size_t>(grid_.height), [&](std::size_t row) {
        const auto width = static_cast<std::size_t>(grid_.width);
        sampleRow(sampling,
                  static_cast<int>(row),
                  map.light.span().subspan(row * width, width),
                  map.weight.span().subspan(row * width, width));
    });
}

/// From sigma of each frame to sigma of their sum.
void LightMaps::finish() {
    double roots = 0.0;
    for (const double usual : usual_) {
        information_ += usual;
        roots += std::sqrt(usual);
    }
    PATHMARK_EXPECTS(information_ > 0.0);
    units_ = kMostSum / (kMostSigma * roots / std::sqrt(information_));
    for (std::size_t i = 0; i < maps_.size(); ++i) {
        LightMap& map = maps_[i];
        map.share = usual_[i] / information_;
        const double sigma = units_ * std::sqrt(map.share);
        const double factor = sigma / kUnitsOfOne;
        map.most = static_cast<std::int16_t>(kMostSigma * sigma);
        for (std::int16_t& value : map.light) {
            value = static_cast<std::int16_t>(
                std::clamp(std::lround(factor * value), -kLargest, kLargest));
        }
    }
}

std::vector<Slot> LightMaps::asTheyAre() const {
    std::vector<Slot> slots;
    for (std::size_t i = 0; i < maps_.size(); ++i) {
        slots.push_back({i, 0, 0});
    }
    return slots;
}

void LightMaps::blank(std::size_t i, frame::PixelPos centre, double radius) {
    LightMap& map = maps_[i];
    const int bottom = std::max(0, static_cast<int>(std::ceil(centre.y - radius)));
    const int top = std::min(grid_.height - 1, static_cast<int>(std::floor(centre.y + radius)));
    for (int y = bottom; y <= top; ++y) {
        const double half = std::sqrt(radius * radius - (y - centre.y) * (y - centre.y));
        const int left = std::max(0, static_cast<int>(std::ceil(centre.x - half)));
        const int right = std::min(grid_.width - 1, static_cast<int>(std::floor(centre.x + half)));
        for (int x = left; x <= right; ++x) {
            const auto k = static_cast<std::size_t>(y) * static_cast<std::size_t>(grid_.width) +
                           static_cast<std::size_t>(x);
            map.light[k] = 0;
            map.weight[k] = 0;
        }
    }
}

} // namespace pathmark::sweep

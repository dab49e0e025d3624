#include "core/sweep/standing_light.h"

#include "core/base/parallel.h"
#include "core/stack/cell_mask.h"
#include "core/stack/time_groups.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::sweep {
namespace {

constexpr std::size_t kBlock = 8;      ///< frames that follow each other, at least
constexpr double kBeyond = 2.5;        ///< sigma of a median
constexpr double kMedianNoise = 1.25;  ///< of a median over that of a mean
constexpr double kLarger = 5.0;        ///< times a point as high
constexpr double kAlways = 12.0;       ///< squares of a star's width that no point is as large as
constexpr double kFilteredSigma = 0.6; ///< of a star's width: sigma of a point under its own filter

/// The frames in blocks that follow each other.
std::vector<std::vector<std::size_t>> blocksOf(const LightMaps& maps) {
    std::vector<Utc> times;
    times.reserve(maps.frames().size());
    for (const SweepFrame& frame : maps.frames()) {
        times.push_back(frame.middle);
    }
    return stack::splitInTime(times, static_cast<int>(times.size() / kBlock));
}

/// What one block shows, place by place: the median in sigmas of a frame.
std::vector<float> mediansOf(const LightMaps& maps, const std::vector<std::size_t>& block) {
    const auto width = static_cast<std::size_t>(maps.grid().width);
    std::vector<float> medians(width * static_cast<std::size_t>(maps.grid().height));
    parallelFor(static_cast<std::size_t>(maps.grid().height), [&](std::size_t row) {
        std::vector<float> values(block.size());
        for (std::size_t k = row * width; k < (row + 1) * width; ++k) {
            std::size_t count = 0;
            for (const std::size_t i : block) {
                const LightMap& map = maps.map(i);
                if (map.weight[k] > 0 && map.share > 0.0) {
                    const double unit =
                        maps.units() * std::sqrt(map.share * map.weight[k] / kFullWeight);
                    values[count++] = static_cast<float>(map.light[k] / unit);
                }
            }
            if (2 * count > block.size()) {
                const auto middle = values.begin() + static_cast<std::ptrdiff_t>(count / 2);
                std::nth_element(
                    values.begin(), middle, values.begin() + static_cast<std::ptrdiff_t>(count));
                medians[k] = *middle;
            }
        }
    });
    return medians;
}

/// Calls use(places, highest) for all connected places beyond a limit, one sign at a time.
template <class F>
void forEachRegion(
    const std::vector<float>& values, int width, int height, float limit, const F& use) {
    stack::CellMask seen{width, height, std::vector<bool>(values.size(), false)};
    for (std::size_t from = 0; from < values.size(); ++from) {
        if (seen.marked[from] || !(std::abs(values[from]) > limit)) {
            continue;
        }
        float highest = 0.0F;
        std::vector<std::size_t> places{from};
        seen.marked[from] = true;
        for (std::size_t next = 0; next < places.size(); ++next) {
            const std::size_t here = places[next];
            highest = std::max(highest, std::abs(values[here]));
            const auto y = static_cast<int>(here / static_cast<std::size_t>(width));
            const auto x = static_cast<int>(here % static_cast<std::size_t>(width));
            seen.forAround(x, y, [&](int u, int v) {
                const std::size_t k = seen.index(u, v);
                const bool isAlike = (values[k] > 0.0F) == (values[from] > 0.0F);
                if (!seen.marked[k] && isAlike && std::abs(values[k]) > limit) {
                    seen.marked[k] = true;
                    places.push_back(k);
                }
            });
        }
        use(places, static_cast<double>(highest));
    }
}

} // namespace

double leaveOutStanding(LightMaps& maps) {
    const auto width = static_cast<std::size_t>(maps.grid().width);
    std::size_t taken = 0;
    for (const auto& block : blocksOf(maps)) {
        if (block.size() < kBlock) {
            continue;
        }
        const double limit = kBeyond * kMedianNoise / std::sqrt(static_cast<double>(block.size()));
        const double fwhm = maps.map(block.front()).fwhm;
        const double sigma = kFilteredSigma * fwhm;
        const auto medians = mediansOf(maps, block);
        const auto leaveOut = [&](const std::vector<std::size_t>& places, double highest) {
            const double ofPoint =
                2.0 * std::numbers::pi * sigma * sigma * std::log(std::max(1.0, highest / limit));
            if (static_cast<double>(places.size()) <
                std::max(kAlways * fwhm * fwhm, kLarger * ofPoint)) {
                return;
            }
            taken += places.size();
            for (const std::size_t k : places) {
                const std::size_t row = k / width;
                const frame::PixelPos at{static_cast<double>(k - row * width),
                                         static_cast<double>(row)};
                for (const std::size_t i : block) {
                    maps.blank(i, at, fwhm);
                }
            }
        };
        forEachRegion(
            medians, maps.grid().width, maps.grid().height, static_cast<float>(limit), leaveOut);
    }
    return static_cast<double>(taken) /
           static_cast<double>(width * static_cast<std::size_t>(maps.grid().height));
}

} // namespace pathmark::sweep

#include "core/calibrate/defects.h"

#include "core/base/expects.h"
#include "core/base/parallel.h"
#include "core/base/robust.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>

namespace pathmark::calibrate {
namespace {

constexpr std::size_t kSampled = 11; ///< every such pixel tells what is usual

void mark(DefectMap& map, std::size_t i, Defect defect, int& counter) {
    if (map.pixels[i] == Defect::None) {
        map.pixels[i] = defect;
        ++counter;
    }
}

void markDark(DefectMap& map, const Master& dark, const frame::NoiseModel& noise) {
    const double median = sampledMedian(dark.image.pixels(), kSampled);
    const double read = noise.readNoiseElectrons > 0.0 ? noise.readNoiseElectrons : 5.0;
    // Nine times the variance of read noise and a faint sky of the same size.
    const auto limit = static_cast<float>(median + 9.0 * 2.0 * read * read / noise.electronsPerAdu);
    const auto pixels = dark.image.pixels();
    for (std::size_t i = 0; i < pixels.size(); ++i) {
        if (pixels[i] > limit || !std::isfinite(pixels[i])) {
            mark(map, i, Defect::Hot, map.hot);
        }
    }
    if (dark.variance.empty() || dark.frameCount < 5) {
        return;
    }
    const double usual = sampledMedian(dark.variance.pixels(), kSampled);
    const auto variance = dark.variance.pixels();
    for (std::size_t i = 0; i < variance.size(); ++i) {
        const double current = std::max(0.0, static_cast<double>(pixels[i]) - median);
        const double expected = usual + current / (noise.electronsPerAdu * dark.frameCount);
        if (static_cast<double>(variance[i]) > 12.0 * expected && expected > 0.0) {
            mark(map, i, Defect::Unstable, map.unstable);
        }
    }
}

void markFlat(DefectMap& map, const frame::Image& flat) {
    std::vector<std::vector<std::size_t>> found(static_cast<std::size_t>(flat.height()));
    parallelFor(found.size(), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < flat.width(); ++x) {
            const float v = flat.at(x, y);
            if (std::isfinite(v) && v > 0.75F) {
                continue; // far above what its neighbours' median times 0.6 can be in all but odd places
            }
            std::vector<float> around;
            for (int j = std::max(0, y - 2); j <= std::min(flat.height() - 1, y + 2); ++j) {
                for (int i = std::max(0, x - 2); i <= std::min(flat.width() - 1, x + 2); ++i) {
                    if (std::isfinite(flat.at(i, j))) {
                        around.push_back(flat.at(i, j));
                    }
                }
            }
            const double median = around.empty() ? 0.0 : medianInPlace(std::span(around));
            if (!(static_cast<double>(v) > 0.6 * median)) {
                found[row].push_back(flat.index(x, y));
            }
        }
    });
    for (const auto& row : found) {
        for (const std::size_t i : row) {
            mark(map, i, Defect::Dead, map.dead);
        }
    }
}

void markColumns(DefectMap& map, int width, int height) {
    for (int x = 0; x < width; ++x) {
        int bad = 0;
        for (int y = 0; y < height; ++y) {
            bad += map.pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                              static_cast<std::size_t>(x)] != Defect::None
                       ? 1
                       : 0;
        }
        if (4 * bad < height || height < 16) {
            continue;
        }
        ++map.columns;
        for (int y = 0; y < height; ++y) {
            map.pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                       static_cast<std::size_t>(x)] = Defect::Column;
        }
    }
}

/// Takes its level off each row, of even and odd columns by themselves: they may be of two colours.
void levelRows(std::span<float> pixels, std::size_t width) {
    std::vector<float> values;
    for (std::size_t start = 0; start + width <= pixels.size(); start += width) {
        for (std::size_t first = 0; first < std::min<std::size_t>(2, width); ++first) {
            values.clear();
            for (std::size_t x = first; x < width; x += 2) {
                values.push_back(pixels[start + x]);
            }
            const auto level = static_cast<float>(medianInPlace(std::span(values)));
            for (std::size_t x = first; x < width; x += 2) {
                pixels[start + x] -= level;
            }
        }
    }
}

/// What stands still on the detector: the median of a series of lights, its rows levelled. Where the mount followed well that is
/// stars too, and a comet always.
class FixedLight {
  public:
    explicit FixedLight(const frame::Image& median) : median_(median) {
        std::vector<float> sample;
        for (std::size_t i = 0; i < median.pixels().size(); i += 7) {
            const auto [y, x] = std::div(static_cast<long>(i), static_cast<long>(median.width()));
            sample.push_back(static_cast<float>(overRow(static_cast<int>(x), static_cast<int>(y))));
        }
        moments_ = clippedMoments(sample);
    }

    /// Sigma over the second neighbours in the row (of the same colour, where there are colours).
    [[nodiscard]] double excess(int x, int y) const {
        return (overRow(x, y) - moments_.centre) / moments_.sigma;
    }

    /// No image of a star of 1.5 pixels and more falls to a seventh in one pixel, on both sides of a pixel; a hot pixel does
    /// in some direction, even beside another.
    [[nodiscard]] bool isSharperThanAStar(int x, int y) const {
        constexpr double least = 0.5 * 0.29; // half of exp(-4 ln 2 / 1.5^2)
        const double ground = groundAround(x, y);
        const double top = at(x, y) - ground;
        const auto isLow = [&](int dx, int dy) {
            return 0.5 * (at(x - dx, y - dy) + at(x + dx, y + dy)) - ground < least * top;
        };
        return (isLow(1, 0) && isLow(2, 0)) || (isLow(0, 1) && isLow(0, 2));
    }

    /// Beside a star, or between two, some neighbour is darker still.
    [[nodiscard]] bool isDarkerThanAllAround(int x, int y) const {
        const double limit = at(x, y) + 5.0 * moments_.sigma;
        for (const int step : {-2, -1, 1, 2}) {
            if (!(at(x + step, y) > limit && at(x, y + step) > limit)) {
                return false;
            }
        }
        return true;
    }

  private:
    /// A pixel; beyond the edge that as far within.
    [[nodiscard]] double at(int x, int y) const {
        const auto inside = [](int i, int size) {
            const int back = i < 0 ? -i : i >= size ? 2 * (size - 1) - i : i;
            return std::clamp(back, 0, size - 1);
        };
        return static_cast<double>(
            median_.at(inside(x, median_.width()), inside(y, median_.height())));
    }

    [[nodiscard]] double overRow(int x, int y) const {
        return at(x, y) - 0.5 * (at(x - 2, y) + at(x + 2, y));
    }

    /// The lower quartile of pixels of the same colour four away: too low a ground only costs faint defects.
    [[nodiscard]] double groundAround(int x, int y) const {
        std::array<double, 8> ring{at(x - 4, y - 4),
                                   at(x, y - 4),
                                   at(x + 4, y - 4),
                                   at(x - 4, y),
                                   at(x + 4, y),
                                   at(x - 4, y + 4),
                                   at(x, y + 4),
                                   at(x + 4, y + 4)};
        std::nth_element(ring.begin(), ring.begin() + 2, ring.end());
        return ring[2];
    }

    const frame::Image& median_;
    RobustMoments moments_;
};

} // namespace

int DefectMap::count() const {
    return static_cast<int>(
        std::count_if(pixels.begin(), pixels.end(), [](Defect d) { return d != Defect::None; }));
}

void DefectMap::add(const DefectMap& other) {
    if (pixels.empty()) {
        *this = other;
        return;
    }
    PATHMARK_EXPECTS(pixels.size() == other.pixels.size());
    int inColumns = 0;
    for (std::size_t i = 0; i < pixels.size(); ++i) {
        switch (other.pixels[i]) {
        case Defect::None: break;
        case Defect::Hot: mark(*this, i, Defect::Hot, hot); break;
        case Defect::Unstable: mark(*this, i, Defect::Unstable, unstable); break;
        case Defect::Dead: mark(*this, i, Defect::Dead, dead); break;
        case Defect::Column: mark(*this, i, Defect::Column, inColumns); break;
        }
    }
    columns += inColumns > 0 ? other.columns : 0;
}

std::string DefectMap::words() const {
    return fmt::format(
        "{} hot, {} unstable, {} dead pixels, {} columns", hot, unstable, dead, columns);
}

DefectMap findDefects(const Master* dark, const Master* flat, const frame::NoiseModel& noise) {
    DefectMap map;
    const Master* any = dark != nullptr ? dark : flat;
    if (any == nullptr) {
        return map;
    }
    map.pixels.assign(any->image.pixels().size(), Defect::None);
    if (dark != nullptr) {
        markDark(map, *dark, noise);
    }
    if (flat != nullptr && flat->image.pixels().size() == map.pixels.size()) {
        markFlat(map, flat->image);
    }
    markColumns(map, any->image.width(), any->image.height());
    return map;
}

Result<DefectMap> findDefectsInLights(const FrameGroup& lights, const Job& job) {
    std::vector<std::filesystem::path> paths;
    for (const auto& info : lights.frames) {
        paths.push_back(info.path);
    }
    const auto width = static_cast<std::size_t>(lights.example.width);
    combine::CombineRule rule;
    rule.combination = combine::Combination::Median;
    auto combined = combine::combineFiles(
        paths,
        rule,
        [width](std::size_t, std::size_t, std::span<float> pixels) { levelRows(pixels, width); },
        job);
    if (!combined) {
        return fail(combined.error());
    }
    const FixedLight fixed(combined->value);
    DefectMap map;
    map.pixels.assign(combined->value.pixels().size(), Defect::None);
    for (int y = 0; y < combined->value.height(); ++y) {
        for (int x = 0; x < combined->value.width(); ++x) {
            const std::size_t i = combined->value.index(x, y);
            const double excess = fixed.excess(x, y);
            if (excess > 10.0 && fixed.isSharperThanAStar(x, y)) {
                mark(map, i, Defect::Hot, map.hot);
            } else if (excess < -10.0 && fixed.isDarkerThanAllAround(x, y)) {
                mark(map, i, Defect::Dead, map.dead);
            }
        }
    }
    markColumns(map, combined->value.width(), combined->value.height());
    return map;
}

} // namespace pathmark::calibrate

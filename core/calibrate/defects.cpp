#include "core/calibrate/defects.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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

} // namespace

int DefectMap::count() const {
    return static_cast<int>(
        std::count_if(pixels.begin(), pixels.end(), [](Defect d) { return d != Defect::None; }));
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
    // What a pixel has over the second neighbours in its row (of the same colour, where there are colours).
    const auto standOut = [&](std::size_t, std::size_t, std::span<float> pixels) {
        std::vector<float> row(width);
        for (std::size_t start = 0; start < pixels.size(); start += width) {
            std::copy(pixels.begin() + static_cast<std::ptrdiff_t>(start),
                      pixels.begin() + static_cast<std::ptrdiff_t>(start + width),
                      row.begin());
            for (std::size_t x = 0; x < width; ++x) {
                const float left = row[x >= 2 ? x - 2 : x + 2];
                const float right = row[x + 2 < width ? x + 2 : x - 2];
                pixels[start + x] = row[x] - 0.5F * (left + right);
            }
        }
    };
    combine::CombineRule rule;
    rule.combination = combine::Combination::Median;
    auto combined = combine::combineFiles(paths, rule, standOut, job);
    if (!combined) {
        return fail(combined.error());
    }
    std::vector<float> sample;
    for (std::size_t i = 0; i < combined->value.pixels().size(); i += 7) {
        sample.push_back(combined->value.pixels()[i]);
    }
    const RobustMoments moments = clippedMoments(sample);
    DefectMap map;
    map.pixels.assign(combined->value.pixels().size(), Defect::None);
    const auto values = combined->value.pixels();
    for (std::size_t i = 0; i < values.size(); ++i) {
        const double excess = (static_cast<double>(values[i]) - moments.centre) / moments.sigma;
        // A neighbour of a hot pixel shows half of it with the other sign: the limit is above that of most.
        if (excess > 10.0) {
            mark(map, i, Defect::Hot, map.hot);
        } else if (excess < -10.0 && !(i >= 2 && values[i - 2] > -values[i]) &&
                   !(i + 2 < values.size() && values[i + 2] > -values[i])) {
            mark(map, i, Defect::Dead, map.dead);
        }
    }
    markColumns(map, combined->value.width(), combined->value.height());
    return map;
}

} // namespace pathmark::calibrate

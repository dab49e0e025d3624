#include "core/calibrate/sky_flat.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/frame/open_frame.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::calibrate {
namespace {

constexpr std::size_t kFewestLights = 5;
constexpr int kGrow = 5; ///< pixels around a source that its wings may reach

/// What is known of one light's sky before it is combined.
struct Sky {
    std::vector<float> level; ///< on the grid of boxes
    float typical = 1.0F;     ///< the frame's median
    float scatter = 1.0F;     ///< of a pixel
};

/// The sky's grid: boxes of one side over the frame.
struct BoxGrid {
    int side = 32;
    int columns = 1;
    int rows = 1;

    BoxGrid(int width, int height)
        : side(std::max(32, std::max(width, height) / 24)), columns(std::max(1, width / side)),
          rows(std::max(1, height / side)) {}

    [[nodiscard]] std::size_t boxAt(int x, int y) const {
        const int column = std::min(x / side, columns - 1);
        const int row = std::min(y / side, rows - 1);
        return static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) +
               static_cast<std::size_t>(column);
    }
};

Result<Sky>
measureSky(const std::filesystem::path& path, const Master* pedestal, const BoxGrid& grid) {
    auto loaded = frame::readFrame(path);
    if (!loaded) {
        return fail(loaded.error());
    }
    frame::Image& image = loaded->image;
    if (pedestal != nullptr) {
        PATHMARK_EXPECTS(pedestal->image.pixels().size() == image.pixels().size());
        const auto under = pedestal->image.pixels();
        auto pixels = image.pixels();
        std::transform(pixels.begin(), pixels.end(), under.begin(), pixels.begin(), std::minus<>());
    }
    Sky sky;
    const auto boxes = static_cast<std::size_t>(grid.columns) * static_cast<std::size_t>(grid.rows);
    sky.level.resize(boxes);
    std::vector<double> scatters(boxes);
    std::vector<double> levels(boxes);
    for (std::size_t box = 0; box < boxes; ++box) {
        const int x0 = static_cast<int>(box) % grid.columns * grid.side;
        const int y0 = static_cast<int>(box) / grid.columns * grid.side;
        std::vector<float> values;
        for (int y = y0; y < std::min(y0 + grid.side, image.height()); ++y) {
            for (int x = x0; x < std::min(x0 + grid.side, image.width()); ++x) {
                values.push_back(image.at(x, y));
            }
        }
        const RobustMoments moments = clippedMoments(values, 2.5);
        sky.level[box] = static_cast<float>(moments.centre);
        levels[box] = moments.centre;
        scatters[box] = moments.sigma;
    }
    sky.typical = static_cast<float>(medianInPlace(std::span(levels)));
    sky.scatter = static_cast<float>(medianInPlace(std::span(scatters)));
    return sky;
}

/// Masks sources and protected discs in some rows of one light and brings the sky to 1.
class Masker {
  public:
    Masker(const BoxGrid& grid, int width) : grid_(grid), width_(width) {}

    void operator()(const Sky& sky,
                    std::span<const ProtectedDisc> discs,
                    int firstRow,
                    std::span<float> pixels) const {
        const int rows = static_cast<int>(pixels.size()) / width_;
        std::vector<char> masked(pixels.size(), 0);
        for (int r = 0; r < rows; ++r) {
            for (int x = 0; x < width_; ++x) {
                const float v = pixels[index(x, r)];
                const float over = v - sky.level[grid_.boxAt(x, firstRow + r)];
                // A source is two neighbours above the sky; one alone is noise or a hit, which the clip takes.
                if (over > 3.0F * sky.scatter && x + 1 < width_ &&
                    pixels[index(x + 1, r)] - sky.level[grid_.boxAt(x, firstRow + r)] >
                        2.0F * sky.scatter) {
                    markAround(masked, x, r, rows, over > 30.0F * sky.scatter ? 3 * kGrow : kGrow);
                }
            }
        }
        for (const ProtectedDisc& disc : discs) {
            markDisc(masked, disc, firstRow, rows);
        }
        const float scale = 1.0F / sky.typical;
        for (std::size_t i = 0; i < pixels.size(); ++i) {
            pixels[i] = masked[i] != 0 ? frame::kNoValue : pixels[i] * scale;
        }
    }

  private:
    [[nodiscard]] std::size_t index(int x, int row) const {
        return static_cast<std::size_t>(row) * static_cast<std::size_t>(width_) +
               static_cast<std::size_t>(x);
    }

    void markAround(std::vector<char>& masked, int x, int row, int rows, int grow) const {
        for (int r = std::max(0, row - grow); r <= std::min(rows - 1, row + grow); ++r) {
            const int from = std::max(0, x - grow);
            const int to = std::min(width_ - 1, x + grow);
            std::fill(masked.begin() + static_cast<std::ptrdiff_t>(index(from, r)),
                      masked.begin() + static_cast<std::ptrdiff_t>(index(to, r)) + 1,
                      char{1});
        }
    }

    void
    markDisc(std::vector<char>& masked, const ProtectedDisc& disc, int firstRow, int rows) const {
        for (int r = 0; r < rows; ++r) {
            const double dy = firstRow + r - disc.centre.y;
            if (std::abs(dy) > disc.radius) {
                continue;
            }
            const double half = std::sqrt(disc.radius * disc.radius - dy * dy);
            const int from = std::max(0, static_cast<int>(std::ceil(disc.centre.x - half)));
            const int to = std::min(width_ - 1, static_cast<int>(std::floor(disc.centre.x + half)));
            for (int x = from; x <= to; ++x) {
                masked[index(x, r)] = 1;
            }
        }
    }

    const BoxGrid& grid_;
    int width_;
};

/// Mean over a square of 2 r + 1 pixels, NaN passed over; sums of a sum, so that its width costs nothing.
frame::Image boxMean(const frame::Image& image, int r) {
    const int width = image.width();
    const int height = image.height();
    std::vector<double> sums(image.pixels().size());
    std::vector<double> counts(image.pixels().size());
    parallelFor(static_cast<std::size_t>(height), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        double sum = 0.0;
        double count = 0.0;
        const auto add = [&](int x, double sign) {
            const float v = x >= 0 && x < width ? image.at(x, y) : frame::kNoValue;
            if (std::isfinite(v)) {
                sum += sign * static_cast<double>(v);
                count += sign;
            }
        };
        for (int x = -r; x < r; ++x) {
            add(x, 1.0);
        }
        for (int x = 0; x < width; ++x) {
            add(x + r, 1.0);
            sums[image.index(x, y)] = sum;
            counts[image.index(x, y)] = count;
            add(x - r, -1.0);
        }
    });
    frame::Image result(width, height);
    parallelFor(static_cast<std::size_t>(width), [&](std::size_t column) {
        const int x = static_cast<int>(column);
        double sum = 0.0;
        double count = 0.0;
        const auto add = [&](int y, double sign) {
            if (y >= 0 && y < height) {
                sum += sign * sums[image.index(x, y)];
                count += sign * counts[image.index(x, y)];
            }
        };
        for (int y = -r; y < r; ++y) {
            add(y, 1.0);
        }
        for (int y = 0; y < height; ++y) {
            add(y + r, 1.0);
            result.at(x, y) = count > 0.5 ? static_cast<float>(sum / count) : frame::kNoValue;
            add(y - r, -1.0);
        }
    });
    return result;
}

/// Where every light had a source or a protected disc: from a smooth surface through the rest; 1 where even that
/// cannot be made.
void fillUnknown(frame::Image& flat) {
    if (std::none_of(
            flat.pixels().begin(), flat.pixels().end(), [](float v) { return std::isnan(v); })) {
        return;
    }
    SurfaceOptions options;
    options.degree = 4;
    auto samples = sampleSurface(flat, options);
    const auto surface = fitSurface(samples, flat.width(), flat.height(), options);
    const frame::Image shape =
        surface ? surface->image() : frame::Image(flat.width(), flat.height(), 1.0F);
    auto pixels = flat.pixels();
    for (std::size_t i = 0; i < pixels.size(); ++i) {
        pixels[i] = std::isnan(pixels[i]) ? shape.pixels()[i] : pixels[i];
    }
}

} // namespace

Result<Master> buildSkyFlat(const FrameGroup& lights,
                            const Master* pedestal,
                            const SkyFlatOptions& options,
                            const Job& job) {
    if (lights.frames.size() < kFewestLights) {
        return fail(
            ErrorId::CalibrateNoFrames,
            fmt::format("A flat from the sky needs {} dithered lights or more.", kFewestLights),
            lights.title());
    }
    const BoxGrid grid(lights.example.width, lights.example.height);
    std::vector<std::filesystem::path> paths;
    std::vector<Sky> skies;
    for (const auto& info : lights.frames) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        auto sky = measureSky(info.path, pedestal, grid);
        if (!sky) {
            return fail(sky.error());
        }
        if (sky->typical < 20.0F) {
            return fail(ErrorId::CalibrateNoFrames,
                        "The sky is too faint to make a flat of; take flats.",
                        info.path.string());
        }
        paths.push_back(info.path);
        skies.push_back(std::move(*sky));
    }
    const Masker masker(grid, lights.example.width);
    const auto prepare = [&](std::size_t index, std::size_t firstPixel, std::span<float> pixels) {
        if (pedestal != nullptr) {
            const auto under = pedestal->image.pixels().subspan(firstPixel, pixels.size());
            std::transform(
                pixels.begin(), pixels.end(), under.begin(), pixels.begin(), std::minus<>());
        }
        const std::span<const ProtectedDisc> discs =
            index < options.protect.size() ? std::span<const ProtectedDisc>(options.protect[index])
                                           : std::span<const ProtectedDisc>();
        masker(skies[index],
               discs,
               static_cast<int>(firstPixel / static_cast<std::size_t>(lights.example.width)),
               pixels);
    };
    combine::CombineRule rule;
    rule.combination = options.master.combination.value_or(combine::Combination::SigmaClip);
    rule.clip = 3.0;
    auto combined = combine::combineFiles(paths, rule, prepare, job);
    if (!combined) {
        return fail(combined.error());
    }
    const double noise = std::sqrt(sampledMedian(combined->variance.pixels(), 7));
    const int radius =
        std::clamp(static_cast<int>(std::ceil(0.5 * (noise / options.wantedNoise - 1.0))), 0, 25);
    Master flat;
    flat.example = lights.example;
    flat.example.kind = frame::FrameKind::Flat;
    flat.frameCount = static_cast<int>(paths.size());
    flat.how =
        fmt::format("sky of {} dithered lights, sources masked, {}, smoothed over {} x {} pixels",
                    paths.size(),
                    name(rule.combination),
                    2 * radius + 1,
                    2 * radius + 1);
    flat.image = radius > 0 ? boxMean(combined->value, radius) : std::move(combined->value);
    const auto area = static_cast<float>((2 * radius + 1) * (2 * radius + 1));
    flat.variance = std::move(combined->variance);
    for (float& v : flat.variance.pixels()) {
        v = std::isfinite(v) ? v / area : static_cast<float>(noise * noise);
    }
    const auto median = static_cast<float>(sampledMedian(flat.image.pixels(), 1));
    for (float& v : flat.image.pixels()) {
        v = std::isfinite(v) && v > 0.05F * median ? v / median : frame::kNoValue;
    }
    fillUnknown(flat.image);
    return flat;
}

} // namespace pathmark::calibrate

#include "core/night/frame_picture.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/calibrate/colour_planes.h"
#include "core/frame/open_frame.h"
#include "core/stack/stack.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::night {

stack::PixelGrid viewGrid(const LightRecord& light) {
    return stack::gridAround(light.skyMiddle(), *light.wcs, light.width, light.height);
}

namespace {

/// A light's values on a grid through its solution, each pixel the nearest of the frame.
frame::Image
ontoGrid(const frame::Image& source, const LightRecord& light, const stack::PixelGrid& grid) {
    constexpr int step = 32;
    constexpr float nan = std::numeric_limits<float>::quiet_NaN();
    frame::Image result(grid.width, grid.height, nan);
    const auto sourceWidth = static_cast<float>(source.width());
    const auto sourceHeight = static_cast<float>(source.height());
    const auto bands = static_cast<std::size_t>((grid.height + step - 1) / step);
    parallelFor(bands, [&](std::size_t band) {
        const int y0 = static_cast<int>(band) * step;
        const int y1 = std::min(grid.height, y0 + step);
        for (int x0 = 0; x0 < grid.width; x0 += step) {
            const int x1 = std::min(grid.width, x0 + step);
            // Linear inside a tile of 32 pixels: a few hundredths of a pixel, less than is shown.
            const auto corner = [&](int x, int y) {
                return light.wcs
                    ->toPixel(grid.wcs.toSky({static_cast<double>(x), static_cast<double>(y)}))
                    .value_or(frame::PixelPos{-1e6, -1e6});
            };
            const auto a = corner(x0, y0);
            const auto b = corner(x0 + step, y0);
            const auto c = corner(x0, y0 + step);
            const auto stepX = static_cast<float>((b.x - a.x) / step);
            const auto stepY = static_cast<float>((b.y - a.y) / step);
            for (int y = y0; y < y1; ++y) {
                const double ty = static_cast<double>(y - y0) / step;
                // Half a pixel more, so that cutting off the fraction rounds.
                const auto startX = static_cast<float>(a.x + ty * (c.x - a.x) + 0.5);
                const auto startY = static_cast<float>(a.y + ty * (c.y - a.y) + 0.5);
                float* out = result.pixels().data() + result.index(0, y);
                for (int x = x0; x < x1; ++x) {
                    const float px = startX + static_cast<float>(x - x0) * stepX;
                    const float py = startY + static_cast<float>(x - x0) * stepY;
                    if (px >= 0.0F && py >= 0.0F && px < sourceWidth && py < sourceHeight) {
                        out[x] = source.at(static_cast<int>(px), static_cast<int>(py));
                    }
                }
            }
        }
    });
    return result;
}

} // namespace

Result<frame::Image> registeredPicture(const LightRecord& light, const stack::PixelGrid& grid) {
    auto loaded = frame::readFits(light.calibrated);
    if (!loaded) {
        return fail(loaded.error());
    }
    return light.solved() ? ontoGrid(loaded->image, light, grid) : std::move(loaded->image);
}

Result<frame::Image> registeredRawPicture(const LightRecord& light,
                                          const std::optional<stack::PixelGrid>& grid) {
    auto loaded = frame::readFrame(light.raw);
    if (!loaded) {
        return fail(loaded.error());
    }
    frame::Image raw = std::move(loaded->image);
    if (raw.width() / 2 == light.width && raw.height() / 2 == light.height) {
        raw = calibrate::takePlane(
            raw, calibrate::Colour::Sum, "RGGB"); // the sum asks for no pattern
    }
    return light.solved() && grid ? ontoGrid(raw, light, *grid) : std::move(raw);
}

DisplayRange displayRange(const frame::Image& image) {
    std::vector<float> sample;
    const auto pixels = image.pixels();
    const std::size_t step = std::max<std::size_t>(1, pixels.size() / 20000);
    for (std::size_t i = 0; i < pixels.size(); i += step) {
        sample.push_back(pixels[i]);
    }
    const RobustMoments sky = clippedMoments(sample, 3.0);
    if (sky.kept == 0) {
        return {};
    }
    const double sigma = std::max(sky.sigma, 1e-6);
    return {static_cast<float>(sky.centre - 1.0 * sigma),
            static_cast<float>(sky.centre + 22.0 * sigma)};
}

frame::Image halved(const frame::Image& image) {
    frame::Image half((image.width() + 1) / 2, (image.height() + 1) / 2);
    parallelFor(static_cast<std::size_t>(half.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const auto upper = image.row(2 * y);
        const auto lower = image.row(std::min(2 * y + 1, image.height() - 1));
        const auto out = half.row(y);
        for (std::size_t x = 0; x < out.size(); ++x) {
            const std::size_t a = 2 * x;
            const std::size_t b = std::min(a + 1, upper.size() - 1);
            float sum = 0.0F;
            float count = 0.0F;
            for (const float v : {upper[a], upper[b], lower[a], lower[b]}) {
                const bool has = std::isfinite(v);
                sum += has ? v : 0.0F;
                count += has ? 1.0F : 0.0F;
            }
            out[x] = sum / count; // 0 / 0: NaN
        }
    });
    return half;
}

} // namespace pathmark::night

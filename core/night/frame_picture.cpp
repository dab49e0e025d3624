#include "core/night/frame_picture.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/frame/colour_pattern.h"
#include "core/frame/open_frame.h"
#include "core/stack/stack.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>
#include <vector>

namespace pathmark::night {

stack::PixelGrid viewGrid(const LightRecord& light) {
    return stack::gridAround(light.skyMiddle(), *light.wcs, light.width, light.height);
}

namespace {

/// A plane of a mosaic above its sky.
struct Plane {
    frame::Image light;
    double sigma = 0.0;
};

RobustMoments skyOf(const frame::Image& image) {
    std::vector<float> sample;
    const auto pixels = image.pixels();
    const std::size_t step = std::max<std::size_t>(1, pixels.size() / 20000);
    for (std::size_t i = 0; i < pixels.size(); i += step) {
        sample.push_back(pixels[i]);
    }
    return clippedMoments(sample, 3.0);
}

/// The mean over 3 x 3 pixels; at the edge over those that are there.
frame::Image smoothed(const frame::Image& image) {
    frame::Image result(image.width(), image.height());
    parallelFor(static_cast<std::size_t>(image.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < image.width(); ++x) {
            float sum = 0.0F;
            int count = 0;
            for (int j = std::max(0, y - 1); j <= std::min(image.height() - 1, y + 1); ++j) {
                for (int i = std::max(0, x - 1); i <= std::min(image.width() - 1, x + 1); ++i) {
                    sum += image.at(i, j);
                    ++count;
                }
            }
            result.at(x, y) = sum / static_cast<float>(count);
        }
    });
    return result;
}

Plane planeOf(const frame::Image& mosaic, calibrate::Colour colour, const std::string& pattern) {
    Plane plane{smoothed(calibrate::takePlane(mosaic, colour, pattern)), 0.0};
    const RobustMoments sky = skyOf(plane.light);
    plane.sigma = std::max(sky.sigma, 1e-6);
    for (float& v : plane.light.pixels()) {
        v -= static_cast<float>(sky.centre);
    }
    return plane;
}

/// Scales a plane so that the light that stands out of the noise is as much as in `green`.
void balance(Plane& plane, const Plane& green) {
    const auto own = plane.light.pixels();
    const auto other = green.light.pixels();
    const auto limit = static_cast<float>(10.0 * green.sigma);
    double ownSum = 0.0;
    double otherSum = 0.0;
    for (std::size_t i = 0; i < own.size(); ++i) {
        if (other[i] > limit) {
            ownSum += static_cast<double>(own[i]);
            otherSum += static_cast<double>(other[i]);
        }
    }
    if (ownSum > 0.0 && otherSum > 0.0) {
        const double scale = otherSum / ownSum;
        plane.sigma *= scale;
        for (float& v : own) {
            v *= static_cast<float>(scale);
        }
    }
}

/// Whether so many pixels are those of a mosaic's cells.
bool isOfCells(const frame::Image& mosaic, const std::string& letters, int width, int height) {
    const auto pattern = frame::ColourPattern::of(letters);
    return pattern && (mosaic.width() - pattern->firstX()) / pattern->cell() == width &&
           (mosaic.height() - pattern->firstY()) / pattern->cell() == height;
}

ShownFrame shown(frame::Image values, const frame::Image& mosaic, const std::string& pattern) {
    ShownFrame frame{std::move(values), std::nullopt};
    // A plane alone, and a pattern that is none, have no colours to show.
    if (isOfCells(mosaic, pattern, frame.values.width(), frame.values.height())) {
        frame.colours = coloursOf(frame.values, mosaic, pattern);
    }
    return frame;
}

} // namespace

calibrate::ColourImage
coloursOf(const frame::Image& values, const frame::Image& mosaic, const std::string& pattern) {
    constexpr double sureAt = 5.0; // sigma at which half of a share is believed
    Plane red = planeOf(mosaic, calibrate::Colour::Red, pattern);
    const Plane green = planeOf(mosaic, calibrate::Colour::Green, pattern);
    Plane blue = planeOf(mosaic, calibrate::Colour::Blue, pattern);
    balance(red, green);
    balance(blue, green);
    const auto sky = static_cast<float>(skyOf(values).centre);
    const auto noise = static_cast<float>(
        sureAt * std::hypot(std::hypot(red.sigma, green.sigma), blue.sigma) / 3.0);
    calibrate::ColourImage colours{values, values, values};
    parallelFor(values.pixels().size(), [&](std::size_t i) {
        const float r = std::max(0.0F, red.light.pixels()[i]);
        const float g = std::max(0.0F, green.light.pixels()[i]);
        const float b = std::max(0.0F, blue.light.pixels()[i]);
        const float mean = (r + g + b) / 3.0F;
        const float sure = mean * mean / (mean * mean + noise * noise);
        const float light = (values.pixels()[i] - sky) * sure / std::max(mean, 1e-12F);
        colours.red.pixels()[i] += light * (r - mean);
        colours.green.pixels()[i] += light * (g - mean);
        colours.blue.pixels()[i] += light * (b - mean);
    });
    return colours;
}

Result<ShownFrame> calibratedPicture(const LightRecord& light, const std::string& pattern) {
    auto loaded = frame::readFrame(light.calibrated);
    if (!loaded) {
        return fail(loaded.error());
    }
    if (pattern.empty()) {
        return ShownFrame{std::move(loaded->image), std::nullopt};
    }
    // Where the camera's own file is gone the frame is shown without its colours.
    const auto raw = frame::readFrame(light.raw);
    return shown(std::move(loaded->image), raw ? raw->image : frame::Image(), pattern);
}

Result<ShownFrame> rawPicture(const LightRecord& light, const std::string& pattern) {
    auto loaded = frame::readFrame(light.raw);
    if (!loaded) {
        return fail(loaded.error());
    }
    const frame::Image& raw = loaded->image;
    // The sum of cells of 2 x 2 asks for no pattern.
    const std::string cells = pattern.empty() ? "RGGB" : pattern;
    if (!isOfCells(raw, cells, light.width, light.height)) {
        return ShownFrame{std::move(loaded->image), std::nullopt};
    }
    return shown(calibrate::takePlane(raw, calibrate::Colour::Sum, cells), raw, pattern);
}

DisplayRange displayRange(const frame::Image& image) {
    const RobustMoments sky = skyOf(image);
    if (sky.kept == 0) {
        return {};
    }
    const double sigma = std::max(sky.sigma, 1e-6);
    return {static_cast<float>(sky.centre - 1.0 * sigma),
            static_cast<float>(sky.centre + 22.0 * sigma),
            true};
}

DisplayRange wholeRange(const frame::Image& image) {
    float least = std::numeric_limits<float>::max();
    float most = 0.0F;
    for (const float value : image.pixels()) {
        if (std::isfinite(value)) {
            least = std::min(least, value);
            most = std::max(most, value);
        }
    }
    return {least < most ? least : 0.0F, most > 0.0F ? most : 1.0F, false};
}

namespace {

/// The mean of those of four values that are there; NaN where none is.
float meanOfKnown(float a, float b, float c, float d) {
    float sum = 0.0F;
    float count = 0.0F;
    for (const float v : {a, b, c, d}) {
        if (std::isfinite(v)) {
            sum += v;
            count += 1.0F;
        }
    }
    return sum / count; // 0 / 0: NaN
}

} // namespace

frame::Image halved(const frame::Image& image) {
    frame::Image half((image.width() + 1) / 2, (image.height() + 1) / 2);
    parallelFor(static_cast<std::size_t>(half.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const auto upper = image.row(2 * y);
        const auto lower = image.row(std::min(2 * y + 1, image.height() - 1));
        const auto out = half.row(y);
        const std::size_t pairs = upper.size() / 2;
        for (std::size_t x = 0; x < pairs; ++x) {
            out[x] =
                0.25F * ((upper[2 * x] + upper[2 * x + 1]) + (lower[2 * x] + lower[2 * x + 1]));
        }
        if (pairs < out.size()) { // an odd last column stands for itself
            out[pairs] = 0.5F * (upper[2 * pairs] + lower[2 * pairs]);
        }
        for (std::size_t x = 0; x < out.size(); ++x) {
            if (!std::isfinite(out[x])) {
                const std::size_t b = std::min(2 * x + 1, upper.size() - 1);
                out[x] = meanOfKnown(upper[2 * x], upper[b], lower[2 * x], lower[b]);
            }
        }
    });
    return half;
}

} // namespace pathmark::night

#include "core/night/sensor_pattern.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/combine/combine.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr std::size_t kLeastFrames = 5;
constexpr double kLevelWidths = 3.0; ///< of a star, the side of the window of a level
constexpr double kAloneSigma = 4.5;
constexpr double kStandsOut = 2.5;    ///< sigma over the level, of what is no part of it
constexpr double kSeenShare = 0.35;   ///< of a frame's noise that a level must have to be seen
constexpr double kSeenPixels = 1e-4;  ///< share of pixels that must stand out
constexpr double kMostStrength = 3.0; ///< of a frame's pattern over the usual

/// The median about each pixel.
frame::Image levelOf(const frame::Image& image, int half) {
    frame::Image level(image.width(), image.height());
    parallelFor(static_cast<std::size_t>(image.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        std::vector<float> window;
        for (int x = 0; x < image.width(); ++x) {
            window.clear();
            for (int v = std::max(0, y - half); v <= std::min(image.height() - 1, y + half); ++v) {
                for (int u = std::max(0, x - half); u <= std::min(image.width() - 1, x + half);
                     ++u) {
                    if (std::isfinite(image.at(u, v))) {
                        window.push_back(image.at(u, v));
                    }
                }
            }
            level.at(x, y) =
                window.empty() ? 0.0F : static_cast<float>(medianInPlace(std::span(window)));
        }
    });
    return level;
}

frame::Image less(const frame::Image& image, const frame::Image& level) {
    frame::Image rest = image;
    for (std::size_t k = 0; k < rest.pixels().size(); ++k) {
        rest.pixels()[k] -= level.pixels()[k];
    }
    return rest;
}

} // namespace

Result<SensorPattern> SensorPattern::measure(std::span<const stack::StackFrame> frames,
                                             std::span<const stack::FramePixels> sizes,
                                             double fwhm,
                                             const Job& job) {
    SensorPattern pattern;
    const bool isOneSize = std::all_of(sizes.begin(), sizes.end(), [&](const auto& size) {
        return size.width == sizes[0].width && size.height == sizes[0].height;
    });
    if (frames.size() < kLeastFrames || !isOneSize) {
        return pattern;
    }
    std::vector<std::filesystem::path> files;
    for (const auto& frame : frames) {
        files.push_back(frame.path);
    }
    combine::CombineRule rule;
    rule.combination = combine::Combination::Median;
    const auto median = combine::combineFiles(files, rule, {}, job);
    if (!median) {
        return fail(median.error());
    }
    const frame::Image& image = median->value;
    const int half = std::max(2, static_cast<int>(std::lround(0.5 * kLevelWidths * fwhm)));
    pattern.level_ = levelOf(image, half);
    // Once more without what stands out of it: a body that the mount follows is no level.
    frame::Image rest = less(image, pattern.level_);
    std::vector<float> values(rest.pixels().begin(), rest.pixels().end());
    const auto sigma = static_cast<float>(clippedMoments(std::span(values)).sigma);
    frame::Image without = image;
    for (std::size_t k = 0; k < rest.pixels().size(); ++k) {
        if (rest.pixels()[k] > static_cast<float>(kStandsOut) * sigma) {
            without.pixels()[k] = frame::kNoValue;
        }
    }
    pattern.level_ = levelOf(without, half);
    rest = less(image, pattern.level_);
    const float least = static_cast<float>(kAloneSigma) * sigma;
    pattern.alone_.assign(rest.pixels().size(), 0);
    for (int y = 1; y + 1 < rest.height(); ++y) {
        for (int x = 1; x + 1 < rest.width(); ++x) {
            const float here = rest.at(x, y);
            // A body that stands still on the sensor has neighbours of a third of its light and more.
            const float beside = 0.25F * (rest.at(x - 1, y) + rest.at(x + 1, y) +
                                          rest.at(x, y - 1) + rest.at(x, y + 1));
            if (std::abs(here) > least &&
                std::abs(beside) < 0.25F * std::abs(here) + 0.5F * sigma) {
                pattern.alone_[rest.index(x, y)] = 1;
            }
        }
    }
    return pattern;
}

float SensorPattern::strengthIn(const frame::Image& withoutSky) const {
    double products = 0.0;
    double squares = 0.0;
    const auto level = level_.pixels();
    const auto pixels = withoutSky.pixels();
    std::vector<float> sample;
    for (std::size_t k = 0; k < pixels.size(); k += 101) {
        sample.push_back(pixels[k]);
    }
    const auto most = 4.0 * clippedMoments(std::span(sample)).sigma;
    for (std::size_t k = 0; k < pixels.size(); ++k) {
        const auto value = static_cast<double>(pixels[k]);
        if (std::abs(value) < most) {
            const auto there = static_cast<double>(level[k]);
            products += value * there;
            squares += there * there;
        }
    }
    return static_cast<float>(squares > 0.0 ? std::clamp(products / squares, 0.0, kMostStrength)
                                            : 0.0);
}

void SensorPattern::takeOff(frame::Image& image, float strength) const {
    const auto level = level_.pixels();
    const auto pixels = image.pixels();
    PATHMARK_EXPECTS(level.size() == pixels.size());
    for (std::size_t k = 0; k < pixels.size(); ++k) {
        pixels[k] = alone_[k] != 0 ? frame::kNoValue : pixels[k] - strength * level[k];
    }
}

bool SensorPattern::matters(double noise) const {
    std::size_t count = 0;
    const auto level = level_.pixels();
    for (std::size_t k = 0; k < level.size(); ++k) {
        const bool isHigh = std::abs(static_cast<double>(level[k])) > kSeenShare * noise;
        count += isHigh || alone_[k] != 0 ? 1 : 0;
    }
    return static_cast<double>(count) > kSeenPixels * static_cast<double>(level.size());
}

} // namespace pathmark::night

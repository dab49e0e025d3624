#include "core/stack/matched_difference.h"

#include "core/base/robust.h"
#include "core/detect/background.h"
#include "core/stack/kernel_stamps.h"
#include "core/stack/pixel_kernels.h"
#include "core/stack/star_subtraction.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace pathmark::stack {
namespace {

constexpr double kStarPeak = 20.0; ///< sigma of a star whose light tells how much brighter one is
constexpr double kRatioFwhm = 1.5; ///< of the broader, the radius that its light is summed in
constexpr std::size_t kLeastRatios = 5;
constexpr int kFillRounds = 2; ///< a hit is a few pixels long

/// A picture without its sky, and what is known of it.
struct Bare {
    frame::Image values;
    double fwhm = 0.0;
    double noise = 0.0;
    double saturation = 1e30; ///< above the sky
};

/// Single pixels without a value (defects, particle hits) as the mean of what is about them: as a model they would cost all that a
/// kernel carries them to.
void fillSinglePixels(frame::Image& image) {
    constexpr int leastAround = 5;
    const frame::Image before = image;
    for (int y = 1; y + 1 < image.height(); ++y) {
        for (int x = 1; x + 1 < image.width(); ++x) {
            if (std::isfinite(before.at(x, y))) {
                continue;
            }
            float sum = 0.0F;
            int count = 0;
            for (int dy = -1; dy <= 1; ++dy) {
                for (int dx = -1; dx <= 1; ++dx) {
                    if (const float v = before.at(x + dx, y + dy); std::isfinite(v)) {
                        sum += v;
                        ++count;
                    }
                }
            }
            if (count >= leastAround) {
                image.at(x, y) = sum / static_cast<float>(count);
            }
        }
    }
}

/// Pixels that are saturated have no value any more; of a model, single ones that had none get one.
Bare bared(const ComparedPicture& picture, bool isModel) {
    const detect::Background sky(picture.values);
    Bare bare;
    bare.fwhm = picture.fwhm;
    bare.noise = sky.typicalNoise();
    bare.saturation = picture.saturation - sky.typicalLevel();
    frame::Image lit = picture.values;
    for (int round = 0; isModel && round < kFillRounds; ++round) {
        fillSinglePixels(lit);
    }
    const auto ceiling = static_cast<float>(std::min(kSaturated * picture.saturation, 3e38));
    for (int y = 0; y < lit.height(); ++y) {
        dropFrom(ceiling, lit.row(y));
    }
    bare.values = sky.subtractFrom(lit);
    return bare;
}

/// Nothing where a pixel has no value.
std::optional<double> lightWithin(const frame::Image& image, frame::PixelPos star, int reach) {
    double sum = 0.0;
    for (int dy = -reach; dy <= reach; ++dy) {
        for (int dx = -reach; dx <= reach; ++dx) {
            if (dx * dx + dy * dy <= reach * reach) {
                sum += static_cast<double>(
                    image.at(static_cast<int>(star.x) + dx, static_cast<int>(star.y) + dy));
            }
        }
    }
    return std::isfinite(sum) ? std::optional(sum) : std::nullopt;
}

/// The light of the first picture's stars over that in the second.
std::optional<double> lightRatio(const Bare& first, const Bare& second) {
    const int reach = static_cast<int>(std::ceil(kRatioFwhm * std::max(first.fwhm, second.fwhm)));
    std::vector<double> ratios;
    for (const auto& star : brightStars(first.values,
                                        kStarPeak * first.noise,
                                        kMostOfSaturation * first.saturation,
                                        reach + 1)) {
        const auto here = lightWithin(first.values, star, reach);
        const auto there = lightWithin(second.values, star, reach);
        if (here && there && *here > 0.0 && *there > 0.0) {
            ratios.push_back(*here / *there);
        }
    }
    return ratios.size() < kLeastRatios ? std::nullopt
                                        : std::optional(medianInPlace(std::span(ratios)));
}

/// A picture with a margin of which nothing is known.
frame::Image withMargin(const frame::Image& image, int margin) {
    frame::Image wide(image.width() + 2 * margin, image.height() + 2 * margin, frame::kNoValue);
    for (int y = 0; y < image.height(); ++y) {
        std::ranges::copy(image.row(y),
                          wide.row(y + margin).subspan(static_cast<std::size_t>(margin)).begin());
    }
    return wide;
}

void scaleBy(float factor, frame::Image& image) {
    for (float& v : image.pixels()) {
        v *= factor;
    }
}

} // namespace

Result<MatchedDifference> matchedDifference(const ComparedPicture& picture,
                                            const ComparedPicture& other) {
    const auto tooFew = [] {
        return fail(ErrorId::SolveTooFewStars,
                    "The two pictures have too few stars in common to bring one to the shape of "
                    "the other's.");
    };
    const bool isFirstBroader = picture.fwhm >= other.fwhm;
    Bare first = bared(picture, !isFirstBroader);
    Bare second = bared(other, isFirstBroader);
    const auto ratio = lightRatio(first, second);
    if (!ratio) {
        return tooFew();
    }
    scaleBy(static_cast<float>(*ratio), second.values);
    second.noise *= *ratio;
    second.saturation *= *ratio;
    Bare& broad = isFirstBroader ? first : second;
    const Bare& sharp = isFirstBroader ? second : first;
    MatchingKernel kernel(broad.fwhm, broad.values.width(), broad.values.height());
    const frame::Image model = withMargin(sharp.values, marginOf(kernel));
    const auto stamps = kernelStamps(
        broad.values,
        model,
        kernel,
        {broad.fwhm, std::max(sharp.noise, broad.noise), kMostOfSaturation * sharp.saturation, {}});
    if (!kernel.fit(stamps, broad.noise)) {
        return tooFew();
    }
    // What a kernel misses of bright light is left to be seen: a new light may be bright itself.
    StackFrame shown;
    shown.noise = 1e30;
    shown.saturation = sharp.saturation;
    shown.fluxScale = kSaturated / kMostOfSaturation;
    MatchedDifference difference;
    difference.values = std::move(broad.values);
    subtractStars(difference.values, model, kernel, shown);
    if (!isFirstBroader) {
        scaleBy(-1.0F, difference.values);
    }
    // Wings of stars lift a sky; here they are gone.
    const detect::Background rest(difference.values);
    difference.values = rest.subtractFrom(difference.values);
    difference.noise = rest.typicalNoise();
    difference.mismatch = kernel.mismatch();
    return difference;
}

} // namespace pathmark::stack

#include "core/night/pair_picture.h"

#include "core/base/expects.h"
#include "core/detect/background.h"
#include "core/frame/fits_file.h"
#include "core/stack/resample.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::night {
namespace {

/// A calibrated frame without its sky, which falls off to the corners of one and ends at those of the other.
Result<frame::Image> withoutSky(const LightRecord& light) {
    auto loaded = frame::readFits(light.calibrated);
    if (!loaded) {
        return fail(loaded.error());
    }
    return detect::Background(loaded->image).subtractFrom(loaded->image);
}

/// How many times as bright a star is on one frame as on another; by the exposures where no zero point tells it.
double brightnessRatio(const LightRecord& here, const LightRecord& other) {
    if (!here.photometry || !other.photometry) {
        return other.exposureSeconds > 0.0 ? here.exposureSeconds / other.exposureSeconds : 1.0;
    }
    const auto electronsAt = [](const LightRecord& light) {
        constexpr double magnitude = 15.0; // any: it falls out
        return solve::toElectrons(
            *light.photometry, magnitude, light.exposureSeconds, solve::kReferenceColour);
    };
    return electronsAt(here) / electronsAt(other);
}

} // namespace

Result<frame::Image>
onPixelsOf(const LightRecord& light, const frame::Image& image, const frame::Wcs& wcs) {
    stack::ImageSource source(image);
    const stack::PixelMap map = [&](const frame::PixelPos& pixel) {
        constexpr double nowhere = std::numeric_limits<double>::quiet_NaN();
        return wcs.toPixel(light.wcs->toSky(pixel)).value_or(frame::PixelPos{nowhere, nowhere});
    };
    auto picture = stack::resample(source, map, {0, 0, light.width, light.height}, {});
    if (picture &&
        std::ranges::none_of(picture->pixels(), [](float v) { return std::isfinite(v); })) {
        return fail(ErrorId::MeasureOutside, "The two frames have no sky in common.");
    }
    return picture;
}

Result<frame::Image> pairPicture(const LightRecord& here, const LightRecord& other, PairPart part) {
    PATHMARK_EXPECTS(here.solved() && other.solved());
    const auto there = withoutSky(other);
    if (!there) {
        return fail(there.error());
    }
    auto picture = onPixelsOf(here, *there, *other.wcs);
    if (!picture) {
        return picture;
    }
    const auto scale = static_cast<float>(brightnessRatio(here, other));
    for (float& value : picture->pixels()) {
        value *= scale;
    }
    if (part == PairPart::Other) {
        return picture;
    }
    const auto own = withoutSky(here);
    if (!own) {
        return fail(own.error());
    }
    const auto values = own->pixels();
    auto sum = picture->pixels();
    for (std::size_t i = 0; i < sum.size(); ++i) {
        const float light = values[i];
        sum[i] = std::isfinite(sum[i]) && std::isfinite(light) ? sum[i] + light
                 : std::isfinite(light)                        ? light
                                                               : sum[i];
    }
    return picture;
}

} // namespace pathmark::night

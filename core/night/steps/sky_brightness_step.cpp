#include "core/night/steps/frame_steps.h"

#include <nlohmann/json.hpp>

#include <cmath>

namespace pathmark::night {
namespace {

/// In the band of the zero point; nullopt where the frame has none, or its pedestal was not taken off.
///
/// Source   Howell 2006, Handbook of CCD Astronomy, 2nd ed., sec. 5.
std::optional<double> skyMagnitude(const LightRecord& light) {
    if (!light.photometry || !light.wcs || !(light.exposureSeconds > 0.0) ||
        !(light.skyElectrons > 0.0)) {
        return std::nullopt;
    }
    const double scale = light.wcs->scaleArcsec();
    const double perSecond = light.skyElectrons / (light.exposureSeconds * scale * scale);
    return light.photometry->zeroPoint - 2.5 * std::log10(perSecond);
}

ProductKey skyBrightnessKey(const FrameWork& work) {
    ProductKey key("sky_brightness", skyBrightnessStep().version);
    return key.input("sources", work.keys.at(ProductKind::Sources))
        .input("zero point", work.keys.at(ProductKind::ZeroPoint));
}

Result<bool> makeSkyBrightness(FrameWork& work, Product& product) {
    const auto magnitude = skyMagnitude(work.record);
    product.info = nlohmann::json{{"mag_per_arcsec2",
                                   magnitude ? nlohmann::json(*magnitude) : nlohmann::json()}}
                       .dump();
    return true;
}

void stampSkyBrightness(const FrameWork& work, frame::Header& header) {
    header.remove("PMSKYMAG");
    if (const auto magnitude = skyMagnitude(work.record)) {
        header.set("PMSKYMAG", *magnitude, "[mag/arcsec2] of the sky, band as PMZEROPT");
    }
}

} // namespace

FrameStep skyBrightnessStep() {
    return {"sky_brightness",
            1,
            "finds how bright the sky is",
            {ProductKind::Sources, ProductKind::ZeroPoint},
            ProductKind::SkyBrightness,
            skyBrightnessKey,
            makeSkyBrightness,
            nullptr,
            stampSkyBrightness};
}

} // namespace pathmark::night

#include "core/night/then_difference.h"

#include "core/frame/open_frame.h"
#include "core/night/then_widths.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

/// An older picture does not say where it saturates: its brightest pixel counts as that.
double brightestOf(const frame::Image& image) {
    float brightest = 0.0F;
    for (const float v : image.pixels()) {
        if (std::isfinite(v)) {
            brightest = std::max(brightest, v);
        }
    }
    return brightest > 0.0F ? static_cast<double>(brightest) : 1e30;
}

} // namespace

Result<stack::MatchedDifference>
thenDifference(const NightFile& night, const LightRecord& light, const ThenPicture& then) {
    if (!then.isLinear) {
        return fail(ErrorId::CatalogBadSurvey,
                    "The older picture is drawn for the eye (JPEG or PNG): its light cannot be "
                    "taken off. The list of what differs needs no linear picture.",
                    then.title);
    }
    auto sources = night.sources(light);
    if (!sources) {
        return fail(sources.error());
    }
    const auto loaded = frame::readFrame(light.calibrated);
    if (!loaded) {
        return fail(loaded.error());
    }
    return stack::matchedDifference({loaded->image, light.fwhmPixels, light.saturationElectrons},
                                    {then.values,
                                     starWidth(then.values, std::move(*sources), light.fwhmPixels),
                                     brightestOf(then.values)});
}

} // namespace pathmark::night

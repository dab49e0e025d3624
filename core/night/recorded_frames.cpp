#include "core/night/recorded_frames.h"

#include <cmath>

namespace pathmark::night {

std::vector<stack::StackFrame> recordedFrames(std::span<const LightRecord* const> lights) {
    std::vector<stack::StackFrame> frames;
    for (const LightRecord* light : lights) {
        const LightRecord& first = *lights.front();
        stack::StackFrame frame;
        frame.path = light->calibrated;
        frame.place.wcs = *light->wcs;
        if (light->mosaic) {
            // In the sums of cells a star lies beside its true place.
            frame.place.wcs.referencePixel.x += 0.5 * light->mosaic->leanX;
            frame.place.wcs.referencePixel.y += 0.5 * light->mosaic->leanY;
        }
        frame.middle = light->middle;
        frame.noise = light->noiseElectrons;
        frame.fwhm = light->fwhmPixels * light->wcs->scaleArcsec();
        if (first.exposureSeconds > 0.0 && light->exposureSeconds > 0.0) {
            frame.fluxScale = first.exposureSeconds / light->exposureSeconds;
        }
        if (first.photometry && light->photometry) {
            frame.fluxScale *=
                std::pow(10.0, 0.4 * (first.photometry->zeroPoint - light->photometry->zeroPoint));
        }
        frames.push_back(frame);
    }
    return frames;
}

} // namespace pathmark::night

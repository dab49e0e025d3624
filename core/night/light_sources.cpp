#include "core/night/light_sources.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {

std::vector<identify::SkySource> sourcesOnSky(const LightRecord& light,
                                              std::span<const SourceRecord> sources) {
    std::vector<identify::SkySource> result;
    result.reserve(sources.size());
    const double scale = light.wcs->scaleArcsec();
    for (const SourceRecord& s : sources) {
        const double sigma = scale * std::hypot(s.sigmaPixels, light.solutionErrorAt(s.pixel));
        result.push_back(
            {light.wcs->toSky(s.pixel), std::max(sigma, 1e-3 * scale), s.snr, s.isStar});
    }
    return result;
}

double squareArcsecOf(const LightRecord& light) {
    const double scale = light.wcs->scaleArcsec();
    return scale * scale * light.width * static_cast<double>(light.height);
}

} // namespace pathmark::night

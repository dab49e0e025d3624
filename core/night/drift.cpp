#include "core/night/drift.h"

#include <cmath>
#include <map>

namespace pathmark::night {
double Drift::lengthArcsec() const {
    return std::hypot(raArcsec, decArcsec);
}

std::vector<std::optional<Drift>> driftOf(std::span<const LightRecord> lights) {
    std::map<SeriesId, const LightRecord*> firsts;
    std::vector<std::optional<Drift>> drifts;
    for (const LightRecord& light : lights) {
        if (!light.solved()) {
            drifts.emplace_back();
            continue;
        }
        const LightRecord& first = *firsts.try_emplace(light.series, &light).first->second;
        const PlanePos off = toTangentPlane(first.skyMiddle(), light.skyMiddle());
        const double turn = light.wcs->rotation().degrees() - first.wcs->rotation().degrees();
        drifts.push_back(Drift{off.xi / kRadiansPerArcsec,
                               off.eta / kRadiansPerArcsec,
                               std::remainder(turn, 180.0),
                               1e6 * (light.wcs->scaleArcsec() / first.wcs->scaleArcsec() - 1.0)});
    }
    return drifts;
}

} // namespace pathmark::night

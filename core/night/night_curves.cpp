#include "core/night/night_curves.h"

#include <algorithm>

namespace pathmark::night {

std::vector<std::filesystem::path> filesOfField(std::span<const LightRecord> lights,
                                                const LightRecord& one,
                                                const std::set<FrameId>& leftOut) {
    std::vector<std::filesystem::path> files;
    const double reach = 0.25 * one.wcs->scaleArcsec() * std::min(one.width, one.height);
    for (const LightRecord& light : lights) {
        const bool isCalibrated = !light.calibrated.empty() && light.calibrated != light.raw;
        if (light.solved() && isCalibrated && light.leftOutBy.empty() &&
            !leftOut.contains(light.frame) &&
            separation(light.skyMiddle(), one.skyMiddle()).arcsec() < reach) {
            files.push_back(light.calibrated);
        }
    }
    return files;
}

Result<FieldLights>
fieldLightsOf(const NightCurves& wanted, const NightSources& sources, const Job& job) {
    const OrbitSources& orbits = *sources.orbits;
    FieldRequest request;
    request.files = wanted.files;
    if (orbits.recipe.siteKnown) {
        request.site = orbits.recipe.site;
    }
    for (const BodyId& body : wanted.bodies) {
        if (const auto known = orbits.catalog.find(body.text())) {
            request.targets.push_back({body.text(), orbits.catalog.elements(*known), {}});
        }
    }
    for (const SetStar& place : wanted.places) {
        request.targets.push_back({place.name, std::nullopt, place.place});
    }
    return measureFieldLights(request, *sources.stars, orbits.tables, job);
}

} // namespace pathmark::night

#include "core/night/steps/candidate_places.h"

namespace pathmark::night {

std::optional<PredictionRecord>
candidateOn(const LightRecord& light, const std::string& name, const SkyPos& sky) {
    const auto pixel = light.wcs->toPixel(sky);
    if (!pixel || pixel->x < -0.5 || pixel->y < -0.5 || pixel->x > light.width - 0.5 ||
        pixel->y > light.height - 0.5) {
        return std::nullopt;
    }
    PredictionRecord p;
    p.body = BodyId::of(name);
    p.title = name;
    p.frame = light.frame;
    p.file = light.raw;
    p.time = light.middle.plusSeconds(light.rowSeconds * pixel->y);
    p.sky = sky;
    p.pixel = *pixel;
    p.candidate = true;
    return p;
}

} // namespace pathmark::night

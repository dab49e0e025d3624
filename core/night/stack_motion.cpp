#include "core/night/stack_motion.h"

#include <algorithm>
#include <map>

namespace pathmark::night {

SkyMotion motionOf(const PredictionRecord& prediction) {
    return SkyMotion::towards(prediction.rateArcsecPerMin, prediction.positionAngleDegrees);
}

Result<std::vector<AddOnMotion>> addOnMotion(std::span<const LightRecord> lights,
                                             std::span<const PredictionRecord> predictions,
                                             const BodyId& body,
                                             const std::optional<SkyMotion>& motion) {
    std::map<FrameId, const SeriesId*> seriesOf;
    for (const LightRecord& light : lights) {
        seriesOf[light.frame] = &light.series;
    }
    std::map<SeriesId, std::vector<const PredictionRecord*>> places;
    for (const PredictionRecord& p : predictions) {
        const auto series = seriesOf.find(p.frame);
        if (p.body == body && series != seriesOf.end()) {
            places[*series->second].push_back(&p);
        }
    }
    if (places.empty()) {
        return fail(ErrorId::NightUnknownId, "No frame of this night has that body.", body.text());
    }
    std::vector<AddOnMotion> decisions;
    for (auto& [series, list] : places) {
        std::sort(list.begin(), list.end(), [](const auto* a, const auto* b) {
            return a->time < b->time;
        });
        const PredictionRecord& middle = *list[list.size() / 2];
        AddOnMotion decision{body, series, std::nullopt};
        if (motion) {
            const SkyMotion orbit = motionOf(middle);
            decision.beyond = BeyondOrbit{
                middle.time, 0.0, 0.0, motion->east - orbit.east, motion->north - orbit.north};
        }
        decisions.push_back(std::move(decision));
    }
    return decisions;
}

} // namespace pathmark::night

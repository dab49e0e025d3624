#include "core/identify/bodies_in_frame.h"
#include "core/night/context.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

/// What a light can show.
std::optional<identify::FrameDepth> depthOf(const LightRecord& light) {
    if (!light.photometry) {
        return std::nullopt;
    }
    identify::FrameDepth depth;
    depth.photometry = *light.photometry;
    depth.exposureSeconds = light.exposureSeconds;
    depth.noisePerPixel = light.noiseElectrons;
    depth.fwhm = light.fwhmPixels;
    depth.noisePixels = 1.0 / detect::PointSpread(light.shape).squareSum();
    depth.scaleArcsec = light.wcs->scaleArcsec();
    return depth;
}

/// The bodies of one night's frames.
Result<bool> identifyNight(RunContext& context,
                           const std::vector<LightRecord>& lights,
                           const std::vector<std::size_t>& members,
                           std::vector<PredictionRecord>& predictions) {
    auto night = identify::NightBodies::make(context.orbits,
                                             context.sky.planets,
                                             lights[members.front()].middle,
                                             lights[members.back()].middle,
                                             context.job);
    if (!night) {
        return fail(night.error());
    }
    for (const std::size_t i : members) {
        const LightRecord& light = lights[i];
        if (!light.solved()) {
            continue;
        }
        if (context.job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        context.job.progress(
            "Finding known bodies", static_cast<int>(i), static_cast<int>(lights.size()));
        const identify::FrameOnSky onSky{
            *light.wcs, light.width, light.height, light.middle, depthOf(light)};
        auto bodies = identify::bodiesInFrame(
            *night, context.sky.planets, context.recipe.site, onSky, context.sky.turn);
        if (!bodies) {
            return fail(bodies.error());
        }
        for (const auto& body : *bodies) {
            predictions.push_back({std::string(context.orbits.name(body.orbit)),
                                   light.raw,
                                   light.middle,
                                   body.place.sky,
                                   body.pixel,
                                   body.place.rateArcsecPerMin(),
                                   body.place.positionAngle().degrees(),
                                   body.place.magnitude,
                                   body.snr});
        }
    }
    for (const Error& error : night->lost()) {
        context.job.message(toMessage(error));
    }
    return true;
}

} // namespace

Result<std::vector<PredictionRecord>> identifyStep(RunContext& context,
                                                   const std::vector<LightRecord>& lights) {
    std::vector<PredictionRecord> predictions;
    const bool anySolved = std::any_of(
        lights.begin(), lights.end(), [](const LightRecord& light) { return light.solved(); });
    if (!anySolved || context.orbits.size() == 0) {
        if (auto stored = context.file.replacePredictions(predictions); !stored) {
            return fail(stored.error());
        }
        return predictions;
    }
    std::vector<Utc> times;
    for (const LightRecord& light : lights) {
        times.push_back(light.middle);
    }
    if (const auto warning = leapSecondWarning(*std::max_element(times.begin(), times.end()))) {
        context.job.message(*warning);
    }
    for (const auto& members : identify::nightsOf(times)) {
        if (auto done = identifyNight(context, lights, members, predictions); !done) {
            return fail(done.error());
        }
    }
    if (auto stored = context.file.replacePredictions(predictions); !stored) {
        return fail(stored.error());
    }
    return predictions;
}

MeasurePlan planBodies(const RunContext& context,
                       const std::vector<PredictionRecord>& predictions) {
    struct Reach {
        double best = 0.0;
        double squares = 0.0;
    };

    std::map<std::string, Reach> reach;
    for (const PredictionRecord& p : predictions) {
        Reach& body = reach[p.body];
        body.best = std::max(body.best, p.snr.value_or(0.0));
        body.squares += p.snr.value_or(0.0) * p.snr.value_or(0.0);
    }
    const std::set<std::string> wanted(context.recipe.bodies.begin(), context.recipe.bodies.end());
    MeasurePlan plan;
    for (const auto& [body, value] : reach) {
        const bool named = wanted.contains(body);
        if (!wanted.empty() && !named) {
            continue;
        }
        const double stackSnr = std::sqrt(value.squares);
        if (context.recipe.stackGroups > 0) {
            if (named || stackSnr >= identify::kReachSnr) {
                plan.onStacks.push_back(body);
            }
        } else if (value.best >= identify::kReachSnr) {
            plan.onFrames.push_back(body);
        } else if (context.recipe.faintGroups > 0 && (named || stackSnr >= identify::kReachSnr)) {
            plan.onStacks.push_back(body);
        }
    }
    for (const std::string& body : wanted) {
        if (!reach.contains(body)) {
            context.job.message(body + " is in none of the solved frames.");
        }
    }
    return plan;
}

} // namespace pathmark::night

#include "core/base/parallel.h"
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

/// Orbits that come near any frame of the night: places at its beginning and end, with a wide margin.
std::vector<orbit::Elements> nearby(const RunContext& context,
                                    const std::vector<LightRecord>& lights) {
    std::vector<orbit::Observer> moments;
    for (const LightRecord* light : {&lights.front(), &lights.back()}) {
        if (auto observer =
                orbit::observerAt(context.planets, context.recipe.site, light->middle)) {
            moments.push_back(*observer);
        }
    }
    std::vector<SkyPos> centres;
    double reach = Angle::degrees(3.0).radians();
    for (const LightRecord& light : lights) {
        if (light.solved()) {
            centres.push_back(light.wcs->toSky({0.5 * light.width, 0.5 * light.height}));
            reach = std::max(reach,
                             Angle::degrees(3.0).radians() +
                                 separation(centres.back(), light.wcs->toSky({0, 0})).radians());
        }
    }
    // Fields that lie together need one test.
    std::vector<SkyPos> apart;
    for (const SkyPos& centre : centres) {
        if (std::none_of(apart.begin(), apart.end(), [&](const SkyPos& other) {
                return separation(centre, other).degrees() < 0.5;
            })) {
            apart.push_back(centre);
        }
    }
    std::vector<char> near(context.orbits.size(), 0);
    constexpr std::size_t block = 1024;
    parallelFor((near.size() + block - 1) / block, [&](std::size_t part) {
        for (std::size_t i = part * block; i < std::min(near.size(), (part + 1) * block); ++i) {
            for (const orbit::Observer& observer : moments) {
                const SkyPos place = orbit::directionOf(context.orbits[i], observer);
                for (const SkyPos& centre : apart) {
                    if (separation(place, centre).radians() <
                        reach + Angle::degrees(0.5).radians()) {
                        near[i] = 1;
                    }
                }
            }
        }
    });
    std::vector<orbit::Elements> result;
    for (std::size_t i = 0; i < near.size(); ++i) {
        if (near[i] != 0) {
            result.push_back(context.orbits[i]);
        }
    }
    return result;
}

} // namespace

Result<std::vector<PredictionRecord>> identifyStep(RunContext& context,
                                                   const std::vector<LightRecord>& lights) {
    std::vector<PredictionRecord> predictions;
    const bool anySolved = std::any_of(
        lights.begin(), lights.end(), [](const LightRecord& light) { return light.solved(); });
    if (!anySolved || context.orbits.empty()) {
        if (auto stored = context.file.replacePredictions(predictions); !stored) {
            return fail(stored.error());
        }
        return predictions;
    }
    const auto orbits = nearby(context, lights);
    for (std::size_t i = 0; i < lights.size(); ++i) {
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
        auto bodies = identify::bodiesInFrame(orbits, context.planets, context.recipe.site, onSky);
        if (!bodies) {
            return fail(bodies.error());
        }
        for (const auto& body : *bodies) {
            predictions.push_back({orbits[body.orbit].name,
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

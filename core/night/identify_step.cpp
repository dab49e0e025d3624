#include "core/identify/bodies_in_frame.h"
#include "core/identify/match_bodies.h"
#include "core/night/context.h"
#include "core/night/light_sources.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

/// A body is looked for among the sources from this predicted signal-to-noise on: magnitudes predicted are off by half a
/// magnitude, and a source near the place of one far too faint is another's.
constexpr double kMatchedFrom = 2.5;

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

PredictionRecord predictionOf(const RunContext& context,
                              const LightRecord& light,
                              const identify::BodyInFrame& body) {
    PredictionRecord p;
    p.body = context.orbits.name(body.orbit);
    p.frame = light.raw;
    p.time = light.middle;
    p.sky = body.place.sky;
    p.pixel = body.pixel;
    p.rateArcsecPerMin = body.place.rateArcsecPerMin();
    p.positionAngleDegrees = body.place.positionAngle().degrees();
    p.magnitude = body.place.magnitude;
    p.snr = body.snr;
    return p;
}

/// The bodies of one light, each with the source that agrees with it.
void predictLight(const RunContext& context,
                  const LightRecord& light,
                  const std::vector<identify::BodyInFrame>& bodies,
                  std::vector<PredictionRecord>& predictions) {
    const auto all = sourcesOnSky(light, context.file.sources(light.raw));
    std::vector<identify::SkySource> sources; // those on no star
    std::vector<std::size_t> index;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (!all[i].isStar) {
            sources.push_back(all[i]);
            index.push_back(i);
        }
    }
    std::vector<identify::ExpectedBody> expected;
    const std::size_t first = predictions.size();
    for (const auto& body : bodies) {
        PredictionRecord p = predictionOf(context, light, body);
        const auto where = identify::expectedFrom(context.orbits.elements(body.orbit), body.place);
        constexpr double square = kRadiansPerArcsec * kRadiansPerArcsec;
        const auto ellipse = orbit::SkyEllipse::fromCovariance(
            square * where.xiXi, square * where.xiEta, square * where.etaEta);
        p.sigmaMajorArcsec = ellipse.major.arcsec();
        p.sigmaMinorArcsec = ellipse.minor.arcsec();
        p.sigmaAngleDegrees = ellipse.positionAngle.degrees();
        expected.push_back(where);
        predictions.push_back(std::move(p));
    }
    std::vector<identify::ExpectedBody> shown;
    std::vector<std::size_t> whose;
    for (std::size_t i = 0; i < expected.size(); ++i) {
        if (predictions[first + i].snr.value_or(identify::kReachSnr) >= kMatchedFrom) {
            shown.push_back(expected[i]);
            whose.push_back(first + i);
        }
    }
    for (const auto& match : identify::matchBodies(shown, sources, squareArcsecOf(light))) {
        predictions[whose[match.body]].match = PredictionRecord::Match{index[match.source],
                                                                       match.xiArcsec,
                                                                       match.etaArcsec,
                                                                       match.chiSquare,
                                                                       match.chance,
                                                                       sources[match.source].snr};
    }
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
        predictLight(context, light, *bodies, predictions);
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
        return predictions;
    }
    std::vector<Utc> times;
    times.reserve(lights.size());
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
    return predictions;
}

MeasurePlan planBodies(const RunContext& context,
                       const std::vector<PredictionRecord>& predictions) {
    struct Reach {
        double best = 0.0;
        double squares = 0.0;
    };

    std::map<std::string, Reach> reach;
    std::set<std::string> candidates;
    for (const PredictionRecord& p : predictions) {
        if (p.candidate) {
            candidates.insert(p.body);
            continue;
        }
        Reach& body = reach[p.body];
        body.best = std::max(body.best, p.snr.value_or(0.0));
        body.squares += p.snr.value_or(0.0) * p.snr.value_or(0.0);
    }
    const std::set<std::string> wanted(context.recipe.bodies.begin(), context.recipe.bodies.end());
    MeasurePlan plan;
    // They were found in single frames.
    plan.onFrames.assign(candidates.begin(), candidates.end());
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

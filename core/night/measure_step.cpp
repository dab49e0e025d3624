#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/catalog/band.h"
#include "core/detect/background.h"
#include "core/measure/measure_body.h"
#include "core/night/context.h"
#include "core/night/star_sources.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <tuple>

namespace pathmark::night {
namespace {

/// Catalogue stars around a place, in pixels of a picture.
std::vector<measure::StarNearby> neighboursOf(const RunContext& context,
                                              const SkyPos& place,
                                              const Utc& time,
                                              const measure::Picture& picture,
                                              double trailArcsec) {
    std::vector<measure::StarNearby> nearby;
    const double reach = (6.0 * picture.shape.fwhm() + 4.0) * picture.wcs.scaleArcsec() +
                         context.recipe.searchArcsec + trailArcsec;
    const auto stars = context.store.field(place, Angle::arcsec(reach), time);
    if (!stars) {
        return nearby;
    }
    for (const auto& star : *stars) {
        const auto pixel = picture.wcs.toPixel(star.place);
        if (!pixel) {
            continue;
        }
        measure::StarNearby near{*pixel, std::nullopt};
        if (picture.photometry) {
            near.flux = electronsOf(star, *picture.photometry, picture.exposureSeconds);
        }
        nearby.push_back(near);
    }
    return nearby;
}

void fill(MeasurementRecord& record, const Result<measure::Measured>& measured) {
    if (!measured) {
        record.seen = false;
        record.state = MeasurementState::Parked;
        record.reason = measured.error().detail;
        return;
    }
    record.seen = true;
    record.sky = measured->sky;
    record.pixel = measured->pixel;
    record.raErrorArcsec = measured->raErrorArcsec;
    record.decErrorArcsec = measured->decErrorArcsec;
    record.observedMinusComputedRa = measured->observedMinusComputedRa;
    record.observedMinusComputedDec = measured->observedMinusComputedDec;
    record.snr = measured->snr;
    record.flux = measured->flux;
    record.magnitude = measured->magnitude;
    record.magnitudeError = measured->magnitudeError;
    record.reason = measured->concern;
    record.state = measured->concern.empty() ? MeasurementState::Kept : MeasurementState::Parked;
    if (measured->snr < 5.0 && measured->concern.empty()) {
        record.state = MeasurementState::Parked;
        record.reason = fmt::format("signal-to-noise of {:.1f} is under 5", measured->snr);
    }
}

std::string bandLetter(const RunContext& context,
                       const std::optional<solve::PhotometricMatch>& photometry) {
    if (!context.recipe.band.empty()) {
        return context.recipe.band;
    }
    return photometry ? std::string(catalog::name(photometry->band)) : std::string();
}

bool isComet(const RunContext& context, const std::string& body) {
    const auto known = context.orbits.find(body);
    return known && context.orbits.elements(*known).isComet();
}

/// Rate in arcseconds a minute to the east and to the north.
PlanePos rateOf(double rate, double angleDegrees) {
    const double angle = angleDegrees * kRadiansPerDegree;
    return {rate * std::sin(angle), rate * std::cos(angle)};
}

/// All wanted bodies of one frame.
std::vector<MeasurementRecord> measureFrame(RunContext& context,
                                            const LightRecord& light,
                                            const std::vector<const PredictionRecord*>& bodies,
                                            std::optional<Error>& error) {
    std::vector<MeasurementRecord> records;
    auto loaded = frame::readFits(light.calibrated);
    if (!loaded) {
        error = loaded.error();
        return records;
    }
    const detect::Background sky(loaded->image);
    const frame::Image image = sky.subtractFrom(loaded->image);
    for (const PredictionRecord* p : bodies) {
        measure::Picture picture;
        picture.image = &image;
        picture.wcs = *light.wcs;
        picture.shape = light.shape;
        picture.noise = std::max(1e-3, static_cast<double>(sky.noise(p->pixel.x, p->pixel.y)));
        picture.solutionErrorPixels = light.solutionErrorAt(p->pixel);
        picture.photometry = light.photometry;
        picture.exposureSeconds = light.exposureSeconds;
        picture.saturationElectrons = light.saturationElectrons;
        measure::Target target;
        const PlanePos rate = rateOf(p->rateArcsecPerMin, p->positionAngleDegrees);
        // Under a rolling shutter each row has its own time.
        const double rowDelay = light.rowSeconds * p->pixel.y;
        const double moved = Angle::arcsec(rowDelay / 60.0).radians();
        const SkyPos predicted = fromTangentPlane(p->sky, {moved * rate.xi, moved * rate.eta});
        target.predicted = predicted;
        target.xiRateArcsecPerMin = rate.xi;
        target.etaRateArcsecPerMin = rate.eta;
        target.trailSeconds = light.exposureSeconds;
        target.searchArcsec = context.recipe.searchArcsec;
        target.comet = isComet(context, p->body);
        target.neighbours = neighboursOf(context, p->sky, light.middle, picture, 0.0);
        MeasurementRecord record;
        record.id = Digest().add(p->body).add(light.raw.string()).hex().substr(0, 16);
        record.body = p->body;
        record.picture = light.calibrated;
        record.time = light.middle.plusSeconds(rowDelay);
        record.exposureSeconds = light.exposureSeconds;
        record.predicted = predicted;
        record.rateArcsecPerMin = p->rateArcsecPerMin;
        record.positionAngleDegrees = p->positionAngleDegrees;
        record.predictedSnr = p->snr.value_or(0.0);
        record.fwhmPixels = light.fwhmPixels;
        record.usedStars = light.matchedStars;
        record.band = bandLetter(context, light.photometry);
        record.candidate = p->candidate;
        fill(record, measure::measureBody(picture, target));
        if (p->candidate && record.state == MeasurementState::Kept) {
            record.state = MeasurementState::Parked;
            record.reason = "a candidate: keep it to report it";
        }
        records.push_back(std::move(record));
    }
    return records;
}

Result<MeasurementRecord> measureStack(RunContext& context, const BodyStack& stack) {
    auto loaded = frame::readFits(stack.path);
    if (!loaded) {
        return fail(loaded.error());
    }
    measure::Picture picture;
    picture.image = &loaded->image;
    picture.wcs = stack.wcs;
    picture.shape = stack.frame.shape;
    picture.noise = stack.frame.noise;
    picture.solutionErrorPixels = stack.frame.solutionErrorPixels;
    picture.photometry = stack.frame.photometry;
    picture.exposureSeconds = stack.frame.exposureSeconds;
    measure::Target target;
    target.predicted = stack.place.sky;
    target.xiRateArcsecPerMin = stack.place.xiRateArcsecPerMin;
    target.etaRateArcsecPerMin = stack.place.etaRateArcsecPerMin;
    target.trailSeconds = stack.frame.exposureSeconds;
    target.starTrailSeconds = stack.frame.spanSeconds;
    target.neighbours =
        neighboursOf(context,
                     stack.place.sky,
                     stack.frame.middle,
                     picture,
                     stack.place.rateArcsecPerMin() * stack.frame.spanSeconds / 60.0);
    target.searchArcsec = context.recipe.searchArcsec;
    target.comet = isComet(context, stack.body);
    MeasurementRecord record;
    record.id = Digest().add(stack.body).add(stack.path.filename().string()).hex().substr(0, 16);
    record.body = stack.body;
    record.picture = stack.path;
    record.frames = static_cast<int>(stack.frame.lights.size());
    record.time = stack.frame.middle;
    record.exposureSeconds = stack.frame.exposureSeconds;
    record.predicted = stack.place.sky;
    record.rateArcsecPerMin = stack.place.rateArcsecPerMin();
    record.positionAngleDegrees = stack.place.positionAngle().degrees();
    record.fwhmPixels = stack.frame.shape.fwhm();
    record.usedStars = stack.frame.usedStars;
    record.band = bandLetter(context, stack.frame.photometry);
    fill(record, measure::measureBody(picture, target));
    return record;
}

} // namespace

Result<std::vector<MeasurementRecord>> measureStep(RunContext& context,
                                                   const std::vector<LightRecord>& lights,
                                                   const std::vector<PredictionRecord>& predictions,
                                                   const MeasurePlan& plan,
                                                   const std::vector<BodyStack>& stacks) {
    const std::set<std::string> onFrames(plan.onFrames.begin(), plan.onFrames.end());
    std::vector<std::vector<MeasurementRecord>> perLight(lights.size());
    std::vector<std::optional<Error>> errors(lights.size());
    context.job.progress("Measuring", 0, static_cast<int>(lights.size()));
    parallelFor(lights.size(), [&](std::size_t i) {
        if (context.job.stop.stop_requested() || !lights[i].solved()) {
            return;
        }
        std::vector<const PredictionRecord*> bodies;
        for (const PredictionRecord& p : predictions) {
            if (p.frame == lights[i].raw && onFrames.contains(p.body)) {
                bodies.push_back(&p);
            }
        }
        if (!bodies.empty()) {
            perLight[i] = measureFrame(context, lights[i], bodies, errors[i]);
        }
    });
    if (context.job.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    std::vector<MeasurementRecord> all;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (errors[i]) {
            context.failures.push_back(*errors[i]);
        }
        all.insert(all.end(), perLight[i].begin(), perLight[i].end());
    }
    for (const BodyStack& stack : stacks) {
        auto record = measureStack(context, stack);
        if (record) {
            all.push_back(std::move(*record));
        } else {
            context.failures.push_back(record.error());
        }
    }
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
        return std::tuple(a.body, a.time.julian(), a.picture) <
               std::tuple(b.body, b.time.julian(), b.picture);
    });
    if (auto stored = context.file.replaceMeasurements(all); !stored) {
        return fail(stored.error());
    }
    // Read back: the observer's own decisions are laid over.
    return context.file.measurements();
}

} // namespace pathmark::night

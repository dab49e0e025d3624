#include "core/night/steps/measure_step.h"

#include "core/base/parallel.h"
#include "core/catalog/band.h"
#include "core/measure/measure_body.h"
#include "core/night/coma_part.h"
#include "core/night/hand_measurements.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/star_sources.h"
#include "core/night/steps/measure_doubts.h"
#include "core/night/steps/measure_keys.h"
#include "core/night/steps/measured_pixels.h"
#include "core/night/steps/unconfirmed.h"
#include "core/night/uncatalogued.h"
#include "core/stack/stack_header.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <span>

namespace pathmark::night {
namespace {

/// By so much of it the light of a body may differ from what its orbit says.
constexpr double kOrbitLightError = 0.4;
constexpr double kComaArcsec = 900.0; // stars within a comet's coma and tail are taken off

/// Catalogue stars around a place, in pixels of a picture.
std::vector<measure::StarNearby> neighboursOf(const NightRun& run,
                                              const SkyPos& place,
                                              const Utc& time,
                                              const measure::Picture& picture,
                                              double aroundArcsec,
                                              const std::set<std::int64_t>& leftOut = {}) {
    return starsBeside(picture,
                       run.store,
                       {place, Angle::arcsec(aroundArcsec), time},
                       [&](const catalog::Star& star, frame::PixelPos) {
                           return leftOut.contains(star.sourceId);
                       });
}

/// Other bodies among the neighbours, as bright as their orbits have them.
void addOthers(const std::vector<OtherBody>& others,
               const Utc& time,
               const measure::Picture& picture,
               std::vector<measure::StarNearby>& neighbours) {
    for (const OtherBody& other : others) {
        const auto pixel = picture.wcs.toPixel(other.at(time));
        if (pixel && picture.photometry) {
            neighbours.push_back({*pixel,
                                  solve::toElectrons(*picture.photometry,
                                                     other.magnitude,
                                                     picture.exposureSeconds,
                                                     solve::kBodyColour),
                                  kOrbitLightError});
        }
    }
}

/// Whether the source that agrees with a prediction is as bright as foretold, too: beside a bright body that its orbit has a little off
/// lie fragments of its own light, one of which may be nearer to the prediction.
bool isBrightEnough(const PredictionRecord& p) {
    constexpr double least = 0.25; // of the S/N: a light curve and an old magnitude together
    return p.match && (p.candidate || (p.snr && p.match->snr > least * *p.snr));
}

/// The lights of a frame that no catalogue has, as neighbours of a body: but those that may be the body itself, which is anywhere in its
/// search area where no source is surely it.
void addStrangers(std::span<const SourceRecord> strangers,
                  const PredictionRecord& p,
                  const LightRecord& light,
                  const measure::Picture& picture,
                  measure::Target& target) {
    const auto middle = picture.wcs.toPixel(target.lookedFor());
    if (!middle) {
        return;
    }
    std::vector<SourceRecord> sources;
    for (SourceRecord source : strangers) {
        if (const auto pixel = picture.wcs.toPixel(light.wcs->toSky(source.pixel))) {
            source.pixel = *pixel;
            sources.push_back(source);
        }
    }
    const double itself = kItselfFwhm * picture.shape.fwhm();
    double own = itself;
    if (!target.seenAt || !isBrightEnough(p)) {
        own = std::max(own, target.area().reachArcsec() / picture.wcs.scaleArcsec());
    }
    for (const frame::PixelPos& way : measure::waysOf(picture, target, *middle)) {
        own = std::max(own, itself + 0.5 * std::hypot(way.x, way.y));
    }
    addUncatalogued(
        sources,
        itself,
        [&](const frame::PixelPos& there) {
            return std::hypot(there.x - middle->x, there.y - middle->y) < own;
        },
        target.neighbours);
}

/// Why what was found may be a stranger's light: no source of a frame stood there, and it is far from the prediction. Empty: no
/// reason.
std::string farOff(const MeasurementRecord& record, const measure::Target& target) {
    const double off = separation(target.predicted, record.sky).arcsec();
    if (!record.seen || target.seenAt || off <= target.searchArcsec) {
        return {};
    }
    return fmt::format("{:.0f} arcsec from its predicted place; it may be something else", off);
}

void doubt(MeasurementRecord& record, const std::string& reason) {
    if (record.state == MeasurementState::Kept && !reason.empty()) {
        record.state = MeasurementState::Parked;
        record.reason = reason;
    }
}

void fill(MeasurementRecord& record,
          const Result<measure::Measured>& measured,
          const ReviewRules& rules) {
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
    doubt(record, rules.doubtOfSnr(measured->snr));
}

/// Where nothing was seen: how bright it would have had to be.
void addLimit(const measure::Picture& picture,
              const measure::Target& target,
              MeasurementRecord& record) {
    if (const auto pixel = picture.wcs.toPixel(target.lookedFor()); pixel && !record.seen) {
        record.limit = measure::limitAt(picture, target, *pixel);
    }
}

std::string bandLetter(const NightRun& run,
                       const std::optional<solve::PhotometricMatch>& photometry) {
    if (!run.recipe.measure.band.empty()) {
        return run.recipe.measure.band;
    }
    return photometry ? std::string(catalog::name(photometry->band)) : std::string();
}

/// Rate in arcseconds a minute to the east and to the north.
PlanePos rateOf(double rate, double angleDegrees) {
    const double angle = angleDegrees * kRadiansPerDegree;
    return {rate * std::sin(angle), rate * std::cos(angle)};
}

Result<measure::Measured> nucleusOf(Result<measure::CometMeasured> comet) {
    if (!comet) {
        return fail(comet.error());
    }
    return std::move(comet->nucleus);
}

/// Lays what was measured into the record.
void fillFrom(const MeasuredPixels& pixels,
              Result<measure::Measured> measured,
              const ReviewRules& rules,
              MeasurementRecord& record) {
    if (measured) {
        measured->pixel = pixels.toLight(measured->pixel);
    }
    fill(record, measured, rules);
}

/// One body of one frame.
MeasurementRecord measureOne(const NightRun& run,
                             const FramePredictions& predictions,
                             const LightRecord& light,
                             const MeasuredPixels& pixels,
                             std::span<const SourceRecord> strangers,
                             const PredictionRecord& p) {
    const PlanePos rate = rateOf(p.rateArcsecPerMin, p.positionAngleDegrees);
    const ReviewRules& review = run.recipe.measure.review;
    measure::Target target;
    target.predicted = p.sky;
    target.xiRateArcsecPerMin = rate.xi;
    target.etaRateArcsecPerMin = rate.eta;
    target.trailSeconds = light.exposureSeconds;
    target.searchArcsec = run.recipe.measure.searchArcsec;
    target.placeError = placeErrorOf(p);
    target.seenAt = p.surelyAt();
    MeasurementRecord record;
    record.id = measurementId(p.body, {light.frame});
    record.body = p.body;
    record.frame = light.frame;
    record.picture = light.calibrated;
    record.time = p.time;
    record.exposureSeconds = light.exposureSeconds;
    record.predicted = p.sky;
    record.rateArcsecPerMin = p.rateArcsecPerMin;
    record.positionAngleDegrees = p.positionAngleDegrees;
    record.predictedSnr = p.snr.value_or(0.0);
    record.fwhmPixels = light.fwhmPixels;
    record.usedStars = light.matchedStars;
    record.band = bandLetter(run, light.photometry);
    record.candidate = p.candidate;
    const double scale = light.wcs->scaleArcsec();
    const auto others = predictions.others(
        p.body, p.frame, target.lookedFor(), othersReach(run, &p, light.fwhmPixels * scale));
    const frame::PixelPos pixel = light.wcs->toPixel(target.lookedFor()).value_or(p.pixel);
    if (isComet(run, p.body)) {
        const measure::CometFrame frame = pixels.cometFrameAt(pixel);
        target.neighbours = neighboursOf(run,
                                         target.lookedFor(),
                                         light.middle,
                                         frame.picture,
                                         kComaArcsec + target.area().reachArcsec());
        auto comet = measure::measureComet(frame, target, run.recipe.measure.comet);
        if (comet) {
            record.coma = comaPart(*comet);
        }
        fillFrom(pixels, nucleusOf(std::move(comet)), review, record);
        doubt(record, doubtOf(record, std::nullopt, others, scale, review));
    } else {
        const measure::Picture picture = pixels.pictureAt(pixel);
        target.neighbours = neighboursOf(
            run, target.lookedFor(), light.middle, picture, target.area().reachArcsec());
        addOthers(others, light.middle, picture, target.neighbours);
        addStrangers(strangers, p, light, picture, target);
        fillFrom(pixels, measure::measureBody(picture, target), review, record);
        addLimit(picture, target, record);
        doubt(record,
              doubtOf(record, p.candidate ? std::nullopt : p.magnitude, others, scale, review));
    }
    doubt(record, farOff(record, target));
    if (light.timeUnsure && record.state == MeasurementState::Kept) {
        record.state = MeasurementState::Parked;
        record.reason = "the middle of the exposure is not sure; see the frame's header";
    }
    if (p.candidate && record.state == MeasurementState::Kept) {
        record.state = MeasurementState::Parked;
        record.reason = "a candidate: keep it to report it";
    }
    return record;
}

/// All wanted bodies of one frame.
Result<std::vector<MeasurementRecord>>
measureFrame(const NightRun& run,
             const FramePredictions& predictions,
             SeriesMasters& masters,
             const LightRecord& light,
             std::span<const SourceRecord> strangers,
             const std::vector<const PredictionRecord*>& bodies) {
    const auto pixels = MeasuredPixels::read(run, masters, light);
    if (!pixels) {
        return fail(pixels.error());
    }
    std::vector<MeasurementRecord> records;
    records.reserve(bodies.size());
    for (const PredictionRecord* p : bodies) {
        records.push_back(measureOne(run, predictions, light, *pixels, strangers, *p));
    }
    return records;
}

/// The share of the frames' weight that is left where a body is looked for.
double
shareAbout(const BodyStack& stack, const frame::Image& coverage, const measure::Target& target) {
    const auto pixel = stack.wcs.toPixel(target.lookedFor());
    const auto share = pixel ? meanAbout(coverage, *pixel, stack.frame.shape.fwhm()) : std::nullopt;
    return share && *share > 0.0 ? *share : 1.0;
}

/// What is known of a body's stack before anything is sought on it.
///
/// Shapes   `share`: of the frames' weight that is left about the body
measure::Picture pictureOf(const BodyStack& stack,
                           const frame::Image& light,
                           const frame::Header& header,
                           double share) {
    measure::Picture picture;
    picture.image = &light;
    picture.wcs = stack.wcs;
    picture.shape = stack.frame.shape;
    picture.noise = stack.frame.noise / std::sqrt(share);
    picture.lightVariance = header.number(stack::kLightVarianceKeyword).value_or(1.0) / share;
    picture.solutionErrorPixels = stack.frame.solutionErrorPixels;
    picture.photometry = stack.frame.photometry;
    if (const auto at = stack.frame.wcs.toPixel(stack.place.sky); at && picture.photometry) {
        picture.photometry =
            picture.photometry->about(*at, {stack.frame.width, stack.frame.height});
    }
    picture.exposureSeconds = stack.frame.exposureSeconds;
    return picture;
}

Result<MeasurementRecord>
measureStack(const NightRun& run, const FramePredictions& predictions, const BodyStack& stack) {
    auto reader = frame::FitsReader::open(stack.path);
    auto light = reader ? reader->image() : fail(reader.error());
    const auto clipped = light ? reader->extension("CLIPPED_HIGH") : fail(light.error());
    const auto coverage = clipped ? reader->extension("COVERAGE") : fail(clipped.error());
    if (!coverage) {
        return fail(coverage.error());
    }
    measure::Target target;
    target.predicted = stack.place.sky;
    target.xiRateArcsecPerMin = stack.place.xiRateArcsecPerMin;
    target.etaRateArcsecPerMin = stack.place.etaRateArcsecPerMin;
    target.trailSeconds = stack.frame.exposureSeconds;
    target.starTrailSeconds = stack.frame.spanSeconds;
    const PredictionRecord* own = predictions.of(middleFrame(run, stack), stack.body);
    target.searchArcsec = run.recipe.measure.searchArcsec;
    if (own != nullptr) {
        target.placeError = placeErrorOf(*own);
    }
    target.seenAt = seenOnFrames(run, predictions, stack);
    const measure::Picture picture =
        pictureOf(stack, *light, reader->header(), shareAbout(stack, *coverage, target));
    MeasurementRecord record;
    std::vector<FrameId> frames;
    for (const std::size_t index : stack.frame.lights) {
        frames.push_back(run.lights[index].frame);
    }
    record.id = measurementId(stack.body, std::move(frames));
    record.body = stack.body;
    record.onStack = true;
    record.picture = stack.path;
    record.frames = static_cast<int>(stack.frame.lights.size());
    record.time = stack.middle;
    record.exposureSeconds = stack.frame.exposureSeconds;
    record.spanSeconds = stack.frame.spanSeconds;
    record.predicted = stack.place.sky;
    record.rateArcsecPerMin = stack.place.rateArcsecPerMin();
    record.positionAngleDegrees = stack.place.positionAngle().degrees();
    record.fwhmPixels = stack.frame.shape.fwhm();
    record.usedStars = stack.frame.usedStars;
    record.band = bandLetter(run, stack.frame.photometry);
    if (isComet(run, stack.body)) {
        // Without neighbours: its stars were taken out.
        auto comet = measure::measureComet({&*light, picture}, target, run.recipe.measure.comet);
        if (comet) {
            record.coma = comaPart(*comet);
        }
        fill(record, nucleusOf(std::move(comet)), run.recipe.measure.review);
    } else {
        target.neighbours =
            neighboursOf(run,
                         target.lookedFor(),
                         stack.middle,
                         picture,
                         stack.place.rateArcsecPerMin() * stack.frame.spanSeconds / 60.0 +
                             target.area().reachArcsec(),
                         stack.starsLeftOut);
        fill(record, measure::measureBody(picture, target), run.recipe.measure.review);
        addLimit(picture, target, record);
        doubt(record, clippedDoubt(record, *clipped));
    }
    const bool hasMagnitude = own != nullptr && !own->candidate && !isComet(run, stack.body);
    doubt(record,
          doubtOf(record,
                  hasMagnitude ? own->magnitude : std::nullopt,
                  othersOf(run, predictions, stack),
                  picture.wcs.scaleArcsec(),
                  run.recipe.measure.review));
    doubt(record, farOff(record, target));
    if (!stack.starsIn.empty()) {
        doubt(record, "the stars are in its light: " + stack.starsIn);
    }
    return record;
}

Product productOf(const ProductKey& key,
                  const FrameId& frame,
                  const std::vector<MeasurementRecord>& records) {
    std::vector<MeasurementRecord> stored = records;
    for (MeasurementRecord& record : stored) {
        record.picture.clear(); // where it lies is the picture's own product's to know
    }
    return {key.hex(),
            ProductKind::Measurements,
            frame,
            {},
            {},
            record_json::write(stored).dump(),
            {},
            key.origin()};
}

/// The stored measurements of a picture.
std::optional<std::vector<MeasurementRecord>>
storedOf(const NightRun& run, const std::string& key, const std::filesystem::path& picture) {
    const auto product = run.file().product(key);
    if (!product) {
        return std::nullopt;
    }
    auto records =
        record_json::read<std::vector<MeasurementRecord>>(nlohmann::json::parse(product->info));
    for (MeasurementRecord& record : records) {
        record.picture = picture;
    }
    return records;
}

/// The wanted bodies of every light.
std::vector<std::vector<const PredictionRecord*>> wantedOf(const NightRun& run,
                                                           const FramePredictions& predictions) {
    const std::set<BodyId> onFrames(run.plan.onFrames.begin(), run.plan.onFrames.end());
    std::vector<std::vector<const PredictionRecord*>> wanted(run.lights.size());
    for (std::size_t i = 0; i < run.lights.size(); ++i) {
        for (const PredictionRecord* p : predictions.of(run.lights[i].frame)) {
            if (onFrames.contains(p->body)) {
                wanted[i].push_back(p);
            }
        }
    }
    return wanted;
}

Result<bool> measureFrames(NightRun& run,
                           const FramePredictions& predictions,
                           std::vector<MeasurementRecord>& all) {
    const auto wanted = wantedOf(run, predictions);
    const std::size_t count = run.lights.size();
    std::vector<std::optional<std::vector<MeasurementRecord>>> done(count);
    std::vector<std::optional<Error>> errors(count);
    std::vector<std::optional<ProductKey>> keys(count);
    std::vector<std::vector<SourceRecord>> strangers(count);
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < count; ++i) {
        if (!run.lights[i].solved() || wanted[i].empty()) {
            continue;
        }
        keys[i] = measurementKey(run, predictions, run.lights[i], wanted[i]);
        done[i] = storedOf(run, keys[i]->hex(), run.lights[i].calibrated);
        if (!done[i]) {
            open.push_back(i);
            const auto sources = run.file().sources(run.lights[i]);
            if (!sources) {
                return fail(sources.error());
            }
            strangers[i] = surelyUncatalogued(*sources);
        }
    }
    run.job().progress("Measuring", 0, static_cast<int>(open.size()));
    SeriesMasters masters(run.calibration);
    parallelFor(open.size(), [&](std::size_t k) {
        const std::size_t i = open[k];
        if (run.isStopped()) {
            return;
        }
        if (auto measured =
                measureFrame(run, predictions, masters, run.lights[i], strangers[i], wanted[i])) {
            done[i] = std::move(*measured);
        } else {
            errors[i] = measured.error();
        }
    });
    if (run.isStopped()) {
        return stopped();
    }
    std::vector<Product> products;
    for (const std::size_t i : open) {
        if (errors[i]) {
            run.failed(*errors[i]);
        } else {
            products.push_back(productOf(*keys[i], run.lights[i].frame, *done[i]));
        }
    }
    for (const auto& records : done) {
        if (records) {
            all.insert(all.end(), records->begin(), records->end());
        }
    }
    return run.file().putProducts(products);
}

Result<bool> measureStacks(NightRun& run,
                           const FramePredictions& predictions,
                           std::vector<MeasurementRecord>& all) {
    for (const BodyStack& stack : run.stacks) {
        if (run.isStopped()) {
            return stopped();
        }
        const ProductKey key = measurementKey(run, predictions, stack);
        if (auto known = storedOf(run, key.hex(), stack.path)) {
            all.insert(all.end(), known->begin(), known->end());
            continue;
        }
        auto record = measureStack(run, predictions, stack);
        if (!record) {
            run.failed(record.error());
            continue;
        }
        const Product product = productOf(key, {}, {*record});
        if (auto stored = run.file().putProducts(std::span(&product, 1)); !stored) {
            return stored;
        }
        all.push_back(std::move(*record));
    }
    return true;
}

/// What was kept by hand, on the lights as they are calibrated and solved now. What no longer can be measured stays as it was kept.
void measureByHand(NightRun& run, std::vector<MeasurementRecord>& all) {
    for (const auto& [id, kept] : run.calibration.decided.byHand) {
        const auto light =
            std::find_if(run.lights.begin(), run.lights.end(), [&, &kept = kept](const auto& l) {
                return l.frame == kept.record->frame;
            });
        if (light == run.lights.end() || !light->solved()) {
            continue;
        }
        if (auto again = measuredAgain(kept, *light, &run.store, run.recipe.measure.review)) {
            all.push_back(std::move(*again));
        } else {
            run.failed(again.error());
        }
    }
}

} // namespace

Result<bool> measureStep(NightRun& run) {
    std::vector<MeasurementRecord> all;
    const FramePredictions predictions(run.predictions);
    if (auto done = measureFrames(run, predictions, all); !done) {
        return done;
    }
    if (auto done = measureStacks(run, predictions, all); !done) {
        return done;
    }
    if (auto dropped = dropUnconfirmed(run, all); !dropped) {
        return dropped;
    }
    all.insert(all.end(), run.swept.begin(), run.swept.end());
    measureByHand(run, all);
    std::stable_sort(all.begin(), all.end(), comesBefore);
    if (run.recipe.ownStars) {
        for (MeasurementRecord& record : all) {
            doubt(record, "no star catalogue: its place and brightness are relative");
        }
    }
    if (auto stored = run.file().replaceMeasurements(all); !stored) {
        return stored;
    }
    // Read back: the observer's own decisions are laid over.
    auto judged = run.file().measurements();
    if (!judged) {
        return fail(judged.error());
    }
    run.measurements = std::move(*judged);
    return true;
}

} // namespace pathmark::night

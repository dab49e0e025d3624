#include "core/night/steps/identify_step.h"

#include "core/identify/bodies_in_frame.h"
#include "core/identify/match_bodies.h"
#include "core/night/light_sources.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/settings_text.h"
#include "core/night/steps/step.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

/// Times the signal-to-noise that is expected.
constexpr double kOutburst = 2.0;

/// A body is looked for among the sources from this predicted signal-to-noise on: magnitudes predicted are off by half a
/// magnitude, and a source near the place of one far too faint is another's.
constexpr double kMatchedFrom = 2.5;

/// Bodies without a magnitude are stacked where the stack is sure to hold them, and so many at most: each costs a stack.
constexpr double kStackedErrorArcsec = 20.0;
constexpr int kMostWithoutMagnitude = 20;

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

PredictionRecord
predictionOf(const NightRun& run, const LightRecord& light, const identify::BodyInFrame& body) {
    PredictionRecord p;
    p.title = run.orbits.name(body.orbit);
    p.body = BodyId::of(p.title);
    p.frame = light.frame;
    p.file = light.raw;
    p.time = light.middle.plusSeconds(body.delaySeconds);
    p.sky = body.place.sky;
    p.pixel = body.pixel;
    p.rateArcsecPerMin = body.place.rateArcsecPerMin();
    p.positionAngleDegrees = body.place.positionAngle().degrees();
    p.magnitude = body.place.magnitude;
    p.snr = body.snr;
    return p;
}

/// The bodies of one light, each with the source that agrees with it.
Result<std::vector<PredictionRecord>>
predictLight(const NightRun& run,
             const LightRecord& light,
             const std::vector<identify::BodyInFrame>& bodies) {
    std::vector<PredictionRecord> predictions;
    const auto stored = run.file().sources(light);
    if (!stored) {
        return fail(stored.error());
    }
    const auto all = sourcesOnSky(light, *stored);
    std::vector<identify::SkySource> sources; // those on no star
    std::vector<std::size_t> index;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (!all[i].isStar) {
            sources.push_back(all[i]);
            index.push_back(i);
        }
    }
    std::vector<identify::ExpectedBody> expected;
    for (const auto& body : bodies) {
        PredictionRecord p = predictionOf(run, light, body);
        const auto where = identify::expectedFrom(run.orbits.elements(body.orbit), body.place);
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
        if (predictions[i].snr.value_or(identify::kReachSnr) >= kMatchedFrom) {
            shown.push_back(expected[i]);
            whose.push_back(i);
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
    return predictions;
}

ProductKey keyOf(const NightRun& run, const LightRecord& light) {
    ProductKey key("identify", versionOf("identify"));
    key.settings(settingsText(run.recipe.site))
        .input("sources", light.keys.sources)
        .input("solution", light.keys.solution)
        .input("zero point", light.keys.zeroPoint)
        .input("time", toIso(light.middle, 6))
        .input("row delay", fmt::format("{}", light.rowSeconds))
        .input("orbits", run.orbitDigest)
        .input("planets and Earth", run.skyDigest);
    return key;
}

std::string infoOf(const std::vector<PredictionRecord>& predictions) {
    std::vector<PredictionRecord> stored = predictions;
    for (PredictionRecord& p : stored) {
        p.file.clear(); // where the frame lies is the night's to know
    }
    return record_json::write(stored).dump();
}

std::vector<PredictionRecord> predictionsFrom(const Product& product, const LightRecord& light) {
    auto predictions =
        record_json::read<std::vector<PredictionRecord>>(nlohmann::json::parse(product.info));
    for (PredictionRecord& p : predictions) {
        p.file = light.raw;
    }
    return predictions;
}

/// The bodies of one night's frames that have no such product yet; `found` is by light.
Result<bool> identifyNight(NightRun& run,
                           std::span<const std::size_t> members,
                           std::vector<std::vector<PredictionRecord>>& found) {
    const Utc first = run.lights[members.front()].middle;
    const Utc last = run.lights[members.back()].middle;
    auto night = identify::NightBodies::make(run.orbits, run.sky.planets, first, last, run.job());
    if (!night) {
        Error error = night.error();
        error.subject = run.lights[members.front()].raw.string();
        return fail(std::move(error));
    }
    std::vector<Product> products;
    for (const std::size_t i : members) {
        const LightRecord& light = run.lights[i];
        if (run.isStopped()) {
            return stopped();
        }
        run.job().progress(
            "Finding known bodies", static_cast<int>(i), static_cast<int>(run.lights.size()));
        const identify::FrameOnSky onSky{
            *light.wcs, light.width, light.height, light.middle, depthOf(light), light.rowSeconds};
        auto bodies =
            identify::bodiesInFrame(*night, run.sky.planets, run.recipe.site, onSky, run.sky.turn);
        if (!bodies) {
            Error error = bodies.error();
            error.subject = light.raw.string();
            run.failed(std::move(error));
            continue;
        }
        auto predictions = predictLight(run, light, *bodies);
        if (!predictions) {
            return fail(predictions.error());
        }
        const ProductKey key = keyOf(run, light);
        products.push_back({key.hex(),
                            ProductKind::Matches,
                            light.frame,
                            {},
                            {},
                            infoOf(*predictions),
                            {},
                            key.origin()});
        found[i] = std::move(*predictions);
    }
    for (const Error& error : night->lost()) {
        run.job().message(toMessage(error));
    }
    return run.file().putProducts(products);
}

} // namespace

Result<bool> identifyStep(NightRun& run) {
    std::vector<std::vector<PredictionRecord>> found(run.lights.size());
    std::vector<bool> isOpen(run.lights.size(), false);
    std::vector<Utc> times;
    times.reserve(run.lights.size());
    for (std::size_t i = 0; i < run.lights.size(); ++i) {
        const LightRecord& light = run.lights[i];
        times.push_back(light.middle);
        // Where a light lies only on the others, no orbit can be laid on it.
        if (!light.solved() || light.isRelative() || run.orbits.size() == 0) {
            continue;
        }
        run.matchKeys[light.frame] = keyOf(run, light).hex();
        if (const auto product = run.file().product(run.matchKeys[light.frame])) {
            found[i] = predictionsFrom(*product, light);
        } else {
            isOpen[i] = true;
        }
    }
    if (!times.empty()) {
        if (const auto warning = leapSecondWarning(*std::max_element(times.begin(), times.end()))) {
            run.job().message(*warning);
        }
    }
    for (const auto& members : identify::nightsOf(times)) {
        std::vector<std::size_t> open;
        std::copy_if(members.begin(), members.end(), std::back_inserter(open), [&](std::size_t i) {
            return isOpen[i];
        });
        if (open.empty()) {
            continue;
        }
        if (auto done = identifyNight(run, open, found); !done) {
            // A night that the planets' files do not reach, say, is lost to this; the others are not.
            if (stopsTheNight(done.error())) {
                return done;
            }
            run.failed(done.error());
        }
    }
    for (auto& list : found) {
        std::move(list.begin(), list.end(), std::back_inserter(run.predictions));
    }
    return true;
}

Result<bool> planStep(NightRun& run) {
    struct Reach {
        double best = 0.0;
        double squares = 0.0;
        bool hasMagnitude = false;
        double placeErrorArcsec = 0.0; ///< along the line on which the orbit may be off
    };

    std::map<BodyId, Reach> reach;
    std::set<BodyId> candidates;
    for (const PredictionRecord& p : run.predictions) {
        if (p.candidate) {
            candidates.insert(p.body);
            continue;
        }
        Reach& body = reach[p.body];
        body.hasMagnitude = body.hasMagnitude || p.magnitude;
        body.placeErrorArcsec = std::max(body.placeErrorArcsec, p.sigmaMajorArcsec);
        // What was found far brighter than its orbit says, or where the frame's zero point is missing, is in reach. A faint
        // one that noise lifted over the threshold in one frame is not.
        const double expected = p.snr.value_or(0.0);
        const bool isSeen = p.isSurelyMatched() && (!p.snr || p.match->snr > kOutburst * expected);
        const double snr = isSeen ? std::max(expected, p.match->snr) : expected;
        body.best = std::max(body.best, snr);
        body.squares += snr * snr;
    }
    std::set<BodyId> wanted;
    for (const std::string& name : run.recipe.bodies) {
        wanted.insert(BodyId::of(name));
    }
    MeasurePlan plan;
    int without = 0;
    // They were found in single frames.
    plan.onFrames.assign(candidates.begin(), candidates.end());
    for (const auto& [body, value] : reach) {
        const bool named = wanted.contains(body);
        if (!wanted.empty() && !named) {
            continue;
        }
        const double stackSnr = std::sqrt(value.squares);
        // Nobody can say what of a body without a magnitude is in reach: a stack will show it or tell how faint it is.
        const bool isUnforetold = !value.hasMagnitude && value.best == 0.0 &&
                                  value.placeErrorArcsec < kStackedErrorArcsec &&
                                  without < kMostWithoutMagnitude;
        without += isUnforetold ? 1 : 0;
        const bool isStacked = named || isUnforetold || stackSnr >= identify::kReachSnr;
        if (run.recipe.stackGroups > 0) {
            if (isStacked) {
                plan.onStacks.push_back(body);
            }
        } else if (value.best >= identify::kReachSnr) {
            plan.onFrames.push_back(body);
        } else if (run.recipe.faintGroups > 0 && isStacked) {
            plan.onStacks.push_back(body);
        }
    }
    for (const BodyId& body : wanted) {
        if (!reach.contains(body)) {
            run.job().message(body.text() + " is in none of the solved frames.");
        }
    }
    run.plan = std::move(plan);
    return true;
}

} // namespace pathmark::night

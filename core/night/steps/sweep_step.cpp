#include "core/night/steps/sweep_step.h"

#include "core/base/atomic_file.h"
#include "core/night/body_orbit.h"
#include "core/night/known_sites.h"
#include "core/night/linked_nights.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/settings_text.h"
#include "core/night/steps/stack_products.h"
#include "core/night/steps/step.h"
#include "core/night/sweep_lights.h"
#include "core/night/swept_bodies.h"
#include "core/night/work_folder.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr const char* kKeptFolder = "sweep.kept"; ///< of searches that are not finished
constexpr const char* kWorkFolder = "sweep.work"; ///< of frames on the way

/// One of the stacks on a candidate, as measured.
struct MeasuredStack {
    MeasurementRecord record;
    std::vector<FrameId> frames;
};

/// What one sweep leaves.
struct Swept {
    SweepRecord record;
    std::vector<std::vector<MeasuredStack>> measured; ///< of each body
};

/// The lights of a series that a sweep goes over, in order of time.
struct SweptSeries {
    std::vector<std::size_t> places; ///< in the run's lights
    std::vector<const LightRecord*> lights;
    double widthArcsec = 0.0; ///< of a star
    double halfSeconds = 0.0; ///< from the middle to the first and the last

    [[nodiscard]] std::vector<FrameId> frames() const {
        std::vector<FrameId> ids;
        ids.reserve(lights.size());
        for (const LightRecord* light : lights) {
            ids.push_back(light->frame);
        }
        return ids;
    }

    /// Where some of its frames stand in `lights`.
    [[nodiscard]] std::vector<std::size_t> membersOf(std::span<const FrameId> some) const {
        std::vector<std::size_t> members;
        for (std::size_t k = 0; k < lights.size(); ++k) {
            if (std::find(some.begin(), some.end(), lights[k]->frame) != some.end()) {
                members.push_back(k);
            }
        }
        return members;
    }
};

SweptSeries seriesOf(const NightRun& run, const SeriesId& series) {
    SweptSeries found;
    for (std::size_t i = 0; i < run.lights.size(); ++i) {
        const LightRecord& light = run.lights[i];
        if (light.series == series && light.solved() && light.leftOutBy.empty()) {
            found.places.push_back(i);
            found.lights.push_back(&light);
            found.widthArcsec = std::max(
                found.widthArcsec, std::max(1.0, light.fwhmPixels) * light.wcs->scaleArcsec());
        }
    }
    if (!found.lights.empty()) {
        found.halfSeconds =
            0.5 * found.lights.back()->middle.secondsSince(found.lights.front()->middle);
    }
    return found;
}

ProductKey keyOf(const SweepWish& wish, const SweptSeries& series) {
    ProductKey key("sweep", versionOf("sweep"));
    key.settings(record_json::write(wish).dump());
    for (const LightRecord* light : series.lights) {
        key.input("calibrated", light->keys.calibrated)
            .input("solution", light->keys.solution)
            .input("zero point", light->keys.zeroPoint)
            .input("time", toIso(light->middle, 6));
    }
    return key;
}

/// Gives names: those of an earlier sweep of the night to the same bodies, new ones to others.
class Names {
  public:
    static Result<Names> of(const NightRun& run) {
        Names names;
        const auto products = run.file().products(ProductKind::Sweep);
        if (!products) {
            return fail(products.error());
        }
        for (const Product& product : *products) {
            const auto info = nlohmann::json::parse(product.info);
            const auto record = record_json::read<SweepRecord>(info.at("record"));
            for (const SweptBody& body : record.bodies) {
                names.taken_.insert(body.name);
                names.earlier_.push_back(body);
            }
        }
        return names;
    }

    /// One sweep does not give a name twice.
    std::string nameOf(const SweptBody& body, const SweptSeries& series) {
        for (const SweptBody& old : earlier_) {
            if (!used_.contains(old.name) &&
                isSameBody(body, old, series.halfSeconds, series.widthArcsec)) {
                used_.insert(old.name);
                return old.name;
            }
        }
        std::string name = nextSweptName(body.time, taken_);
        used_.insert(name);
        return name;
    }

  private:
    std::set<std::string> taken_;
    std::set<std::string> used_;
    std::vector<SweptBody> earlier_;
};

fs::path stackOf(const NightRun& run,
                 const SweptSeries& series,
                 const std::string& name,
                 std::span<const std::size_t> members) {
    std::vector<std::size_t> chosen;
    chosen.reserve(members.size());
    for (const std::size_t member : members) {
        chosen.push_back(series.places[member]);
    }
    return stackPath(run, name, chosen);
}

std::string stackKeyOf(const std::string& sweepKey, const fs::path& path) {
    ProductKey key("sweep", versionOf("sweep"));
    key.input("sweep", sweepKey).input("stack", path.filename().string());
    return key.hex();
}

MeasuredStack measuredOn(const NightRun& run,
                         const SweptSeries& series,
                         const SweptBody& body,
                         const CandidateMeasurement& made,
                         const std::string& band) {
    MeasuredStack stack;
    for (const std::size_t member : made.members) {
        stack.frames.push_back(series.lights[member]->frame);
    }
    const measure::Measured& m = made.measured;
    MeasurementRecord& record = stack.record;
    record.onStack = true;
    record.seen = true;
    record.candidate = true;
    record.frames = static_cast<int>(made.members.size());
    record.time = made.middle;
    record.exposureSeconds = series.lights[made.members.front()]->exposureSeconds;
    record.sky = m.sky;
    record.pixel = m.pixel;
    record.predicted = body.at(made.middle);
    record.raErrorArcsec = m.raErrorArcsec;
    record.decErrorArcsec = m.decErrorArcsec;
    record.observedMinusComputedRa = m.observedMinusComputedRa;
    record.observedMinusComputedDec = m.observedMinusComputedDec;
    record.rateArcsecPerMin = body.rateArcsecPerMin;
    record.positionAngleDegrees = body.positionAngleDegrees;
    record.snr = m.snr;
    record.predictedSnr = body.snr * std::sqrt(static_cast<double>(made.members.size()) /
                                               static_cast<double>(series.lights.size()));
    record.flux = m.flux;
    record.magnitude = m.magnitude;
    record.magnitudeError = m.magnitudeError;
    record.band = run.recipe.measure.band.empty() ? band : run.recipe.measure.band;
    record.fwhmPixels = made.fwhmPixels;
    record.usedStars = series.lights[made.members.front()]->matchedStars;
    record.reason = m.concern;
    return stack;
}

Result<std::vector<StackLight>> readLights(const NightRun& run, const SweptSeries& series) {
    std::vector<StackLight> lights;
    for (std::size_t i = 0; i < series.lights.size(); ++i) {
        if (run.isStopped()) {
            return stopped();
        }
        run.job().progress("Reading frames for the sweep",
                           static_cast<int>(i),
                           static_cast<int>(series.lights.size()));
        auto light = readStackLight(series.lights[i]->calibrated, {}, {});
        if (!light) {
            return fail(light.error());
        }
        lights.push_back(std::move(*light));
    }
    return lights;
}

/// What the search is to find and to keep.
sweep::SweepOptions optionsOf(const NightRun& run,
                              const SweepWish& wish,
                              const sweep::LightMaps& maps,
                              const fs::path& kept,
                              const StackLight& reference) {
    sweep::SweepOptions options;
    options.bounds = boundsOf(wish, maps);
    options.falseAlarms = wish.falseAlarms;
    options.kept = kept;
    if (run.onSwept) {
        options.onFound = [&run, &reference](const sweep::Candidate& c) {
            run.onSwept(sweptBody(c, magnitudeOf(reference, c.electrons)));
        };
    }
    return options;
}

SweepRecord
recordOf(const SweptSeries& series, const SweepWish& wish, const sweep::SweepResult& found) {
    SweepRecord record;
    record.series = series.lights.front()->series;
    record.wish = wish;
    record.frames = series.frames();
    record.motions = static_cast<double>(found.motions);
    record.thresholdSnr = found.thresholdSnr;
    record.depth = depthOf(series.lights, found.thresholdSnr);
    for (const sweep::Refused& refused : found.refused) {
        const sweep::Candidate& c = refused.candidate;
        record.refused.push_back(
            {c.sky, c.rateArcsecPerMin, c.positionAngle.degrees(), c.snr, refused.why});
    }
    return record;
}

Result<Swept>
makeSweep(NightRun& run, const SweptSeries& series, const SweepWish& wish, const std::string& key) {
    const auto lights = readLights(run, series);
    if (!lights) {
        return fail(lights.error());
    }
    const auto maps = emptyMaps(sweepViews(*lights));
    if (!maps) {
        return fail(maps.error());
    }
    const WorkFolder work(run.calibration.out / kWorkFolder);
    const fs::path kept = run.calibration.out / kKeptFolder / key;
    for (const fs::path& folder :
         {work.path(), kept, run.calibration.out / infoOf(ProductKind::Stack).folder}) {
        if (auto made = makeFolder(folder); !made) {
            return fail(made.error());
        }
    }
    auto names = Names::of(run);
    if (!names) {
        return fail(names.error());
    }
    Swept swept;
    const StackLight& reference = lights->front();
    std::vector<SweptBody> bodies;
    const CandidateStackFiles files = [&](const sweep::Candidate& candidate,
                                          std::size_t number,
                                          std::span<const std::size_t> members) {
        if (number == bodies.size()) {
            bodies.push_back(sweptBody(candidate, magnitudeOf(reference, candidate.electrons)));
            bodies.back().name = names->nameOf(bodies.back(), series);
        }
        auto path = stackOf(run, series, bodies[number].name, members);
        return CandidateStackFile{path, stackKeyOf(key, path)};
    };
    const auto done = sweepLights(*lights,
                                  optionsOf(run, wish, *maps, kept, reference),
                                  wish.groups,
                                  files,
                                  work.path(),
                                  run.job());
    if (!done) {
        return fail(done.error());
    }
    swept.record = recordOf(series, wish, done->found);
    swept.record.band = reference.band;
    swept.record.bodies = std::move(bodies);
    for (std::size_t k = 0; k < swept.record.bodies.size(); ++k) {
        swept.measured.emplace_back();
        for (const CandidateMeasurement& made : done->measured[k]) {
            swept.measured.back().push_back(
                measuredOn(run, series, swept.record.bodies[k], made, reference.band));
        }
    }
    std::error_code ignored;
    fs::remove_all(kept, ignored);
    fs::remove(kept.parent_path(), ignored); // if nothing else is kept
    return swept;
}

nlohmann::json toJson(const Swept& swept) {
    nlohmann::json bodies = nlohmann::json::array();
    for (const auto& stacks : swept.measured) {
        nlohmann::json list = nlohmann::json::array();
        for (const MeasuredStack& stack : stacks) {
            list.push_back({{"record", record_json::write(stack.record)},
                            {"frames", record_json::write(stack.frames)}});
        }
        bodies.push_back(std::move(list));
    }
    return {{"record", record_json::write(swept.record)}, {"measured", std::move(bodies)}};
}

Swept fromJson(const nlohmann::json& info) {
    Swept swept;
    swept.record = record_json::read<SweepRecord>(info.at("record"));
    for (const auto& list : info.at("measured")) {
        swept.measured.emplace_back();
        for (const auto& stack : list) {
            swept.measured.back().push_back(
                {record_json::read<MeasurementRecord>(stack.at("record")),
                 record_json::read<std::vector<FrameId>>(stack.at("frames"))});
        }
    }
    return swept;
}

/// Whether the stacks of all bodies are still there.
bool hasStacks(const NightRun& run, const SweptSeries& series, const Swept& swept) {
    for (std::size_t k = 0; k < swept.measured.size(); ++k) {
        for (const MeasuredStack& stack : swept.measured[k]) {
            const auto members = series.membersOf(stack.frames);
            if (!fs::exists(stackOf(run, series, swept.record.bodies[k].name, members))) {
                return false;
            }
        }
    }
    return true;
}

/// From the night file, or anew.
Result<Swept> sweepOf(NightRun& run, const SweptSeries& series, const SweepWish& wish) {
    const ProductKey key = keyOf(wish, series);
    if (const auto product = run.file().product(key.hex())) {
        Swept swept = fromJson(nlohmann::json::parse(product->info));
        if (hasStacks(run, series, swept)) {
            return swept;
        }
    }
    auto made = makeSweep(run, series, wish, key.hex());
    if (!made) {
        return made;
    }
    const Product product{key.hex(),
                          ProductKind::Sweep,
                          series.lights.front()->frame,
                          {},
                          {},
                          toJson(*made).dump(),
                          {},
                          key.origin()};
    if (auto stored = run.file().putProducts(std::span(&product, 1)); !stored) {
        return fail(stored.error());
    }
    return made;
}

/// Where a swept body is on every light of its series.
void predict(NightRun& run, const SweptSeries& series, const SweptBody& body) {
    for (const LightRecord* light : series.lights) {
        const SkyPos sky = body.at(light->middle);
        const auto pixel = light->wcs->toPixel(sky);
        if (!pixel || pixel->x < -0.5 || pixel->y < -0.5 || pixel->x > light->width - 0.5 ||
            pixel->y > light->height - 0.5) {
            continue;
        }
        PredictionRecord p;
        p.body = BodyId::of(body.name);
        p.title = body.name;
        p.frame = light->frame;
        p.file = light->raw;
        p.time = light->middle.plusSeconds(light->rowSeconds * pixel->y);
        p.sky = sky;
        p.pixel = *pixel;
        p.rateArcsecPerMin = body.rateArcsecPerMin;
        p.positionAngleDegrees = body.positionAngleDegrees;
        p.magnitude = body.magnitude;
        p.snr = body.snr / std::sqrt(static_cast<double>(series.lights.size()));
        p.candidate = true;
        run.predictions.push_back(std::move(p));
    }
}

/// Lays the measurements of a body into the night.
void take(NightRun& run,
          const SweptSeries& series,
          const std::string& ownName,
          const SweptBody& body,
          const std::vector<MeasuredStack>& stacks) {
    for (const MeasuredStack& stack : stacks) {
        MeasurementRecord record = stack.record;
        record.body = BodyId::of(body.name);
        record.id = measurementId(record.body, stack.frames);
        record.picture = stackOf(run, series, ownName, series.membersOf(stack.frames));
        record.candidate = !body.known;
        record.state = MeasurementState::Parked;
        if (record.reason.empty()) {
            record.reason =
                fmt::format("found by a sweep, by chance 10^{:.1f}: keep it to report it",
                            body.falseAlarmsLog10);
        }
        run.swept.push_back(std::move(record));
    }
}

/// One sweep of the night, on its way from what it found to what the night says of it.
struct NightSweep {
    SweptSeries series;
    std::string key;
    Swept swept;
    std::vector<std::string> ownNames; ///< of its bodies, as its stacks are named
    std::vector<bool> isMeasured;      ///< by other steps, or by another sweep
};

/// Names what is known of a sweep, and predicts the rest.
void recogniseBodies(NightRun& run, NightSweep& sweep) {
    std::set<BodyId> planned(run.plan.onFrames.begin(), run.plan.onFrames.end());
    planned.insert(run.plan.onStacks.begin(), run.plan.onStacks.end());
    const auto frames = sweep.series.frames();
    std::vector<const PredictionRecord*> foretold;
    for (const PredictionRecord& p : run.predictions) {
        if (std::find(frames.begin(), frames.end(), p.frame) != frames.end()) {
            foretold.push_back(&p);
        }
    }
    for (SweptBody& body : sweep.swept.record.bodies) {
        sweep.ownNames.push_back(body.name);
        const PredictionRecord* p =
            recognised(body, foretold, sweep.series.halfSeconds, sweep.series.widthArcsec);
        sweep.isMeasured.push_back(p != nullptr && (p->candidate || planned.contains(p->body)));
        if (p != nullptr) {
            body.known = true;
            body.name = p->title;
        }
    }
    for (const SweptBody& body : sweep.swept.record.bodies) {
        if (!body.known) {
            predict(run, sweep.series, body);
        }
    }
}

/// Candidates of several nights that are one body go by the name of the earliest.
Result<bool> linkSweeps(NightRun& run, std::vector<NightSweep>& sweeps) {
    std::vector<NightCandidate> candidates;
    std::vector<SweptBody*> bodies;
    for (NightSweep& sweep : sweeps) {
        for (std::size_t k = 0; k < sweep.swept.record.bodies.size(); ++k) {
            SweptBody& body = sweep.swept.record.bodies[k];
            if (body.known) {
                continue;
            }
            NightCandidate candidate{body, sweep.series.halfSeconds, {}};
            for (const MeasuredStack& stack : sweep.swept.measured[k]) {
                candidate.observations.push_back(observationOf(stack.record, run.recipe));
            }
            candidates.push_back(std::move(candidate));
            bodies.push_back(&body);
        }
    }
    if (candidates.size() < 2) {
        return true;
    }
    auto codes = knownSites(run.recipe.siteCodeFiles);
    if (!codes) {
        return fail(codes.error());
    }
    codes->add(run.recipe.site, run.recipe.head.observatory);
    const auto first =
        linkNights(candidates, {run.sky.planets, *codes, run.sky.turn}, run.job().stop);
    for (std::size_t k = 0; k < bodies.size(); ++k) {
        if (first[k] == k) {
            continue;
        }
        const std::string own = bodies[k]->name;
        bodies[k]->name = bodies[first[k]]->name;
        for (PredictionRecord& p : run.predictions) {
            if (p.body == BodyId::of(own)) {
                p.body = BodyId::of(bodies[k]->name);
                p.title = bodies[k]->name;
            }
        }
        run.job().message(
            fmt::format("{} is {} on another night: one orbit fits both.", own, bodies[k]->name));
    }
    return true;
}

/// What the sweeps measured becomes the night's.
void takeAll(NightRun& run, const NightSweep& sweep) {
    for (std::size_t k = 0; k < sweep.swept.record.bodies.size(); ++k) {
        for (const MeasuredStack& stack : sweep.swept.measured[k]) {
            const auto path =
                stackOf(run, sweep.series, sweep.ownNames[k], sweep.series.membersOf(stack.frames));
            run.sweptStackKeys.push_back(stackKeyOf(sweep.key, path));
        }
        if (!sweep.isMeasured[k]) {
            take(run,
                 sweep.series,
                 sweep.ownNames[k],
                 sweep.swept.record.bodies[k],
                 sweep.swept.measured[k]);
        }
    }
}

/// What killed sweeps left on the disk: frames on the way, and parts of searches that nobody asks for any more.
void forgetLeftovers(const NightRun& run) {
    std::error_code ignored;
    fs::remove_all(run.calibration.out / kWorkFolder, ignored);
    std::set<std::string> wanted;
    for (const auto& [id, wishes] : run.calibration.decided.sweeps) {
        const SweptSeries series = seriesOf(run, id);
        for (const SweepWish& wish : wishes) {
            wanted.insert(keyOf(wish, series).hex());
        }
    }
    const fs::path kept = run.calibration.out / kKeptFolder;
    for (const auto& entry : fs::directory_iterator(kept, ignored)) {
        if (!wanted.contains(entry.path().filename().string())) {
            fs::remove_all(entry.path(), ignored);
        }
    }
    fs::remove(kept, ignored); // if nothing is kept
}

/// Does what is asked for of one series; a sweep that cannot be made goes to the failures.
Result<bool> sweepSeries(NightRun& run,
                         const SeriesId& id,
                         const SweepWish& wish,
                         std::vector<NightSweep>& all) {
    SweptSeries series = seriesOf(run, id);
    if (series.lights.empty()) {
        run.failed({ErrorId::SweepNoMotion,
                    "No frame of a series that is to be swept is solved and in use; the sweep "
                    "waits for some.",
                    {}});
        return true;
    }
    auto swept = sweepOf(run, series, wish);
    if (!swept) {
        Error error = swept.error();
        if (stopsTheNight(error)) {
            return fail(error);
        }
        error.subject = series.lights.front()->raw.string();
        run.failed(std::move(error));
        return true;
    }
    const std::string key = keyOf(wish, series).hex();
    all.push_back({std::move(series), key, *std::move(swept), {}, {}});
    recogniseBodies(run, all.back());
    return true;
}

} // namespace

Result<bool> sweepStep(NightRun& run) {
    forgetLeftovers(run);
    std::vector<NightSweep> sweeps;
    for (const auto& [id, wishes] : run.calibration.decided.sweeps) {
        for (const SweepWish& wish : wishes) {
            if (auto done = sweepSeries(run, id, wish, sweeps); !done) {
                return done;
            }
        }
    }
    if (auto linked = linkSweeps(run, sweeps); !linked) {
        return linked;
    }
    std::vector<SweepRecord> records;
    for (NightSweep& sweep : sweeps) {
        takeAll(run, sweep);
        records.push_back(std::move(sweep.swept.record));
    }
    if (auto stored = run.file().replaceSweeps(records); !stored) {
        return stored;
    }
    return records.empty() ? Result<bool>(true) : run.file().replacePredictions(run.predictions);
}

} // namespace pathmark::night

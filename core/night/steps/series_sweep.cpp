#include "core/night/steps/series_sweep.h"

#include "core/base/atomic_file.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/steps/stack_products.h"
#include "core/night/steps/step.h"
#include "core/night/sweep_lights.h"
#include "core/night/swept_bodies.h"
#include "core/night/work_folder.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {

namespace fs = std::filesystem;

SweptSeries sweptSeries(const NightRun& run, const SeriesId& series) {
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

ProductKey sweepKey(const SweepWish& wish, const SweptSeries& series) {
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

std::string sweptStackKey(const std::string& sweep, const fs::path& stack) {
    ProductKey key("sweep", versionOf("sweep"));
    key.input("sweep", sweep).input("stack", stack.filename().string());
    return key.hex();
}

namespace {

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
    record.picture = made.stack;
    record.onStack = true;
    record.seen = true;
    record.candidate = true;
    record.frames = static_cast<int>(made.members.size());
    record.time = made.middle;
    record.exposureSeconds = series.lights[made.members.front()]->exposureSeconds;
    record.spanSeconds = series.lights[made.members.back()]->middle.secondsSince(
        series.lights[made.members.front()]->middle);
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
    const WorkFolder work(run.calibration.out / kSweepWork);
    const fs::path kept = run.calibration.out / kKeptSweeps / key;
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
        return CandidateStackFile{path, sweptStackKey(key, path)};
    };
    const auto options = optionsOf(run, wish, *maps, kept, reference);
    const auto plan = sweep::planOf(*maps, options);
    if (!plan) {
        return fail(plan.error());
    }
    const auto done =
        sweepLights(*lights, options, *plan, wish.groups, files, work.path(), run.job());
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
            MeasurementRecord record = stack.record;
            record.picture.clear(); // where it lies is told by its body and frames
            list.push_back({{"record", record_json::write(record)},
                            {"frames", record_json::write(stack.frames)}});
        }
        bodies.push_back(std::move(list));
    }
    return {{"record", record_json::write(swept.record)}, {"measured", std::move(bodies)}};
}

Swept fromJson(const NightRun& run, const SweptSeries& series, const nlohmann::json& info) {
    Swept swept;
    swept.record = record_json::read<SweepRecord>(info.at("record"));
    for (const auto& list : info.at("measured")) {
        const std::string& name = swept.record.bodies[swept.measured.size()].name;
        swept.measured.emplace_back();
        for (const auto& one : list) {
            MeasuredStack stack{record_json::read<MeasurementRecord>(one.at("record")),
                                record_json::read<std::vector<FrameId>>(one.at("frames"))};
            stack.record.picture = stackOf(run, series, name, series.membersOf(stack.frames));
            swept.measured.back().push_back(std::move(stack));
        }
    }
    return swept;
}

/// Whether the stacks of all bodies are still there.
bool hasStacks(const Swept& swept) {
    return std::ranges::all_of(swept.measured, [](const auto& stacks) {
        return std::ranges::all_of(
            stacks, [](const MeasuredStack& stack) { return fs::exists(stack.record.picture); });
    });
}

} // namespace

Result<Swept> sweepOf(NightRun& run, const SweptSeries& series, const SweepWish& wish) {
    const ProductKey key = sweepKey(wish, series);
    if (const auto product = run.file().product(key.hex())) {
        Swept swept = fromJson(run, series, nlohmann::json::parse(product->info));
        if (hasStacks(swept)) {
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

} // namespace pathmark::night

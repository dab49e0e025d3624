#include "core/night/steps/sweep_step.h"

#include "core/night/body_orbit.h"
#include "core/night/known_sites.h"
#include "core/night/linked_nights.h"
#include "core/night/steps/candidate_places.h"
#include "core/night/steps/series_sweep.h"
#include "core/night/swept_bodies.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// Where a swept body is on every light of its series.
void predict(NightRun& run, const SweptSeries& series, const SweptBody& body) {
    for (const LightRecord* light : series.lights) {
        auto p = candidateOn(*light, body.name, body.at(light->middle));
        if (!p) {
            continue;
        }
        p->rateArcsecPerMin = body.rateArcsecPerMin;
        p->positionAngleDegrees = body.positionAngleDegrees;
        p->magnitude = body.magnitude;
        p->snr = body.snr / std::sqrt(static_cast<double>(series.lights.size()));
        run.predictions.push_back(*std::move(p));
    }
}

/// Lays the measurements of a body into the night.
void take(NightRun& run, const SweptBody& body, const std::vector<MeasuredStack>& stacks) {
    for (const MeasuredStack& stack : stacks) {
        MeasurementRecord record = stack.record;
        record.body = BodyId::of(body.name);
        record.id = measurementId(record.body, stack.frames);
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
    std::vector<bool> isMeasured; ///< its bodies, by other steps or by another sweep
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
            run.sweptStackKeys.push_back(sweptStackKey(sweep.key, stack.record.picture));
        }
        if (!sweep.isMeasured[k]) {
            take(run, sweep.swept.record.bodies[k], sweep.swept.measured[k]);
        }
    }
}

/// What killed sweeps left on the disk: frames on the way, and parts of searches that nobody asks for any more.
void forgetLeftovers(const NightRun& run) {
    std::error_code ignored;
    fs::remove_all(run.calibration.out / kSweepWork, ignored);
    std::set<std::string> wanted;
    for (const auto& [id, wishes] : run.calibration.decided.sweeps) {
        const SweptSeries series = sweptSeries(run, id);
        for (const SweepWish& wish : wishes) {
            wanted.insert(sweepKey(wish, series).hex());
        }
    }
    const fs::path kept = run.calibration.out / kKeptSweeps;
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
    SweptSeries series = sweptSeries(run, id);
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
    const std::string key = sweepKey(wish, series).hex();
    all.push_back({std::move(series), key, *std::move(swept), {}});
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

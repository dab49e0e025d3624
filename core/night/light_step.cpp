#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/catalog/band.h"
#include "core/detect/detect.h"
#include "core/night/context.h"
#include "core/night/star_sources.h"
#include "core/solve/solve_frame.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kAtOnce = 2;

/// One light of the night and where its result goes.
struct LightJob {
    const frame::FrameInfo* info = nullptr;
    const Series* series = nullptr;
    fs::path target;
    std::string key;
    std::optional<frame::Wcs> byHand; ///< what the observer laid over it
    std::optional<frame::Wcs>
        neighbour; ///< what the observer laid over another frame and offers to this one
};

struct LightOutcome {
    std::optional<LightRecord> record;
    std::vector<SourceRecord> sources;
    std::optional<Error> error;
};

std::vector<LightJob> listJobs(const RunContext& context, const std::vector<Series>& series) {
    std::vector<LightJob> jobs;
    const auto targets = calibratedPaths(context.out, series);
    const auto byHand = handSolutions(context.file);
    for (const Series& one : series) {
        for (const auto& info : one.lights.frames) {
            LightJob job{&info, &one, targets.at(info.path), {}, {}, {}};
            for (const HandSolution& hand : byHand) {
                if (hand.frame == info.path) {
                    job.byHand = hand.wcs;
                } else if (hand.isOfferedTo(info.path)) {
                    job.neighbour = hand.wcs;
                }
            }
            jobs.push_back(std::move(job));
        }
    }
    return jobs;
}

/// What the header says of the frame's place; nothing: anywhere the catalogue covers.
solve::SolveHint hintFor(const frame::FrameInfo& info, double binned) {
    solve::SolveHint hint;
    hint.centre = info.pointing;
    if (const auto scale = info.scaleArcsec()) {
        hint.scaleLow = 0.8 * *scale * binned;
        hint.scaleHigh = 1.2 * *scale * binned;
    } else {
        hint.scaleLow = 0.1;
        hint.scaleHigh = 20.0;
    }
    const double side = std::max(info.width, info.height) / binned;
    const double scale = info.scaleArcsec() ? std::sqrt(hint.scaleLow * hint.scaleHigh) : 1.5;
    hint.radius = std::max(Angle::arcsec(side * scale), Angle::degrees(0.2));
    return hint;
}

/// How far from the stars a solution may be that was once fitted by hand and locked, in pixels.
constexpr double kHandReach = 3.0;

Result<solve::Solution> solveLight(RunContext& context,
                                   const LightJob& job,
                                   const detect::Detection& detection,
                                   LightRecord& record) {
    const solve::FrameSize size{record.width, record.height};
    if (job.byHand) {
        auto solution = solve::refineSolution(
            detection, size, record.middle, *job.byHand, kHandReach, context.store);
        if (solution) {
            solution->foundBy = solve::FoundBy::Hand;
        }
        return solution;
    }
    solve::SolveHint hint = hintFor(*job.info, job.info->bayerPattern.empty() ? 1.0 : 2.0);
    hint.neighbour = job.neighbour;
    solve::SolveAttempt attempt;
    auto solution = solve::solveFrame(detection,
                                      size,
                                      record.middle,
                                      hint,
                                      {&context.store, &context.patterns, context.job.stop},
                                      &attempt);
    if (!solution) {
        record.attempt = attempt;
    }
    return solution;
}

/// Returns the indices of the sources that stars of the catalogue explain.
std::vector<std::size_t> solveInto(RunContext& context,
                                   const LightJob& job,
                                   const detect::Detection& detection,
                                   LightRecord& record,
                                   frame::Header& header) {
    const frame::FrameInfo& info = *job.info;
    const auto solution = solveLight(context, job, detection, record);
    if (!solution) {
        record.problem = solution.error().detail;
        return {};
    }
    record.wcs = solution->wcs;
    record.foundBy = name(solution->foundBy);
    record.rmsArcsec = solution->rmsArcsec;
    record.solutionErrorPixels = solution->placeErrorPixels;
    record.solutionError = solution->error;
    record.falseAlarmLog10 = solution->falseAlarmLog10;
    record.matchedStars = solution->usedStars;
    const std::string filter = info.bayerPattern.empty() ? info.filter : std::string("C");
    const auto band = catalog::bandForFilter(filter).value_or(catalog::Band::G);
    if (auto match = solve::matchPhotometry(detection, *solution, band, info.exposureSeconds)) {
        record.photometry = *match;
        header.set("PMZEROPT",
                   match->zeroPoint,
                   "[mag] of 1 e/s, band " + std::string(catalog::name(band)));
        header.set("PMLIMIT", match->limitingMag, "[mag] at 5 sigma");
    }
    header.set("PMASTRMS", record.rmsArcsec, "[arcsec] of the solution, an axis");
    header.set("PMNSTARS", static_cast<long long>(record.matchedStars), "stars in the solution");
    writeWcs(*record.wcs, header);
    return sourcesOnStars(detection,
                          *solution,
                          record.photometry,
                          record.exposureSeconds,
                          record.middle,
                          {record.width, record.height},
                          context.store);
}

/// Calibrates, searches and solves one light and writes its file.
LightOutcome process(RunContext& context, const LightJob& job, const LoadedCalibration& loaded) {
    const frame::FrameInfo& info = *job.info;
    const CalibrationContext calibration = context.calibration();
    auto frame = calibrateLight(calibration, *job.series, loaded, info);
    if (!frame) {
        return {std::nullopt, {}, frame.error()};
    }
    LightRecord record;
    record.raw = info.path;
    record.calibrated = job.target;
    record.series = job.series->lights.title();
    record.middle = *info.midExposure;
    record.exposureSeconds = info.exposureSeconds;
    record.filter = info.filter;
    record.width = frame->image.width();
    record.height = frame->image.height();
    record.rowSeconds = info.rowSeconds * std::max(1, info.height / std::max(1, record.height));
    record.saturationElectrons = frame->saturationElectrons;
    detect::DetectOptions options;
    options.saturation = frame->saturationElectrons;
    auto detection = detect::detectSources(frame->image, options);
    std::vector<SourceRecord> sources;
    if (detection) {
        if (context.recipe.calibration.masksHits) {
            record.hits = maskHits(*frame, *detection);
        }
        record.sources = static_cast<int>(detection->sources.size());
        record.shape = detection->spread.middle().shape();
        record.fwhmPixels = detection->fwhm;
        record.elongation = detection->elongation;
        record.skyElectrons = detection->sky.typicalLevel();
        record.noiseElectrons = detection->sky.typicalNoise();
        const auto stars = solveInto(context, job, *detection, record, frame->header);
        sources = sourceRecords(*detection, stars);
    } else {
        record.problem = detection.error().detail;
        record.attempt = solve::SolveAttempt{};
    }
    if (auto written = writeCalibrated(*frame, info, job.target, job.key); !written) {
        return {std::nullopt, {}, written.error()};
    }
    return {record, std::move(sources), std::nullopt};
}

/// Leaves out by the recipe's rules; the frames stay, and say why.
void applyExclusions(const RunContext& context, std::vector<LightRecord>& lights) {
    for (const ExclusionRule& rule : context.recipe.exclusions) {
        const auto out = fallsOut(lights, rule);
        for (std::size_t i = 0; i < lights.size(); ++i) {
            if (out[i] && lights[i].leftOutBy.empty()) {
                lights[i].leftOutBy = words(rule);
                context.job.message(lights[i].raw.filename().string() + ": left out, " +
                                    words(rule));
            }
        }
    }
}

} // namespace

Result<std::vector<LightRecord>> lightStep(RunContext& context, const std::vector<Series>& series) {
    if (auto made = makeFolder(context.out / "calibrated"); !made) {
        return fail(made.error());
    }
    std::vector<LightJob> jobs = listJobs(context, series);
    std::vector<std::optional<LightRecord>> records(jobs.size());
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < jobs.size(); ++i) {
        auto content = context.file.fileDigest(jobs[i].info->path);
        if (!content) {
            context.failures.push_back(content.error());
            continue;
        }
        Digest key;
        key.add(kProductVersion)
            .add("light")
            .add(*content)
            .add(jobs[i].target.string())
            .add(jobs[i].series->calibration.digest)
            .add(context.store.contentDigest());
        if (jobs[i].byHand) {
            key.add("by hand").add(toJson(*jobs[i].byHand).dump());
        } else if (jobs[i].neighbour) {
            key.add("offered").add(toJson(*jobs[i].neighbour).dump());
        }
        jobs[i].key = key.hex();
        if (const auto product = context.file.product(jobs[i].key)) {
            records[i] = lightFromJson(nlohmann::json::parse(product->info));
        } else {
            open.push_back(i);
        }
    }
    std::optional<LoadedCalibration> loaded;
    const Series* loadedFor = nullptr;
    for (std::size_t start = 0; start < open.size();) {
        if (context.job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped; finished frames are kept.");
        }
        context.job.progress("Calibrating and solving",
                             static_cast<int>(jobs.size() - open.size() + start),
                             static_cast<int>(jobs.size()));
        // Frames at once are of one series: only its masters are in memory.
        const Series* inHand = jobs[open[start]].series;
        std::size_t count = 1;
        while (count < kAtOnce && start + count < open.size() &&
               jobs[open[start + count]].series == inHand) {
            ++count;
        }
        if (loadedFor != inHand) {
            loaded.reset();
            auto fresh = loadCalibration(context.calibration(), *inHand);
            if (!fresh) {
                return fail(fresh.error());
            }
            loaded = std::move(*fresh);
            loadedFor = inHand;
        }
        std::vector<LightOutcome> outcomes(count);
        parallelFor(count, [&](std::size_t k) {
            outcomes[k] = process(context, jobs[open[start + k]], *loaded);
        });
        for (std::size_t k = 0; k < count; ++k) {
            const LightJob& job = jobs[open[start + k]];
            if (outcomes[k].error) {
                if (stopsTheNight(*outcomes[k].error)) {
                    return fail(*outcomes[k].error);
                }
                context.failures.push_back(*outcomes[k].error);
                continue;
            }
            if (auto stored = context.file.putSources(job.info->path, outcomes[k].sources);
                !stored) {
                return fail(stored.error());
            }
            const std::string info = toJson(*outcomes[k].record).dump();
            if (auto stored = context.file.putProduct({job.key, "light", job.target, info});
                !stored) {
                return fail(stored.error());
            }
            // Read back, so that a fresh and a resumed run go on with the very same values.
            records[open[start + k]] = lightFromJson(nlohmann::json::parse(info));
        }
        start += count;
    }
    std::vector<LightRecord> lights;
    for (auto& record : records) {
        if (!record) {
            continue;
        }
        if (!record->problem.empty()) {
            context.failures.push_back(
                {ErrorId::SolveNoMatch, record->problem, record->raw.string()});
        }
        lights.push_back(std::move(*record));
    }
    std::stable_sort(lights.begin(), lights.end(), [](const LightRecord& a, const LightRecord& b) {
        return a.middle < b.middle;
    });
    applyExclusions(context, lights);
    if (auto stored = context.file.replaceLights(lights); !stored) {
        return fail(stored.error());
    }
    std::erase_if(lights, [](const LightRecord& light) { return !light.leftOutBy.empty(); });
    return lights;
}

} // namespace pathmark::night

#include "core/frame/colour_pattern.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/steps/frame_steps.h"
#include "core/solve/solve_frame.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

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

/// In the header of a light that is laid on the others by their own stars.
constexpr const char* kOwnStarsKeyword = "PMRELATV";

/// How far from the stars a solution may be that was once fitted by hand and locked, in pixels.
constexpr double kHandReach = 3.0;

/// What the observer laid over the frame, or over another that is offered to it.
struct ByHand {
    std::optional<frame::Wcs> own;
    std::optional<frame::Wcs> neighbour;
};

ByHand byHandOf(const FrameWork& work) {
    ByHand result;
    for (const auto& [frame, solution] : work.calibration.decided.handFits) {
        if (frame == work.info.id) {
            result.own = solution.wcs;
        } else if (solution.isOfferedTo(work.info.id)) {
            result.neighbour = solution.wcs;
        }
    }
    return result;
}

} // namespace

solve::SolveHint solveHintOf(const FrameWork& work) {
    const auto pattern = frame::ColourPattern::of(work.info.bayerPattern);
    return hintFor(work.info, pattern ? pattern->cell() : 1.0);
}

namespace {

Result<solve::Solution> solve(FrameWork& work, std::optional<solve::SolveAttempt>& met) {
    const NightRun& run = *work.run;
    const solve::FrameSize size{work.record.width, work.record.height};
    const ByHand byHand = byHandOf(work);
    if (byHand.own) {
        auto solution = solve::refineSolution(
            *work.detection, size, work.record.middle, *byHand.own, kHandReach, run.store);
        if (solution) {
            solution->foundBy = solve::FoundBy::Hand;
        }
        return solution;
    }
    solve::SolveHint hint = solveHintOf(work);
    hint.neighbour = byHand.neighbour;
    solve::SolveAttempt attempt;
    auto solution = solve::solveFrame(*work.detection,
                                      size,
                                      work.record.middle,
                                      hint,
                                      {&run.store, &run.patterns, run.job().stop},
                                      &attempt);
    if (!solution) {
        met = attempt;
    }
    return solution;
}

/// What would have been gone by: tells the observer what else is missing.
solve::SolveAttempt attemptWithoutSources(const FrameWork& work) {
    const solve::SolveHint hint = solveHintOf(work);
    solve::SolveAttempt attempt;
    attempt.centre = hint.centre;
    attempt.radius = hint.radius;
    attempt.scaleLow = hint.scaleLow;
    attempt.scaleHigh = hint.scaleHigh;
    if (hint.centre) {
        if (const auto stars =
                work.run->store.field(*hint.centre, hint.radius, work.record.middle)) {
            attempt.starsAround = static_cast<int>(stars->size());
        }
    }
    return attempt;
}

ProductKey solutionKey(const FrameWork& work) {
    ProductKey key("solve", solveStep().version);
    const auto scale = work.info.scaleArcsec();
    const auto& pointing = work.info.pointing;
    key.input("sources", work.keys.at(ProductKind::Sources))
        .input("catalogue", work.run->store.contentDigest())
        .input("time", toIso(work.record.middle, 6))
        .input("scale", scale ? fmt::format("{}", *scale) : "")
        .input("pointing",
               pointing ? fmt::format(
                              "{} {}", pointing->longitude.radians(), pointing->latitude.radians())
                        : "");
    const ByHand byHand = byHandOf(work);
    if (byHand.own) {
        key.input("by hand", record_json::write(*byHand.own).dump());
    } else if (byHand.neighbour) {
        key.input("offered", record_json::write(*byHand.neighbour).dump());
    }
    return key;
}

Result<bool> makeSolution(FrameWork& work, Product& product) {
    const NightRun& run = *work.run;
    SolutionPart part;
    auto found = work.needDetection();
    if (!found) {
        return found;
    }
    if (!*found) {
        part.problem = work.record.withoutSources;
        part.attempt = attemptWithoutSources(work);
    } else if (auto solution = solve(work, part.attempt)) {
        part.wcs = solution->wcs;
        part.foundBy = run.recipe.ownStars ? kByOwnStars : name(solution->foundBy);
        part.rmsArcsec = solution->rmsArcsec;
        part.solutionErrorPixels = solution->placeErrorPixels;
        part.solutionError = solution->error;
        part.falseAlarmLog10 = solution->falseAlarmLog10;
        part.matchedStars = solution->usedStars;
        work.solution = std::move(*solution);
    } else {
        part.problem = solution.error().detail;
    }
    static_cast<SolutionPart&>(work.record) = part;
    product.info = record_json::write(part).dump();
    return true;
}

void restoreSolution(FrameWork& work, const Product& product) {
    static_cast<SolutionPart&>(work.record) =
        record_json::read<SolutionPart>(nlohmann::json::parse(product.info));
}

void stampSolution(const FrameWork& work, frame::Header& header) {
    // What the camera's software, or an earlier solution, said of the place is not ours to repeat.
    frame::removeWcs(header);
    for (const char* keyword : {"PMASTRMS",
                                "PMNSTARS",
                                frame::kSolutionErrorKeyword,
                                frame::kLeanXKeyword,
                                frame::kLeanYKeyword,
                                kOwnStarsKeyword}) {
        header.remove(keyword);
    }
    if (!work.record.wcs) {
        return;
    }
    header.set("PMASTRMS", work.record.rmsArcsec, "[arcsec] of the solution, an axis");
    header.set(
        "PMNSTARS", static_cast<long long>(work.record.matchedStars), "stars in the solution");
    header.set(frame::kSolutionErrorKeyword,
               work.record.solutionErrorPixels,
               "[px] of a place by the solution, an axis");
    if (const auto& mosaic = work.record.mosaic) {
        header.set(
            frame::kLeanXKeyword, 0.5 * mosaic->leanX, "[px] of a star here from its true place");
        header.set(frame::kLeanYKeyword, 0.5 * mosaic->leanY, "[px] likewise");
    }
    if (work.record.isRelative()) {
        header.set(kOwnStarsKeyword, true, "no catalogue: places are relative");
    }
    writeWcs(*work.record.wcs, header);
}

} // namespace

Result<bool> FrameWork::needSolution() {
    if (solution) {
        return true;
    }
    if (!record.solved()) {
        return false;
    }
    if (auto found = needDetection(); !found || !*found) {
        return found;
    }
    std::optional<solve::SolveAttempt> attempt;
    auto again = solve(*this, attempt);
    if (!again) {
        return fail(again.error());
    }
    solution = std::move(*again);
    return true;
}

FrameStep solveStep() {
    return {"solve",
            4,
            "finds where each light looks",
            {ProductKind::Sources},
            ProductKind::Solution,
            solutionKey,
            makeSolution,
            restoreSolution,
            stampSolution};
}

} // namespace pathmark::night

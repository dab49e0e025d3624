#include "core/night/steps/stack_step.h"

#include "core/base/atomic_file.h"
#include "core/night/results_folder.h"
#include "core/night/steps/measure_keys.h"
#include "core/night/steps/passing_stars.h"
#include "core/night/steps/stack_products.h"
#include "core/night/steps/star_stack.h"
#include "core/night/steps/starless_comets.h"
#include "core/night/steps/step.h"
#include "core/stack/coma_extent.h"
#include "core/stack/time_groups.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <set>

namespace pathmark::night {
namespace {

constexpr int kBodySide = 401; ///< pixels of a stack on a body

/// The earliest and the latest middle of exposure.
std::pair<Utc, Utc> spanOf(const std::vector<stack::StackFrame>& inputs) {
    const auto [first, last] =
        std::minmax_element(inputs.begin(), inputs.end(), [](const auto& a, const auto& b) {
            return a.middle < b.middle;
        });
    return {first->middle, last->middle};
}

/// Under a rolling shutter a body is exposed when its row is.
Result<bool> delayByRows(const NightRun& run,
                         const orbit::Ephemeris& motion,
                         const StarStack& stars,
                         std::vector<stack::StackFrame>& inputs) {
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        const LightRecord& light = run.lights[stars.lights[i]];
        if (light.rowSeconds == 0.0) {
            continue;
        }
        auto observer = run.observerAt(light.middle);
        if (!observer) {
            return fail(observer.error());
        }
        if (const auto pixel = light.wcs->toPixel(motion.directionFrom(*observer))) {
            inputs[i].middle = light.middle.plusSeconds(light.rowSeconds * pixel->y);
        }
    }
    return true;
}

/// A coma is no sky: what of each frame it covers.
Result<bool> protectComa(const SkyPos& nucleus,
                         const NightRun& run,
                         const StarStack& stars,
                         std::vector<stack::StackFrame>& inputs) {
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        stack::StackFrame& input = inputs[i];
        const auto pixel = input.place.wcs.toPixel(fromTangentPlane(nucleus, input.place.shift));
        if (!pixel) {
            continue;
        }
        const double fwhm = run.lights[stars.lights[i]].fwhmPixels;
        if (auto done = stack::protectComa(input, *pixel, fwhm); !done) {
            return done;
        }
    }
    return true;
}

/// What the observer found that a body does beyond its orbit; null: nothing.
const BeyondOrbit* motionOf(const NightRun& run, const BodyId& body, const StarStack& stars) {
    const auto& motions = run.calibration.decided.motions;
    const auto found = motions.find({body, run.lights[stars.lights.front()].series});
    return found == motions.end() ? nullptr : &found->second;
}

/// The frames of a stack on a body's motion as they lie on its grid.
class MovingFrames {
  public:
    MovingFrames(const NightRun& run, const orbit::Ephemeris& motion, const BeyondOrbit* beyond)
        : run_(run), motion_(motion), beyond_(beyond) {}

    /// Puts the stack at the weighted middle of some of its frames, and all of them on the body's motion about that.
    Result<bool> placeAt(std::span<const stack::StackFrame> those,
                         BodyStack& stack,
                         std::vector<stack::StackFrame>& inputs) const {
        stack.middle = stack::middleOf(those);
        auto middle = run_.observerAt(stack.middle);
        if (!middle) {
            return fail(middle.error());
        }
        stack.place = motion_.at(*middle);
        if (beyond_ != nullptr) {
            stack.shownAt = beyond_->from(stack.place.sky, stack.middle);
        }
        const SkyPos centre = stack.shownAt.value_or(stack.place.sky);
        for (auto& input : inputs) {
            auto observer = run_.observerAt(input.middle);
            if (!observer) {
                return fail(observer.error());
            }
            const SkyPos there = motion_.directionFrom(*observer);
            input.place.shift = toTangentPlane(
                centre, beyond_ != nullptr ? beyond_->from(there, input.middle) : there);
        }
        return true;
    }

  private:
    const NightRun& run_;
    const orbit::Ephemeris& motion_;
    const BeyondOrbit* beyond_;
};

/// Leaves the stars that a body passes out of its frames; the stack is then one of the frames that still have the body.
Result<bool> leaveStarsOut(NightRun& run,
                           const FramePredictions& predictions,
                           const MovingFrames& moving,
                           BodyStack& stack,
                           std::vector<stack::StackFrame>& inputs) {
    constexpr double mostLeftOut = 0.2;
    const auto seen = seenOnFrames(run, predictions, stack);
    if (!seen) {
        return true;
    }
    auto passing = leaveOutPassingStars(run, stack, *seen, inputs);
    stack.starsLeftOut = std::move(passing.leftOut);
    stack.starsIn = std::move(passing.problem);
    const std::size_t count = passing.framesLeft.size();
    if (count == 0 || count == inputs.size()) {
        return true;
    }
    std::vector<stack::StackFrame> left;
    std::vector<std::size_t> lights;
    for (const std::size_t i : passing.framesLeft) {
        left.push_back(inputs[i]);
        lights.push_back(stack.frame.lights[i]);
    }
    if (static_cast<double>(count) < (1.0 - mostLeftOut) * static_cast<double>(inputs.size())) {
        // Their seeing may be another than that of all: what they are measured by are stars of the same frames.
        auto stars = makeStarStack(run, lights);
        if (!stars) {
            return fail(stars.error());
        }
        run.starStackKeys.push_back(stars->key);
        stack.frame = std::move(*stars);
        inputs = left;
    }
    return moving.placeAt(left, stack, inputs);
}

/// Adds the frames of a star stack on a body's motion.
Result<BodyStack> makeBodyStack(NightRun& run,
                                const FramePredictions& predictions,
                                StarlessComets& comets,
                                const StarStack& stars,
                                const orbit::Elements& elements) {
    BodyStack result;
    result.body = BodyId::of(elements.name);
    result.frame = stars;
    auto inputs = inputsOf(run.lights, stars.lights);
    const auto [first, last] = spanOf(inputs);
    auto motion = orbit::Ephemeris::make(elements, run.sky.planets, first, last);
    if (!motion) {
        return fail(motion.error());
    }
    if (auto delayed = delayByRows(run, *motion, stars, inputs); !delayed) {
        return fail(delayed.error());
    }
    const BeyondOrbit* beyond = motionOf(run, result.body, stars);
    const MovingFrames moving(run, *motion, beyond);
    if (auto placed = moving.placeAt(inputs, result, inputs); !placed) {
        return fail(placed.error());
    }
    if (!elements.isComet()) {
        if (auto left = leaveStarsOut(run, predictions, moving, result, inputs); !left) {
            return fail(left.error());
        }
    }
    const SkyPos centre = result.shownAt.value_or(result.place.sky);
    const StarStack& used = result.frame;
    const auto grid = stack::gridAround(centre, used.wcs, kBodySide, kBodySide);
    result.wcs = grid.wcs;
    ProductKey key =
        stackKey(elements.isComet() ? "comet" : "body", grid, inputs, run.lights, used.lights);
    // What is measured on it goes by the stars of the same frames.
    key.input("star stack", used.key);
    if (elements.isComet()) {
        key.input("series", comets.seriesDigest(run.lights[used.lights.front()]));
    }
    result.key = key.hex();
    if (const auto product = run.file().product(result.key)) {
        result.path = product->path;
        result.starsIn = nlohmann::json::parse(product->info).value("stars_in", "");
        return result;
    }
    if (elements.isComet()) {
        auto problem = comets.takeStarsOut(elements, beyond, used, inputs);
        if (!problem) {
            return fail(problem.error());
        }
        result.starsIn = std::move(*problem);
        if (!result.starsIn.empty()) {
            if (auto done = protectComa(centre, run, used, inputs); !done) {
                return fail(done.error());
            }
        }
    }
    stack::StackOptions options;
    options.maps = true; // what was clipped of a body is wanted where its light is doubted
    auto made = stack::stackFrames(inputs, grid, options, run.job());
    if (!made) {
        return fail(made.error());
    }
    result.path = stackPath(run, fileWord(result.body.text()), used.lights);
    const LightRecord& example = run.lights[used.lights.front()];
    stack::StackTitle title = titleOf(example, used, elements.name, result.key);
    title.middle = result.middle;
    const auto header = stack::headerOf(inputs, *made, {}, grid.wcs, title);
    Product product;
    product.key = result.key;
    product.body = result.body;
    product.info = nlohmann::json{{"stars_in", result.starsIn}}.dump();
    product.origin = key.origin();
    if (auto stored = storeStack(run, *made, header, result.path, std::move(product)); !stored) {
        return fail(stored.error());
    }
    return result;
}

/// The solved lights of each series, in order of time; the series in the order of their first frames.
std::vector<std::vector<std::size_t>> bySeries(const std::vector<LightRecord>& lights) {
    std::map<SeriesId, std::size_t> place;
    std::vector<std::vector<std::size_t>> series;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (lights[i].solved()) {
            const auto [known, isNew] = place.try_emplace(lights[i].series, series.size());
            if (isNew) {
                series.emplace_back();
            }
            series[known->second].push_back(i);
        }
    }
    return series;
}

/// The members of a series in the brackets that the observer drew.
std::vector<std::vector<std::size_t>> bracketed(const NightRun& run,
                                                const std::vector<std::size_t>& members,
                                                const std::vector<std::vector<FrameId>>& brackets) {
    std::vector<std::vector<std::size_t>> parts;
    for (const auto& bracket : brackets) {
        std::vector<std::size_t> part;
        std::copy_if(
            members.begin(), members.end(), std::back_inserter(part), [&](std::size_t index) {
                return std::find(bracket.begin(), bracket.end(), run.lights[index].frame) !=
                       bracket.end();
            });
        if (!part.empty()) {
            parts.push_back(std::move(part));
        }
    }
    return parts;
}

/// The lights of each stack: parts of the series in time.
std::vector<std::vector<std::size_t>> planStacks(const NightRun& run) {
    const int groups = run.recipe.stackGroups > 0 ? run.recipe.stackGroups : run.recipe.faintGroups;
    std::vector<std::vector<std::size_t>> plans;
    const auto& brackets = run.calibration.decided.brackets;
    for (const auto& members : bySeries(run.lights)) {
        if (const auto drawn = brackets.find(run.lights[members.front()].series);
            drawn != brackets.end()) {
            const auto parts = bracketed(run, members, drawn->second);
            plans.insert(plans.end(), parts.begin(), parts.end());
            continue;
        }
        std::vector<Utc> times;
        times.reserve(members.size());
        for (const std::size_t index : members) {
            times.push_back(run.lights[index].middle);
        }
        for (const auto& part : stack::splitInTime(times, std::max(1, groups))) {
            plans.emplace_back();
            for (const std::size_t k : part) {
                plans.back().push_back(members[k]);
            }
        }
    }
    return plans;
}

/// The bodies of the plan that are in any of these lights.
std::vector<BodyId> bodiesIn(const NightRun& run, const std::vector<std::size_t>& chosen) {
    std::set<BodyId> inFrames;
    for (const PredictionRecord& p : run.predictions) {
        if (std::any_of(chosen.begin(), chosen.end(), [&](std::size_t index) {
                return run.lights[index].frame == p.frame;
            })) {
            inFrames.insert(p.body);
        }
    }
    std::vector<BodyId> bodies;
    for (const BodyId& body : run.plan.onStacks) {
        if (inFrames.contains(body)) {
            bodies.push_back(body);
        }
    }
    return bodies;
}

/// Notes what failed of one stack; true where it stops the night.
bool stops(NightRun& run, const Error& error, const std::string& what) {
    if (stopsTheNight(error)) {
        return true;
    }
    Error named = error;
    named.subject = named.subject.empty() ? what : named.subject;
    run.failed(std::move(named));
    return false;
}

/// One stack on the stars and those on the bodies in it.
Result<bool> stackPart(NightRun& run,
                       const FramePredictions& predictions,
                       StarlessComets& comets,
                       const std::vector<std::size_t>& chosen) {
    auto stars = makeStarStack(run, chosen);
    if (!stars) {
        const std::string first = run.lights[chosen.front()].raw.string();
        return stops(run, stars.error(), first) ? Result<bool>(fail(stars.error()))
                                                : Result<bool>(true);
    }
    run.starStackKeys.push_back(stars->key);
    for (const BodyId& body : bodiesIn(run, chosen)) {
        const auto known = run.orbits.find(body.text());
        if (!known) {
            continue;
        }
        auto stack = makeBodyStack(run, predictions, comets, *stars, run.orbits.elements(*known));
        if (stack) {
            run.stacks.push_back(std::move(*stack));
        } else if (stops(run, stack.error(), body.text())) {
            return fail(stack.error());
        }
    }
    return true;
}

} // namespace

Result<bool> stackStep(NightRun& run) {
    if (auto made = makeFolder(run.calibration.out / infoOf(ProductKind::Stack).folder); !made) {
        return made;
    }
    const auto plans = planStacks(run);
    const FramePredictions predictions(run.predictions);
    StarlessComets comets(run);
    for (std::size_t i = 0; i < plans.size(); ++i) {
        if (run.isStopped()) {
            return stopped();
        }
        run.job().progress("Stacking", static_cast<int>(i), static_cast<int>(plans.size()));
        if (auto done = stackPart(run, predictions, comets, plans[i]); !done) {
            return done;
        }
    }
    return true;
}

} // namespace pathmark::night

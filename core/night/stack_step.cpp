#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/detect/detect.h"
#include "core/night/context.h"
#include "core/solve/solve_frame.h"
#include "core/stack/stack.h"
#include "core/stack/time_groups.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr int kBodySide = 401; ///< pixels of a stack on a body

/// "(2912345)" to "2912345", "C/2031 A1" to "C-2031-A1": safe in a file name.
std::string fileWord(const std::string& body) {
    std::string word;
    for (const char c : body) {
        if (std::isalnum(static_cast<unsigned char>(c)) != 0) {
            word += c;
        } else if (c == ' ' || c == '/') {
            word += '-';
        }
    }
    return word;
}

/// The lights as inputs of a stack, scaled to the first one's brightness.
std::vector<stack::StackFrame> inputsOf(const std::vector<LightRecord>& lights,
                                        const std::vector<std::size_t>& chosen) {
    std::vector<stack::StackFrame> inputs;
    const LightRecord& first = lights[chosen.front()];
    for (const std::size_t index : chosen) {
        const LightRecord& light = lights[index];
        stack::StackFrame input;
        input.path = light.calibrated;
        input.wcs = *light.wcs;
        input.middle = light.middle;
        input.noise = light.noiseElectrons;
        input.fluxScale = first.exposureSeconds / light.exposureSeconds;
        if (first.photometry && light.photometry) {
            input.fluxScale *=
                std::pow(10.0, 0.4 * (first.photometry->zeroPoint - light.photometry->zeroPoint));
        }
        inputs.push_back(input);
    }
    return inputs;
}

std::string keyOfInputs(const std::vector<stack::StackFrame>& inputs,
                        const std::vector<LightRecord>& lights,
                        const std::vector<std::size_t>& chosen) {
    Digest digest;
    digest.add(kProductVersion).add("stack");
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        digest.add(toJson(lights[chosen[i]]).dump());
        digest.add(inputs[i].shift.xi).add(inputs[i].shift.eta);
    }
    return digest.hex();
}

frame::Header stackHeader(const std::vector<stack::StackFrame>& inputs,
                          const stack::Stack& stack,
                          const LightRecord& example,
                          const frame::Wcs& wcs,
                          const std::string& what,
                          const std::string& key) {
    frame::Header header;
    header.set("OBJECT", what);
    header.set("IMAGETYP", std::string("stack"));
    header.set("BUNIT", std::string("electron"));
    header.set("EXPTIME", example.exposureSeconds, "[s] of the frame whose electrons these are");
    header.set("NCOMBINE", static_cast<long long>(stack.frames), "frames added");
    header.set("COMBINE", std::string("weighted mean, clipped at 4 sigma"));
    header.set("DATE-AVG", toIso(stack::middleOf(inputs)).substr(0, 23), "weighted middle (UTC)");
    header.set("FILTER", example.filter);
    header.set("PMNOISE", stack.noise, "[e] of a pixel with full coverage");
    header.set("PMCLIP", stack.clippedShare, "share of values clipped");
    header.set("PMKEY", key);
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    for (const auto& input : inputs) {
        header.add({"HISTORY", "added " + input.path.filename().string(), {}});
    }
    writeWcs(wcs, header);
    return header;
}

nlohmann::json measuresOf(const StarStack& s) {
    LightRecord carrier;
    carrier.middle = s.middle;
    carrier.wcs = s.wcs;
    carrier.shape = s.shape;
    carrier.noiseElectrons = s.noise;
    carrier.solutionErrorPixels = s.solutionErrorPixels;
    carrier.matchedStars = s.usedStars;
    carrier.photometry = s.photometry;
    carrier.exposureSeconds = s.exposureSeconds;
    carrier.width = s.width;
    carrier.height = s.height;
    carrier.calibrated = s.path;
    return toJson(carrier);
}

void restore(StarStack& s, const nlohmann::json& json) {
    const LightRecord carrier = lightFromJson(json);
    s.middle = carrier.middle;
    s.wcs = *carrier.wcs;
    s.shape = carrier.shape;
    s.noise = carrier.noiseElectrons;
    s.solutionErrorPixels = carrier.solutionErrorPixels;
    s.usedStars = carrier.matchedStars;
    s.photometry = carrier.photometry;
    s.exposureSeconds = carrier.exposureSeconds;
    s.width = carrier.width;
    s.height = carrier.height;
    s.path = carrier.calibrated;
}

/// Adds part of a series on its stars and learns from it how stars look and how bright they are.
Result<StarStack> makeStarStack(RunContext& context,
                                const std::vector<LightRecord>& lights,
                                const std::vector<std::size_t>& chosen,
                                const fs::path& path) {
    StarStack result;
    result.lights = chosen;
    result.spanSeconds = lights[chosen.back()].middle.secondsSince(lights[chosen.front()].middle) +
                         lights[chosen.front()].exposureSeconds;
    const auto inputs = inputsOf(lights, chosen);
    const std::string key = keyOfInputs(inputs, lights, chosen);
    if (const auto product = context.file.product(key)) {
        restore(result, nlohmann::json::parse(product->info));
        return result;
    }
    const LightRecord& first = lights[chosen.front()];
    result.path = path;
    result.width = first.width;
    result.height = first.height;
    result.middle = stack::middleOf(inputs);
    result.exposureSeconds = first.exposureSeconds;
    const SkyPos centre = first.wcs->toSky({0.5 * (first.width - 1), 0.5 * (first.height - 1)});
    const auto grid = stack::gridAround(centre, *first.wcs, first.width, first.height);
    result.wcs = grid.wcs;
    auto made = stack::stackFrames(inputs, grid, context.job);
    if (!made) {
        return fail(made.error());
    }
    result.noise = made->noise;
    result.shape = first.shape;
    std::vector<double> errors;
    errors.reserve(chosen.size());
    for (const std::size_t index : chosen) {
        errors.push_back(lights[index].solutionErrorPixels);
    }
    result.solutionErrorPixels = *std::max_element(errors.begin(), errors.end()) /
                                 std::sqrt(static_cast<double>(chosen.size()));
    result.usedStars = first.matchedStars;
    result.photometry = first.photometry;
    detect::DetectOptions options;
    options.saturation = first.saturationElectrons;
    if (auto detection = detect::detectSources(made->image, options)) {
        result.shape = detection->spread.middle().shape();
        auto solution = solve::refineSolution(
            *detection, {grid.width, grid.height}, result.middle, grid.wcs, 2.0, context.store);
        if (solution) {
            result.usedStars = solution->usedStars;
            if (first.photometry) {
                if (auto match = solve::matchPhotometry(
                        *detection, *solution, first.photometry->band, first.exposureSeconds)) {
                    result.photometry = *match;
                }
            }
        }
    }
    auto header = stackHeader(inputs, *made, first, grid.wcs, "stars", key);
    if (auto written = frame::writeFits(path, made->image, header); !written) {
        return fail(written.error());
    }
    const std::string info = measuresOf(result).dump();
    if (auto stored = context.file.putProduct({key, "stack", path, info}); !stored) {
        return fail(stored.error());
    }
    restore(result, nlohmann::json::parse(info));
    return result;
}

/// The earliest and the latest middle of exposure.
std::pair<Utc, Utc> spanOf(const std::vector<stack::StackFrame>& inputs) {
    const auto [first, last] =
        std::minmax_element(inputs.begin(), inputs.end(), [](const auto& a, const auto& b) {
            return a.middle < b.middle;
        });
    return {first->middle, last->middle};
}

/// Adds the frames of a star stack on a body's motion.
Result<BodyStack> makeBodyStack(RunContext& context,
                                const std::vector<LightRecord>& lights,
                                const StarStack& stars,
                                const orbit::Elements& elements,
                                const fs::path& path) {
    BodyStack result;
    result.body = elements.name;
    result.frame = stars;
    result.path = path;
    auto inputs = inputsOf(lights, stars.lights);
    const auto [first, last] = spanOf(inputs);
    auto motion = orbit::Ephemeris::make(elements, context.sky.planets, first, last);
    auto middle = observerOf(context, stars.middle);
    if (!motion || !middle) {
        return fail(motion ? middle.error() : motion.error());
    }
    result.place = motion->at(*middle);
    const auto grid = stack::gridAround(result.place.sky, stars.wcs, kBodySide, kBodySide);
    result.wcs = grid.wcs;
    for (auto& input : inputs) {
        auto observer = observerOf(context, input.middle);
        if (!observer) {
            return fail(observer.error());
        }
        input.shift = toTangentPlane(result.place.sky, motion->directionFrom(*observer));
    }
    const std::string key = keyOfInputs(inputs, lights, stars.lights);
    if (context.file.product(key)) {
        return result;
    }
    auto made = stack::stackFrames(inputs, grid, context.job);
    if (!made) {
        return fail(made.error());
    }
    auto header =
        stackHeader(inputs, *made, lights[stars.lights.front()], grid.wcs, elements.name, key);
    if (auto written = frame::writeFits(path, made->image, header); !written) {
        return fail(written.error());
    }
    if (auto stored = context.file.putProduct({key, "stack", path, "{}"}); !stored) {
        return fail(stored.error());
    }
    return result;
}

/// Stacks of an earlier run with other settings would be taken for this one's.
void removeOthers(const fs::path& folder, const std::set<fs::path>& own) {
    std::error_code status;
    for (const auto& entry : fs::directory_iterator(folder, status)) {
        if (own.contains(entry.path()) || entry.path().extension() != ".fits") {
            continue;
        }
        const auto header = frame::readFitsHeader(entry.path());
        if (header && header->find("PMKEY") != nullptr) {
            std::error_code ignored;
            fs::remove(entry.path(), ignored);
        }
    }
}

/// The solved lights of each series, in order of time.
std::map<std::string, std::vector<std::size_t>> bySeries(const std::vector<LightRecord>& lights) {
    std::map<std::string, std::vector<std::size_t>> series;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (lights[i].solved()) {
            series[lights[i].series].push_back(i);
        }
    }
    return series;
}

} // namespace

Result<std::vector<BodyStack>> stackStep(RunContext& context,
                                         const std::vector<LightRecord>& lights,
                                         const std::vector<PredictionRecord>& predictions,
                                         const MeasurePlan& plan) {
    std::vector<BodyStack> stacks;
    std::set<fs::path> written;
    if (auto made = makeFolder(context.out / "stacks"); !made) {
        return fail(made.error());
    }
    std::set<std::pair<std::string, std::string>> inFrame;
    for (const PredictionRecord& p : predictions) {
        inFrame.insert({p.body, p.frame.string()});
    }
    const int groups =
        context.recipe.stackGroups > 0 ? context.recipe.stackGroups : context.recipe.faintGroups;
    int seriesNumber = 0;
    int done = 0;
    for (const auto& [title, members] : bySeries(lights)) {
        ++seriesNumber;
        std::vector<Utc> times;
        for (const std::size_t index : members) {
            times.push_back(lights[index].middle);
        }
        const auto runs = stack::splitInTime(times, std::max(1, groups));
        for (std::size_t run = 0; run < runs.size(); ++run) {
            std::vector<std::size_t> chosen;
            for (const std::size_t k : runs[run]) {
                chosen.push_back(members[k]);
            }
            if (context.job.stop.stop_requested()) {
                return fail(ErrorId::BaseCancelled, "Stopped; finished stacks are kept.");
            }
            context.job.progress("Stacking", done++, 0);
            auto stars = makeStarStack(context,
                                       lights,
                                       chosen,
                                       context.out / "stacks" /
                                           fmt::format("stars_s{}_{}.fits", seriesNumber, run + 1));
            if (!stars) {
                return fail(stars.error());
            }
            written.insert(stars->path);
            for (const std::string& body : plan.onStacks) {
                const bool there =
                    std::any_of(chosen.begin(), chosen.end(), [&](std::size_t index) {
                        return inFrame.contains({body, lights[index].raw.string()});
                    });
                const auto known = context.orbits.find(body);
                if (!there || !known) {
                    continue;
                }
                auto stack = makeBodyStack(
                    context,
                    lights,
                    *stars,
                    context.orbits.elements(*known),
                    context.out / "stacks" /
                        fmt::format("{}_s{}_{}.fits", fileWord(body), seriesNumber, run + 1));
                if (!stack) {
                    return fail(stack.error());
                }
                written.insert(stack->path);
                stacks.push_back(std::move(*stack));
            }
        }
    }
    removeOthers(context.out / "stacks", written);
    return stacks;
}

} // namespace pathmark::night

#include "core/night/steps/star_stack.h"

#include "core/detect/detect.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/steps/night_run.h"
#include "core/night/steps/stack_products.h"
#include "core/solve/solve_frame.h"
#include "core/stack/resample.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace pathmark::night {

/// What is learnt from a stack on the stars, as it is stored.
struct StackMeasures {
    detect::Moffat shape;
    double noise = 0.0;
    double solutionErrorPixels = 0.0;
    int usedStars = 0;
    std::optional<solve::PhotometricMatch> photometry;
};

} // namespace pathmark::night

template <>
struct pathmark::FieldsOf<pathmark::night::StackMeasures> {
    using R = night::StackMeasures;
    static constexpr auto list = std::tuple{Field{"shape", &R::shape},
                                            Field{"noise", &R::noise},
                                            Field{"solution_error", &R::solutionErrorPixels},
                                            Field{"stars", &R::usedStars},
                                            Field{"photometry", &R::photometry}};
};

namespace pathmark::night {
namespace {

/// What follows from the frames alone, whether the stack is there already or not.
StarStack startOf(const std::vector<LightRecord>& lights, const std::vector<std::size_t>& chosen) {
    StarStack result;
    const LightRecord& first = lights[chosen.front()];
    result.lights = chosen;
    result.spanSeconds =
        lights[chosen.back()].middle.secondsSince(first.middle) + first.exposureSeconds;
    result.middle = stack::middleOf(inputsOf(lights, chosen));
    result.exposureSeconds = first.exposureSeconds;
    result.width = first.width;
    result.height = first.height;
    const auto grid = stack::gridAround(first.skyMiddle(), *first.wcs, first.width, first.height);
    result.wcs = grid.wcs;
    return result;
}

/// Learns from a stack how stars look on it and how bright they are.
void learnStars(const NightRun& run,
                const stack::Stack& made,
                const LightRecord& first,
                double largestError,
                StarStack& result) {
    result.noise = made.noise;
    result.shape = first.shape;
    // A body of another colour than the stars leans in all frames alike.
    result.solutionErrorPixels =
        std::hypot(largestError / std::sqrt(static_cast<double>(result.lights.size())),
                   first.leanError(),
                   stack::kResamplingError);
    result.usedStars = first.matchedStars;
    result.photometry = first.photometry;
    detect::DetectOptions options;
    options.saturation = first.saturationElectrons;
    const auto detection = detect::detectSources(made.image, options);
    if (!detection) {
        return;
    }
    result.shape = detection->spread.middle().shape();
    const auto solution = solve::refineSolution(
        *detection, {result.width, result.height}, result.middle, result.wcs, 2.0, run.store);
    if (!solution) {
        return;
    }
    result.usedStars = solution->usedStars;
    if (first.photometry) {
        if (const auto match = solve::matchPhotometry(*detection,
                                                      *solution,
                                                      {result.width, result.height},
                                                      first.photometry->band,
                                                      first.exposureSeconds)) {
            result.photometry = *match;
        }
    }
    if (result.photometry) {
        double& unexplained = result.photometry->unexplained;
        unexplained = std::hypot(unexplained, stack::kResamplingLightError);
    }
}

} // namespace

Result<StarStack> makeStarStack(NightRun& run, const std::vector<std::size_t>& chosen) {
    const auto& lights = run.lights;
    StarStack result = startOf(lights, chosen);
    const LightRecord& first = lights[chosen.front()];
    const auto inputs = inputsOf(lights, chosen);
    const stack::PixelGrid grid{result.wcs, result.width, result.height};
    ProductKey key = stackKey("stars", grid, inputs, lights, chosen);
    key.input("catalogue", run.store.contentDigest());
    result.key = key.hex();
    if (const auto product = run.file().product(result.key)) {
        const auto measures =
            record_json::read<StackMeasures>(nlohmann::json::parse(product->info));
        result.path = product->path;
        result.shape = measures.shape;
        result.noise = measures.noise;
        result.solutionErrorPixels = measures.solutionErrorPixels;
        result.usedStars = measures.usedStars;
        result.photometry = measures.photometry;
        return result;
    }
    auto made = stack::stackFrames(inputs, grid, {}, run.job());
    if (!made) {
        return fail(made.error());
    }
    double largestError = 0.0;
    for (const std::size_t index : chosen) {
        largestError = std::max(largestError, lights[index].solutionErrorPixels);
    }
    learnStars(run, *made, first, largestError, result);
    result.path = stackPath(run, "stars", chosen);
    const auto header =
        stack::headerOf(inputs, *made, {}, grid.wcs, titleOf(first, result, "stars", result.key));
    const StackMeasures measures{result.shape,
                                 result.noise,
                                 result.solutionErrorPixels,
                                 result.usedStars,
                                 result.photometry};
    Product product;
    product.key = result.key;
    product.frame = first.frame; // the first of those that it was added from
    product.info = record_json::write(measures).dump();
    product.origin = key.origin();
    if (auto stored = storeStack(run, *made, header, result.path, std::move(product)); !stored) {
        return fail(stored.error());
    }
    return result;
}

} // namespace pathmark::night

#include "command/stack_wishes.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::command {

Result<Wishes> wishesOf(const StackArguments& a) {
    Wishes wishes;
    const auto refuse = [](const std::string& why) { return fail(ErrorId::CommandWrongUse, why); };
    if (const std::string objection = objectionTo(a.motion); !objection.empty()) {
        return refuse(objection);
    }
    if (a.stillSky && a.motion.stars) {
        return refuse("--still-sky is for what moves; on --stars nothing would be left.");
    }
    if (a.groups < 1) {
        return refuse(fmt::format("--groups {} must be 1 or more.", a.groups));
    }
    auto canvas = canvasOf(a.canvas);
    if (!canvas) {
        return fail(canvas.error());
    }
    wishes.canvas = *canvas;
    const auto kernel = stack::kernelNamed(a.kernel);
    if (!kernel) {
        return refuse(fmt::format("--kernel {} is none of cubic and lanczos3.", a.kernel));
    }
    wishes.options.resampling.kernel = *kernel;
    if (a.drop) {
        if (!(*a.drop > 0.0 && *a.drop <= 1.0)) {
            return refuse(fmt::format("--drop {:g} must be above 0 and at most 1.", *a.drop));
        }
        wishes.options.resampling.drop = *a.drop;
    }
    if (!a.combination.empty()) {
        const auto combination = combine::combinationNamed(a.combination);
        if (!combination) {
            return refuse(fmt::format(
                "--combination {} is none of {}.", a.combination, combine::combinationNames()));
        }
        wishes.options.rule.combination = *combination;
    }
    wishes.options.maps = a.maps;
    return wishes;
}

} // namespace pathmark::command

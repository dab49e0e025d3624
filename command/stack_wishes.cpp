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
    const auto extent = stack::canvasExtentNamed(a.canvas);
    if (!extent) {
        return refuse(fmt::format("--canvas {} is none of union, common and body.", a.canvas));
    }
    wishes.canvas.extent = *extent;
    wishes.canvas.northUp = a.northUp;
    if (!(a.scale > 0.0) || !std::isfinite(a.scale)) {
        return refuse(fmt::format("--scale {:g} must be a number above 0.", a.scale));
    }
    wishes.canvas.scale = a.scale;
    if (!a.crop.empty()) {
        if (!(std::abs(a.crop[1]) <= 90.0) || !(a.crop[2] > 0.0) || !(a.crop[3] > 0.0)) {
            return refuse("--crop takes RA and Dec in degrees, then width and height in arcmin.");
        }
        wishes.canvas.crop = stack::Crop{skyDegrees(a.crop[0], a.crop[1]),
                                         Angle::arcsec(60.0 * a.crop[2]),
                                         Angle::arcsec(60.0 * a.crop[3])};
    }
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

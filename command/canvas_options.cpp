#include "command/canvas_options.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <cmath>

namespace pathmark::command {

void addCanvasOptions(CLI::App& verb, CanvasArguments& a) {
    verb.add_option("--canvas", a.extent, "union, common or body");
    verb.add_option("--crop", a.crop, "RA and Dec in degrees, width and height in arcmin")
        ->expected(4);
    verb.add_flag("--north-up", a.northUp, "North up and east to the left");
    verb.add_option("--scale", a.scale, "Side of a pixel, in pixels of the first frame");
}

Result<stack::CanvasChoice> canvasOf(const CanvasArguments& a) {
    const auto refuse = [](const std::string& why) { return fail(ErrorId::CommandWrongUse, why); };
    stack::CanvasChoice choice;
    if (!a.extent.empty()) {
        const auto extent = stack::canvasExtentNamed(a.extent);
        if (!extent) {
            return refuse(fmt::format("--canvas {} is none of union, common and body.", a.extent));
        }
        choice.extent = *extent;
    }
    choice.northUp = a.northUp;
    if (!(a.scale > 0.0) || !std::isfinite(a.scale)) {
        return refuse(fmt::format("--scale {:g} must be a number above 0.", a.scale));
    }
    choice.scale = a.scale;
    if (!a.crop.empty()) {
        if (!(std::abs(a.crop[1]) <= 90.0) || !(a.crop[2] > 0.0) || !(a.crop[3] > 0.0)) {
            return refuse("--crop takes RA and Dec in degrees, then width and height in arcmin.");
        }
        choice.crop = stack::Crop{skyDegrees(a.crop[0], a.crop[1]),
                                  Angle::arcsec(60.0 * a.crop[2]),
                                  Angle::arcsec(60.0 * a.crop[3])};
    }
    return choice;
}

} // namespace pathmark::command

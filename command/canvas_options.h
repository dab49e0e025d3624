#pragma once

#include "core/stack/canvas.h"

#include <string>
#include <vector>

namespace CLI {
class App;
} // namespace CLI

namespace pathmark::command {

/// What a picture or a stack is made on.
struct CanvasArguments {
    std::string extent;
    std::vector<double> crop; ///< RA and Dec in degrees, width and height in arcmin
    bool northUp = false;
    double scale = 1.0;
};

/// --canvas, --crop, --north-up, --scale.
void addCanvasOptions(CLI::App& verb, CanvasArguments& arguments);

/// The canvas asked for; a union where no extent is named.
///
/// Errors   command.wrong_use
Result<stack::CanvasChoice> canvasOf(const CanvasArguments& arguments);

} // namespace pathmark::command

#pragma once

#include "command/frame_input.h"
#include "command/motion.h"
#include "core/stack/canvas.h"
#include "core/stack/stack.h"

namespace pathmark::command {

/// What `stack` is told.
struct StackArguments {
    Console console;
    FrameArguments input;
    MotionArguments motion;
    std::string wcsFolder;
    std::string out;
    int groups = 1;
    std::string combination;
    std::string canvas = "union";
    std::vector<double> crop; ///< RA and Dec in degrees, width and height in arcmin
    bool northUp = false;
    double scale = 1.0;
    std::string kernel = "cubic";
    std::optional<double> drop;
    bool stillSky = false;
    bool maps = false;
};

/// What the words of the command line ask for.
struct Wishes {
    stack::CanvasChoice canvas;
    stack::StackOptions options;
};

/// Errors   command.wrong_use
Result<Wishes> wishesOf(const StackArguments& arguments);

} // namespace pathmark::command

#pragma once

#include "command/canvas_options.h"
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
    CanvasArguments canvas;
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

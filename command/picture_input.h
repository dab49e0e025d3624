#pragma once

#include "command/canvas_options.h"
#include "command/frame_input.h"
#include "command/motion.h"
#include "command/temporary_folder.h"
#include "core/night/picture_channels.h"
#include "core/picture/layered_picture.h"

namespace pathmark::command {

/// What pictures and films are both told.
struct PictureArguments {
    Console console;
    FrameArguments input;
    MotionArguments motion;
    std::string wcsFolder;
    std::string out;
    CanvasArguments canvas;
    std::string stretch = "auto";
    std::optional<double> black;
    std::optional<double> white;
    std::string shape;
    picture::Marks marks;
};

/// Files and folders, a motion, --wcs, --out, the canvas, --shape, --stretch, --black, --white, marks and what is common.
void addPictureOptions(CLI::App& verb, PictureArguments& arguments);

/// Whether a motion was named; `stars` is one for a film, but none of a comet.
bool hasMotion(const MotionArguments& arguments);

/// The canvas asked for, in its shape.
///
/// Errors   command.wrong_use
Result<stack::CanvasChoice> canvasOf(const PictureArguments& arguments);

/// The stretch asked for.
///
/// Errors   command.wrong_use
Result<picture::StretchWish> stretchOf(const PictureArguments& arguments);

/// The lights of a picture and what moves in them.
struct PictureInput {
    TemporaryFolder folder; ///< of passing files
    night::PictureChannels channels;
    std::optional<Motion> motion; ///< where one was named that is not the stars'
};

/// Reads all of it.
///
/// Errors   command.wrong_use, picture.no_layer, and those of motionOf and the readers
Result<PictureInput> readPictureInput(const PictureArguments& arguments);

} // namespace pathmark::command

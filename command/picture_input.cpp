#include "command/picture_input.h"

#include "core/base/text.h"
#include "core/base/whole_file.h"
#include "core/night/motion_stack.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <fstream>

namespace pathmark::command {
namespace {

/// The lights that a motion is followed in: of a colour camera one plane, else all.
std::vector<night::StackLight> lightsOf(const night::PictureChannels& channels) {
    if (channels.arePlanes && channels.channels.size() == 3) {
        return channels.channels[1].lights;
    }
    return night::allLights(channels);
}

/// Whether a table of marks has pixels, which are those of the whole mosaic and not of its planes.
bool marksPixels(const std::string& file) {
    std::ifstream stream(file);
    std::string head;
    std::getline(stream, head);
    return head.find('x') != std::string::npos;
}

} // namespace

void addPictureOptions(CLI::App& verb, PictureArguments& a) {
    addFrameArguments(verb, a.input);
    addMotionOptions(verb, a.motion);
    verb.add_option("--wcs", a.wcsFolder, "Folder of .wcs files");
    verb.add_option("--out", a.out, "The file to write; its ending says the format")->required();
    addCanvasOptions(verb, a.canvas);
    verb.add_option("--shape", a.shape, "Cut to width:height, as 4:3, 16:9 or 1:1");
    verb.add_option("--stretch", a.stretch, "auto, linear or asinh:SOFTNESS, in electrons");
    verb.add_option("--black", a.black, "Light that is black, electrons");
    verb.add_option("--white", a.white, "Light that is white, electrons");
    verb.add_flag("--scale-bar", a.marks.scale, "A bar of a round length");
    verb.add_flag("--compass", a.marks.compass, "Where north and east are");
    verb.add_flag("--path", a.marks.path, "The way of the body");
    addCommonOptions(verb, a.console);
}

bool hasMotion(const MotionArguments& a) {
    return a.stars || !a.body.body.empty() || a.rateArcsecPerMin || !a.marks.empty();
}

Result<stack::CanvasChoice> canvasOf(const PictureArguments& a) {
    auto choice = canvasOf(a.canvas);
    if (!choice || a.shape.empty()) {
        return choice;
    }
    const auto colon = a.shape.find(':');
    const auto width = parseNumber(a.shape.substr(0, colon));
    const auto height =
        colon == std::string::npos ? std::nullopt : parseNumber(a.shape.substr(colon + 1));
    if (!width || !height || !(*width > 0.0) || !(*height > 0.0) || *width > 20.0 * *height ||
        *height > 20.0 * *width) {
        return fail(ErrorId::CommandWrongUse,
                    fmt::format("--shape {} is no width:height, as 4:3, 16:9 or 1:1.", a.shape));
    }
    choice->shape = *width / *height;
    return choice;
}

Result<picture::StretchWish> stretchOf(const PictureArguments& a) {
    auto wish = picture::stretchNamed(a.stretch);
    if (!wish) {
        return fail(ErrorId::CommandWrongUse,
                    fmt::format("--stretch {} is none of auto, linear and asinh:SOFTNESS (a number "
                                "above 0).",
                                a.stretch));
    }
    if (a.black && a.white && !(*a.white > *a.black)) {
        return fail(
            ErrorId::CommandWrongUse,
            fmt::format("--white {:g} must be more than --black {:g}.", *a.white, *a.black));
    }
    wish->black = a.black;
    wish->white = a.white;
    return *wish;
}

Result<PictureInput> readPictureInput(const PictureArguments& a) {
    const auto files = framesOf(a.input);
    if (!files) {
        return fail(files.error());
    }
    auto folder = TemporaryFolder::make();
    if (!folder) {
        return fail(folder.error());
    }
    const Job job = a.console.job();
    PictureInput input{std::move(*folder), {}, {}};
    input.channels =
        night::readChannels(files->list.files, a.wcsFolder, files->rules, input.folder.path(), job);
    for (const Error& error : files->list.failures) {
        input.channels.failures.push_back(error);
    }
    const auto lights = lightsOf(input.channels);
    if (lights.empty()) {
        for (const Error& error : input.channels.failures) {
            Console::complain(error);
        }
        return fail(ErrorId::PictureNoLayer, "There is no solved frame for a picture.");
    }
    if (!hasMotion(a.motion) || a.motion.stars) {
        return input;
    }
    if (input.channels.arePlanes && !a.motion.marks.empty() && marksPixels(a.motion.marks)) {
        return fail(ErrorId::CommandWrongUse,
                    "Marks on the mosaic of a colour camera must be given as ra and dec.");
    }
    auto motion = motionOf(a.motion, lights, night::middleOf(lights), job);
    if (!motion) {
        return fail(motion.error());
    }
    input.motion = std::move(*motion);
    return input;
}

} // namespace pathmark::command

#include "command/frame_input.h"

#include "core/calibrate/ceiling.h"
#include "core/frame/open_frame.h"

#include <algorithm>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

/// A frame that calibrates others: nothing on it is to be found in the sky.
bool isForCalibration(const fs::path& file, const frame::ReadingRules& rules) {
    const auto source = frame::openFrame(file);
    if (!source) {
        return false; // whoever takes it says why it cannot be read
    }
    const auto info = frame::describeFrame(
        file, (*source)->width(), (*source)->height(), (*source)->header(), rules);
    return info.isMaster ||
           (info.kind != frame::FrameKind::Light && info.kind != frame::FrameKind::Unknown);
}

} // namespace

void addFrameArguments(CLI::App& verb, FrameArguments& arguments) {
    verb.add_option("frames", arguments.places, "Frames: files, and folders with all below them")
        ->required();
    addReadingOptions(verb, arguments.reading);
}

std::optional<double> saturationOf(const frame::LoadedFrame& frame, const frame::FrameInfo& info) {
    if (const auto left = frame.header.number("PMSATUR")) {
        return left;
    }
    const auto ceiling = calibrate::ceilingOf(frame.image);
    if (!ceiling || !info.saturationAdu) {
        return ceiling ? ceiling : info.saturationAdu;
    }
    return std::min(*ceiling, *info.saturationAdu);
}

Result<FrameInput> framesOf(const FrameArguments& arguments) {
    auto rules = arguments.reading.rules();
    if (!rules) {
        return fail(rules.error());
    }
    const std::vector<fs::path> places = arguments.paths();
    FrameInput input{std::move(*rules), frame::listFrames(places)};
    std::erase_if(input.list.files, [&](const fs::path& file) {
        const bool named = std::find(places.begin(), places.end(), file) != places.end();
        return !named && isForCalibration(file, input.rules);
    });
    return input;
}

} // namespace pathmark::command

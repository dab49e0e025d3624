#include "command/frame_input.h"

#include "core/base/parallel.h"
#include "core/frame/open_frame.h"
#include "core/night/failures_json.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

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

void addReadingOptions(CLI::App& verb, ReadingArguments& arguments) {
    verb.add_option(
        "--as",
        arguments.kinds,
        "KIND=PART: files whose path holds PART are bias, dark, flat, flat-dark or light, "
        "whatever their headers say");
    verb.add_option(
        "--equipment",
        arguments.equipment,
        "Cameras, sites and header words of yours (TOML); by default pathmark/equipment.toml in "
        "your folder for settings");
}

Result<frame::ReadingRules> ReadingArguments::rules() const {
    auto rules = equipment.empty() ? frame::observersRules() : frame::readEquipment(equipment);
    if (!rules) {
        return rules;
    }
    for (const std::string& text : kinds) {
        const std::size_t equals = text.find('=');
        const auto kind = frame::frameKindNamed(text.substr(0, equals));
        if (equals == std::string::npos || !kind || *kind == frame::FrameKind::Unknown ||
            equals + 1 == text.size()) {
            return fail(
                ErrorId::CalibrateBadOption,
                fmt::format(
                    "--as takes KIND=PART, as in flat=twilight/, with a kind of bias, dark, flat, "
                    "flat-dark or light; not '{}'.",
                    text));
        }
        rules->kinds.emplace_back(text.substr(equals + 1), *kind);
    }
    return rules;
}

void addFrameArguments(CLI::App& verb, FrameArguments& arguments) {
    verb.add_option("frames", arguments.places, "Frames: files, and folders with all below them")
        ->required();
    addReadingOptions(verb, arguments.reading);
}

int endWith(const Console& console, nlohmann::json document, const std::vector<Error>& failures) {
    for (const Error& error : failures) {
        Console::complain(error);
    }
    if (console.json) {
        if (!failures.empty()) {
            document["failures"] = night::failuresJson(failures);
        }
        Console::print(document);
    }
    return failures.empty() ? kDone : kSomeFailed;
}

Result<FrameInput> framesOf(const FrameArguments& arguments) {
    auto rules = arguments.reading.rules();
    if (!rules) {
        return fail(rules.error());
    }
    const std::vector<fs::path> places = arguments.paths();
    FrameInput input{std::move(*rules), frame::listFrames(places)};
    std::vector<fs::path>& files = input.list.files;
    std::vector<char> isLeftOut(files.size());
    parallelFor(files.size(), [&](std::size_t i) {
        const bool isNamed = std::find(places.begin(), places.end(), files[i]) != places.end();
        isLeftOut[i] = static_cast<char>(!isNamed && isForCalibration(files[i], input.rules));
    });
    std::vector<fs::path> kept;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (isLeftOut[i] == 0) {
            kept.push_back(std::move(files[i]));
        }
    }
    files = std::move(kept);
    return input;
}

} // namespace pathmark::command

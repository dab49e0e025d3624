#include "command/console.h"
#include "command/frame_input.h"
#include "core/base/atomic_file.h"
#include "core/base/csv_field.h"
#include "core/calibrate/ceiling.h"
#include "core/detect/detect.h"
#include "core/frame/open_frame.h"
#include "core/identify/solved_frame.h"
#include "core/night/failures_json.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct DetectArguments {
    Console console;
    FrameArguments input;
    std::string wcsFolder;
    std::string csv;
};

nlohmann::json sourceJson(const detect::Source& s, const std::optional<frame::Wcs>& wcs) {
    const auto pixel = frame::toFits({s.x, s.y});
    nlohmann::json entry{{"x", pixel.x},
                         {"y", pixel.y},
                         {"x_err", s.xError},
                         {"y_err", s.yError},
                         {"flux", s.flux},
                         {"flux_err", s.fluxError},
                         {"fwhm", s.fwhm},
                         {"elongation", s.elongation},
                         {"snr", s.snr},
                         {"flags", detect::flagText(s.flags)}};
    if (wcs) {
        const SkyPos sky = wcs->toSky({s.x, s.y});
        entry["ra"] = sky.longitude.degrees();
        entry["dec"] = sky.latitude.degrees();
    }
    return entry;
}

/// One frame's sources, as JSON and as lines of the CSV.
struct Detected {
    nlohmann::json entry;
    bool solved = false;
};

constexpr const char* kColumns = "x,y,x_err,y_err,flux,flux_err,fwhm,elongation,snr,flags";

/// Lines without a head; a column with the file's name stands before them where there are several files.
std::string csvLines(const Detected& frame, bool named, bool withSky) {
    std::string text;
    for (const auto& s : frame.entry["sources"]) {
        const auto v = [&](const char* key) { return s[key].get<double>(); };
        text += named ? csvField(frame.entry["file"].get<std::string>()) + "," : "";
        text += fmt::format("{:.4f},{:.4f},{:.4f},{:.4f},{:.2f},{:.2f},{:.3f},{:.3f},{:.2f},{}",
                            v("x"),
                            v("y"),
                            v("x_err"),
                            v("y_err"),
                            v("flux"),
                            v("flux_err"),
                            v("fwhm"),
                            v("elongation"),
                            v("snr"),
                            s["flags"].get<std::string>());
        if (withSky) {
            text += frame.solved ? fmt::format(",{:.8f},{:.8f}", v("ra"), v("dec")) : ",,";
        }
        text += "\n";
    }
    return text;
}

std::string csvText(std::span<const Detected> frames, bool named) {
    const bool withSky =
        std::any_of(frames.begin(), frames.end(), [](const Detected& f) { return f.solved; });
    std::string text =
        fmt::format("{}{}{}\n", named ? "file," : "", kColumns, withSky ? ",ra,dec" : "");
    for (const Detected& frame : frames) {
        text += csvLines(frame, named, withSky);
    }
    return text;
}

Result<Detected>
detectIn(const std::string& file, const std::string& wcsFolder, const frame::ReadingRules& rules) {
    auto loaded = frame::readFrame(file);
    if (!loaded) {
        return fail(loaded.error());
    }
    const int width = loaded->image.width();
    const int height = loaded->image.height();
    detect::DetectOptions options;
    options.saturation =
        calibrate::saturationOf(loaded->image,
                                loaded->header,
                                frame::describeFrame(file, width, height, loaded->header, rules));
    auto detection = detect::detectSources(loaded->image, options);
    if (!detection) {
        Error error = detection.error();
        error.subject = file;
        return fail(std::move(error));
    }
    std::optional<frame::Wcs> wcs;
    if (auto read = identify::solutionOf(file, loaded->header, wcsFolder)) {
        wcs = *read;
    }
    nlohmann::json sources = nlohmann::json::array();
    for (const auto& s : detection->sources) {
        sources.push_back(sourceJson(s, wcs));
    }
    return Detected{{{"file", file},
                     {"fwhm_px", detection->fwhm},
                     {"elongation", detection->elongation},
                     {"background", detection->sky.typicalLevel()},
                     {"noise", detection->sky.typicalNoise()},
                     {"sources", sources}},
                    wcs.has_value()};
}

int detectAll(const DetectArguments& a) {
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    std::vector<Detected> frames;
    std::vector<Error> failures = input->list.failures;
    for (const auto& path : input->list.files) {
        auto found = detectIn(path.string(), a.wcsFolder, input->rules);
        if (!found) {
            failures.push_back(found.error());
            continue;
        }
        const nlohmann::json& entry = found->entry;
        a.console.say(fmt::format("{}: {} sources, FWHM {:.2f} pixels, background {:.1f} +- {:.1f}",
                                  path.string(),
                                  entry["sources"].size(),
                                  entry["fwhm_px"].get<double>(),
                                  entry["background"].get<double>(),
                                  entry["noise"].get<double>()));
        frames.push_back(std::move(*found));
    }
    for (const Error& error : failures) {
        Console::complain(error);
    }
    const bool single = frames.size() + failures.size() == 1;
    if (!a.csv.empty() && !frames.empty()) {
        if (auto done = writeWholeText(a.csv, csvText(frames, !single)); !done) {
            Console::complain(done.error());
            return kSomeFailed;
        }
    }
    if (a.console.json && single && !frames.empty()) {
        Console::print(frames.front().entry);
    } else if (a.console.json && !single) {
        nlohmann::json list = nlohmann::json::array();
        for (const Detected& frame : frames) {
            list.push_back(frame.entry);
        }
        Console::print({{"frames", list}, {"failures", night::failuresJson(failures)}});
    }
    return failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addDetectVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<DetectArguments>();
    CLI::App* verb = program.add_subcommand("detect", "Find the sources of frames");
    addFrameArguments(*verb, a->input);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    verb->add_option("--csv", a->csv, "Write the sources to this file");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return detectAll(*a); }; });
}

} // namespace pathmark::command

#include "command/console.h"
#include "command/frame_input.h"
#include "command/match_report.h"
#include "core/night/calibrate_folder.h"
#include "core/night/failures_json.h"
#include "core/night/protected_sky.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

using nlohmann::json;

struct CalibrateArguments {
    Console console;
    FrameArguments input;
    night::CalibrateOptions options;
    std::string combination;
    std::vector<std::string> use;
    std::string withoutFlats = "leave";
    std::string colour = "sum";
    std::string gradient = "none";
    std::string gradientPer = "frame";
    double gain = 0.0;
    double readNoise = 0.0;
    double saturation = 0.0;
    double level = 0.0;
    std::vector<double> protect;
    std::string protectMarks;
    bool keepHits = false;
    bool explain = false;
};

/// Words of the command line to settings; CLI11 has checked those that are one of a few.
Result<night::CalibrateOptions> optionsOf(const CalibrateArguments& arguments) {
    night::CalibrateOptions options = arguments.options;
    takePlaces(arguments.input.paths(), options);
    auto rules = arguments.input.reading.rules();
    if (!rules) {
        return fail(rules.error());
    }
    options.rules = std::move(*rules);
    night::CalibrationSettings& settings = options.settings;
    auto use = mastersNamed(arguments.use);
    if (!use) {
        return fail(use.error());
    }
    settings.use = std::move(*use);
    if (!arguments.combination.empty()) {
        settings.combination = combine::combinationNamed(arguments.combination);
        if (!settings.combination) {
            return fail(ErrorId::CalibrateBadOption,
                        fmt::format("There is no combination '{}'; there are {}.",
                                    arguments.combination,
                                    combine::combinationNames()));
        }
    }
    settings.withoutFlats = arguments.withoutFlats == "sky"     ? night::WithoutFlats::Sky
                            : arguments.withoutFlats == "level" ? night::WithoutFlats::Level
                                                                : night::WithoutFlats::Leave;
    settings.colour = *calibrate::colourNamed(arguments.colour);
    settings.gradient.removed = arguments.gradient != "none";
    if (settings.gradient.removed) {
        settings.gradient.degree =
            arguments.gradient == "spline" ? 0 : arguments.gradient.front() - '0';
    }
    settings.gradient.perSeries = arguments.gradientPer == "series";
    const auto given = [](double value) {
        return value > 0.0 ? std::optional(value) : std::nullopt;
    };
    settings.electronsPerAdu = given(arguments.gain);
    settings.readNoiseElectrons = given(arguments.readNoise);
    settings.saturationAdu = given(arguments.saturation);
    settings.levelElectrons = given(arguments.level);
    settings.masksHits = !arguments.keepHits;
    if (arguments.protect.size() == 3) {
        const frame::PixelPos centre =
            frame::fromFits({arguments.protect[0], arguments.protect[1]});
        settings.protect.push_back({centre, arguments.protect[2]});
    }
    if (!arguments.protectMarks.empty()) {
        auto marks = night::readProtectedMarks(arguments.protectMarks);
        if (!marks) {
            return fail(marks.error());
        }
        settings.protectMarks = std::move(*marks);
    }
    return options;
}

json seriesJson(const night::CalibratedSeries& series,
                std::span<const calibrate::FrameGroup> groups) {
    json files = json::array();
    for (const auto& file : series.files) {
        files.push_back(
            {{"file", file.raw.string()},
             {"calibrated", file.calibrated.string()},
             {"fwhm_px", file.middleFwhmPixels > 0.0 ? json(file.middleFwhmPixels) : json()},
             {"sky_e", file.middleSkyElectrons},
             {"noise_e", file.middleNoiseElectrons},
             {"sources", file.middleSources},
             {"defects", file.defects},
             {"hits", file.hits}});
    }
    json entry{{"title", series.lights.title()},
               {"match", matchJson(series.match, groups)},
               {"gain_e_per_adu", series.noise.electronsPerAdu},
               {"read_noise_e", series.noise.readNoiseElectrons},
               {"without_flats", series.withoutFlats},
               {"files", files}};
    entry["dark_scale"] = series.darkScale ? json{{"scale", series.darkScale->scale},
                                                  {"error", series.darkScale->error},
                                                  {"fitted", series.darkScale->fitted}}
                                           : json();
    return entry;
}

int run(const CalibrateArguments& arguments) {
    const auto options = optionsOf(arguments);
    if (!options) {
        Console::complain(options.error());
        return kWrongUse;
    }
    const auto done = night::calibrateFolder(*options, arguments.console.job());
    if (!done) {
        Console::complain(done.error());
        if (arguments.console.json) {
            Console::print(json{{"series", json::array()},
                                {"failures", night::failuresJson(std::span(&done.error(), 1))}});
        }
        return kSomeFailed;
    }
    for (const Error& error : done->failures) {
        Console::complain(error);
    }
    json list = json::array();
    for (const auto& series : done->series) {
        list.push_back(seriesJson(series, done->groups));
        if (!arguments.console.json) {
            Console::print(fmt::format("{:4} x {}\n", series.files.size(), series.lights.title()));
            Console::print(matchText(series.match, done->groups, arguments.explain));
            Console::print(fmt::format("       gain {:.3f} e-/ADU, read noise {:.2f} e-\n",
                                       series.noise.electronsPerAdu,
                                       series.noise.readNoiseElectrons));
        }
    }
    if (arguments.console.json) {
        Console::print(json{{"series", list}, {"failures", night::failuresJson(done->failures)}});
    }
    return done->failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addCalibrateVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<CalibrateArguments>();
    CLI::App* verb =
        program.add_subcommand("calibrate", "Build the masters and calibrate every light");
    addFrameArguments(*verb, a->input);
    addMasterOption(*verb, a->use);
    verb->add_option("--out", a->options.out, "Where masters/ and calibrated/ go")->required();
    verb->add_option("--library",
                     a->options.settings.library,
                     "Folder of masters of other nights; new ones are added");
    verb->add_option("--combination", a->combination, "Of masters: " + combine::combinationNames());
    verb->add_option("--without-flats",
                     a->withoutFlats,
                     "What to do where no flat fits: leave, sky or level")
        ->check(CLI::IsMember({"leave", "sky", "level"}));
    verb->add_option("--level", a->level, "Background in electrons to level to")
        ->check(CLI::PositiveNumber);
    verb->add_option(
            "--colour", a->colour, "Of a colour camera: sum, red, green, blue, full or keep")
        ->check(CLI::IsMember({"sum", "red", "green", "blue", "full", "keep"}));
    verb->add_option(
            "--gradient", a->gradient, "Take a gradient away: none, 1 to 4 (degree) or spline")
        ->check(CLI::IsMember({"none", "1", "2", "3", "4", "spline"}));
    verb->add_option(
            "--gradient-per", a->gradientPer, "One gradient for each frame or for the series")
        ->check(CLI::IsMember({"frame", "series"}));
    verb->add_option("--gain", a->gain, "Electrons per ADU, whatever the header says")
        ->check(CLI::PositiveNumber);
    verb->add_option("--read-noise", a->readNoise, "Electrons")->check(CLI::PositiveNumber);
    verb->add_option("--saturation", a->saturation, "ADU")->check(CLI::PositiveNumber);
    verb->add_flag(
        "--variance", a->options.settings.writesVariance, "Write each frame's variance beside it");
    verb->add_flag("--gradient-model",
                   a->options.settings.writesGradient,
                   "Write the gradient that was taken away beside each frame");
    verb->add_option(
            "--protect",
            a->protect,
            "X Y RADIUS in pixels of the raw frame: never taken for sky (a coma, a galaxy)")
        ->expected(3)
        ->type_name("X Y RADIUS");
    verb->add_option("--protect-marks",
                     a->protectMarks,
                     "CSV of file, x, y, radius: discs that go with a comet from mark to mark");
    verb->add_flag("--keep-hits", a->keepHits, "Do not mask particle hits");
    verb->add_flag("--explain", a->explain, "Say what was passed over, and why");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return run(*a); }; });
}

} // namespace pathmark::command

#include "command/console.h"
#include "command/frame_input.h"
#include "command/frame_solver.h"
#include "command/sky_options.h"
#include "core/base/atomic_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct SolveArguments {
    Console console;
    FrameArguments input;
    std::string store;
    std::string catalogName;
    PointingHint hint;
    std::string out;
};

nlohmann::json failed(const std::string& file, const Error& error, double seconds) {
    nlohmann::json entry{{"file", file},
                         {"solved", false},
                         {"id", name(error.id)},
                         {"reason", error.detail},
                         {"seconds", seconds}};
    for (const char* key : {"ra",
                            "dec",
                            "scale",
                            "rotation_deg",
                            "mirrored",
                            "matched",
                            "rms_arcsec",
                            "false_alarm_log10",
                            "zero_point",
                            "limiting_mag",
                            "fwhm_arcsec"}) {
        entry[key] = nullptr;
    }
    return entry;
}

nlohmann::json solved(const std::string& file, const SolvedOnItsOwn& frame, double seconds) {
    const solve::Solution& solution = frame.solution;
    const SkyPos centre =
        solution.wcs.toSky({0.5 * (frame.info.width - 1), 0.5 * (frame.info.height - 1)});
    nlohmann::json entry{{"file", file},
                         {"solved", true},
                         {"id", nullptr},
                         {"reason", ""},
                         {"ra", centre.longitude.degrees()},
                         {"dec", centre.latitude.degrees()},
                         {"scale", solution.wcs.scaleArcsec()},
                         {"rotation_deg", solution.wcs.rotation().degrees()},
                         {"mirrored", solution.wcs.mirrored()},
                         {"matched", solution.usedStars},
                         {"rms_arcsec", solution.rmsArcsec},
                         {"false_alarm_log10", solution.falseAlarmLog10},
                         {"zero_point", nullptr},
                         {"limiting_mag", nullptr},
                         {"fwhm_arcsec", frame.detection.fwhm * solution.wcs.scaleArcsec()},
                         {"seconds", seconds}};
    if (frame.photometry) {
        entry["zero_point"] = frame.photometry->zeroPoint;
        entry["limiting_mag"] = frame.photometry->limitingMag;
    }
    return entry;
}

nlohmann::json solveOne(const SolveArguments& a,
                        const std::filesystem::path& path,
                        const frame::ReadingRules& rules,
                        FrameSolver& solver) {
    const std::string file = path.string();
    const auto frame = solver.solve(path, rules, a.hint);
    if (!frame) {
        if (solver.seconds() == 0.0) {
            Console::complain(frame.error()); // it could not even be read
        }
        return failed(file, frame.error(), solver.seconds());
    }
    if (!a.out.empty()) {
        if (auto done = writeSolution(*frame, path, a.out); !done) {
            Console::complain(done.error());
            return failed(file, done.error(), solver.seconds());
        }
    }
    return solved(file, *frame, solver.seconds());
}

/// What cannot be meant; empty where all is well.
std::string objectionTo(const SolveArguments& a) {
    if (a.hint.nearRaDec.size() == 2 && !isPlace(a.hint.nearRaDec[0], a.hint.nearRaDec[1])) {
        return fmt::format(
            "--near {:g} {:g} is no place of the sky: right ascension goes from 0 to "
            "360 degrees, declination from -90 to +90.",
            a.hint.nearRaDec[0],
            a.hint.nearRaDec[1]);
    }
    if (a.hint.scale.size() == 2 &&
        !(a.hint.scale[0] > 0.0 && a.hint.scale[1] >= a.hint.scale[0])) {
        return fmt::format("--scale {:g} {:g} must be the least and the greatest arcsec per pixel, "
                           "both above 0.",
                           a.hint.scale[0],
                           a.hint.scale[1]);
    }
    if (a.hint.radiusDegrees && !(*a.hint.radiusDegrees > 0.0 && *a.hint.radiusDegrees <= 180.0)) {
        return fmt::format("--radius {:g} must be above 0 and at most 180 degrees.",
                           *a.hint.radiusDegrees);
    }
    return {};
}

int solveAll(const SolveArguments& a) {
    if (const std::string objection = objectionTo(a); !objection.empty()) {
        Console::complain({ErrorId::CommandWrongUse, objection, {}});
        return kWrongUse;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    auto solver = FrameSolver::open(a.store, a.catalogName, a.console.job());
    if (!solver) {
        Console::complain(solver.error());
        return kSomeFailed;
    }
    if (!a.out.empty()) {
        if (auto made = makeFolder(a.out); !made) {
            Console::complain(made.error());
            return kSomeFailed;
        }
    }
    nlohmann::json frames = nlohmann::json::array();
    bool all = true;
    for (const Error& error : input->list.failures) {
        Console::complain(error);
        frames.push_back(failed(error.subject, error, 0.0));
        all = false;
    }
    for (const auto& path : input->list.files) {
        const std::string file = path.string();
        nlohmann::json entry = solveOne(a, path, input->rules, *solver);
        const bool good = entry["solved"].get<bool>();
        all = all && good;
        a.console.say(
            good ? fmt::format("{}: RA {:.5f} Dec {:+.5f}, {:.4f}\"/px, {} stars, {:.3f}\"",
                               file,
                               entry["ra"].get<double>(),
                               entry["dec"].get<double>(),
                               entry["scale"].get<double>(),
                               entry["matched"].get<int>(),
                               entry["rms_arcsec"].get<double>())
                 : file + ": " + entry["reason"].get<std::string>());
        frames.push_back(std::move(entry));
    }
    if (a.console.json) {
        Console::print({{"frames", frames}});
    }
    return all ? kDone : kSomeFailed;
}

} // namespace

void addSolveVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<SolveArguments>();
    CLI::App* verb = program.add_subcommand("solve", "Find where frames point");
    addFrameArguments(*verb, a->input);
    verb->add_option("--store", a->store, "Folder of the catalogues")->required();
    verb->add_option("--catalog", a->catalogName, "Catalogue")->required();
    verb->add_option("--near", a->hint.nearRaDec, "RA and Dec in degrees to look around")
        ->expected(2);
    verb->add_option("--radius", a->hint.radiusDegrees, "How far from there, degrees");
    verb->add_option("--scale", a->hint.scale, "Least and greatest arcsec per pixel")->expected(2);
    verb->add_flag(
        "--blind", a->hint.blind, "Search all that the catalogue covers, whatever the header says");
    verb->add_option("--out", a->out, "Write STEM.wcs files here");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return solveAll(*a); }; });
}

} // namespace pathmark::command

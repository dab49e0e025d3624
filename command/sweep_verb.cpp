#include "command/light_series.h"
#include "command/sweep_fields.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

std::string objectionTo(const SweepArguments& a) {
    if (!a.rate.empty() &&
        !(a.rate[0] >= 0.0 && a.rate[1] > a.rate[0] && std::isfinite(a.rate[1]))) {
        return fmt::format(
            "--rate {:g} {:g}: a smaller and a larger rate are wanted.", a.rate[0], a.rate[1]);
    }
    if (!a.angle.empty() && !(std::isfinite(a.angle[0]) && std::isfinite(a.angle[1]))) {
        return "--angle takes two position angles in degrees.";
    }
    if (!(a.falseAlarms > 0.0) || !std::isfinite(a.falseAlarms)) {
        return fmt::format("--false-alarms {:g} must be a number above 0.", a.falseAlarms);
    }
    if (a.groups < 1) {
        return fmt::format("--groups {} must be 1 or more.", a.groups);
    }
    if (std::string objection = command::objectionTo(a.catalog); !objection.empty()) {
        return objection;
    }
    if (!a.body.body.empty() && (!a.rate.empty() || !a.angle.empty())) {
        return "--body says itself how the body moves: leave --rate and --angle out.";
    }
    if (!a.body.orbits.empty() && a.body.sky.code.empty() && a.body.sky.geodetic.empty()) {
        return "--orbits needs the observer's place: --site CODE or --site-geodetic LON LAT ALT_M.";
    }
    return objectionTo(a.body);
}

int sweepAll(const SweepArguments& a) {
    const auto start = std::chrono::steady_clock::now();
    if (const std::string objection = objectionTo(a); !objection.empty()) {
        Console::complain({ErrorId::CommandWrongUse, objection, {}});
        return kWrongUse;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    auto series = readLights(a.console, *input, a.wcsFolder);
    auto document = sweepFields(a, input->rules, std::move(series.lights), series.failures);
    if (!document) {
        for (const Error& error : series.failures) {
            Console::complain(error);
        }
        Console::complain(document.error());
        return kSomeFailed;
    }
    const std::chrono::duration<double> seconds = std::chrono::steady_clock::now() - start;
    (*document)["seconds"] = seconds.count();
    return endWith(a.console, std::move(*document), series.failures);
}

} // namespace

void addSweepVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<SweepArguments>();
    CLI::App* verb = program.add_subcommand(
        "sweep", "Search solved frames for bodies too faint for one, along every motion");
    addFrameArguments(*verb, a->input);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    verb->add_option("--rate", a->rate, "Least and most rate, arcsec per minute")->expected(2);
    verb->add_option("--angle", a->angle, "Position angles from, to, degrees east of north")
        ->expected(2);
    addBodyOptions(*verb, a->body);
    verb->add_option("--index", a->indexFolder, "Folder for the index of the orbit files");
    verb->add_option(
        "--false-alarms", a->falseAlarms, "Candidates that chance may make in the whole field");
    verb->add_option("--groups", a->groups, "Stacks in time that each candidate is measured in");
    addCatalogOptions(*verb, a->catalog, "magnitudes");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return sweepAll(*a); }; });
}

} // namespace pathmark::command

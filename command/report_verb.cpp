#include "command/console.h"
#include "command/open_night.h"
#include "core/base/atomic_file.h"
#include "core/night/failures_json.h"
#include "core/night/report/reported_night.h"
#include "core/night/steps/report_step.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct ReportArguments {
    Console console;
    std::string nightFile;
    std::string out;
    std::string recipe;
};

/// The lines that are to be looked at before they leave.
Result<nlohmann::json> doubtsOf(const night::NightFile& file, const night::Recipe& recipe) {
    const auto night = night::reportedOf(file);
    if (!night) {
        return fail(night.error());
    }
    nlohmann::json doubts = nlohmann::json::array();
    for (const night::ReportLine& line : night::reportLines(*night, recipe)) {
        for (const night::Doubt& doubt : line.doubts) {
            doubts.push_back(
                {{"id", line.measurement},
                 {"body", line.observation.body},
                 {"time", toIso(line.observation.time)},
                 {"doubt", name(doubt.kind)},
                 {"words", doubt.words},
                 {"waived",
                  doubt.waived ? nlohmann::json(*doubt.waived) : nlohmann::json(nullptr)}});
        }
    }
    return doubts;
}

int report(const ReportArguments& a) {
    int status = kDone;
    auto file = openNight(a.nightFile, status);
    if (!file) {
        return status;
    }
    const auto recipe =
        night::readRecipe(a.recipe.empty() ? file->recipe() : std::filesystem::path(a.recipe));
    if (!recipe) {
        Console::complain(recipe.error());
        return kWrongUse;
    }
    const std::filesystem::path out = a.out.empty() ? file->places().out : night::wholePath(a.out);
    std::vector<Error> failures;
    auto written = makeFolder(out);
    if (written) {
        written = night::writeReports(*file, *recipe, out, failures);
    }
    if (!written) {
        Console::complain(written.error());
        return kSomeFailed;
    }
    for (const Error& error : failures) {
        Console::complain(error);
    }
    const auto doubts = doubtsOf(*file, *recipe);
    if (!doubts) {
        Console::complain(doubts.error());
        return kSomeFailed;
    }
    if (a.console.json) {
        Console::print({{"done", true},
                        {"out", out.string()},
                        {"doubts", *doubts},
                        {"failures", night::failuresJson(failures)}});
    } else {
        for (const auto& line : *doubts) {
            if (!line.at("waived").is_null()) {
                continue;
            }
            a.console.say(fmt::format("{} {}  {}",
                                      line.at("body").get<std::string>(),
                                      line.at("time").get<std::string>(),
                                      line.at("words").get<std::string>()));
        }
        a.console.say(fmt::format("The reports are in {}", out.string()));
    }
    return failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addReportVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<ReportArguments>();
    CLI::App* verb = program.add_subcommand(
        "report", "Write a night's reports anew, with what was decided since it was run");
    verb->add_option("night", a->nightFile, "The night file")->required();
    verb->add_option("--out", a->out, "Where they go; by default beside the night's other results");
    verb->add_option("--recipe", a->recipe, "Another recipe than that of the last run");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return report(*a); }; });
}

} // namespace pathmark::command

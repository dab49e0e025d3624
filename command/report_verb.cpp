#include "command/console.h"
#include "command/open_night.h"
#include "core/base/atomic_file.h"
#include "core/night/failures_json.h"
#include "core/night/report/measurement_table.h"
#include "core/night/report/night_page.h"
#include "core/night/steps/report_step.h"
#include "core/report/page/page_writers.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct ReportArguments {
    Console console;
    std::vector<std::string> nightFiles;
    std::string html;
    std::string pdf;
    std::string body;
    std::string csv;
    std::string votable;
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

/// Writes the reports of one night anew.
int writeForms(const ReportArguments& a) {
    int status = kDone;
    auto file = openNight(a.nightFiles.front(), status);
    if (!file) {
        return status;
    }
    const auto recipe = recipeOf(*file, a.recipe, status);
    if (!recipe) {
        return status;
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

Result<night::NightWithRecipe> readNight(const ReportArguments& a, const std::string& path) {
    auto file = night::NightFile::open(path);
    if (!file) {
        return fail(file.error());
    }
    auto recipe =
        night::readRecipe(a.recipe.empty() ? file->recipe() : std::filesystem::path(a.recipe));
    auto night = recipe ? night::reportedOf(*file) : fail(recipe.error());
    return night ? Result<night::NightWithRecipe>({std::move(*night), std::move(*recipe)})
                 : fail(night.error());
}

Result<bool> writePages(const ReportArguments& a) {
    std::vector<night::NightWithRecipe> nights;
    for (const std::string& path : a.nightFiles) {
        auto night = readNight(a, path);
        if (!night) {
            return fail(night.error());
        }
        nights.push_back(std::move(*night));
    }
    const Job job = a.console.job();
    const auto page = a.body.empty() ? night::nightPage(nights.front(), job)
                                     : night::bodyPage(nights, night::BodyId::of(a.body), job);
    if (!page) {
        return fail(page.error());
    }
    if (!a.html.empty()) {
        if (auto written = writeWholeText(a.html, report::toHtml(*page)); !written) {
            return written;
        }
    }
    if (!a.pdf.empty()) {
        const auto pdf = report::toPdf(*page);
        return pdf ? writeWholeText(a.pdf, *pdf) : fail(pdf.error());
    }
    return true;
}

/// The table of all measurements of all nights given.
Result<bool> writeTables(const ReportArguments& a) {
    std::vector<night::MeasurementRecord> measurements;
    for (const std::string& path : a.nightFiles) {
        const auto night = readNight(a, path);
        if (!night) {
            return fail(night.error());
        }
        measurements.insert(
            measurements.end(), night->night.measurements.begin(), night->night.measurements.end());
    }
    const auto table = night::measurementTable(measurements);
    if (!a.csv.empty()) {
        if (auto written = writeWholeText(a.csv, catalog::toCsv(table)); !written) {
            return written;
        }
    }
    return a.votable.empty() ? Result<bool>(true)
                             : writeWholeText(a.votable, catalog::toVoTable(table));
}

int report(const ReportArguments& a) {
    if (!a.csv.empty() || !a.votable.empty()) {
        if (const auto written = writeTables(a); !written) {
            Console::complain(written.error());
            return kSomeFailed;
        }
        if (a.html.empty() && a.pdf.empty()) {
            if (a.console.json) {
                Console::print({{"done", true}, {"csv", a.csv}, {"votable", a.votable}});
            }
            return kDone;
        }
    }
    if (a.html.empty() && a.pdf.empty()) {
        if (a.nightFiles.size() > 1 || !a.body.empty()) {
            Console::complain(
                {ErrorId::CommandWrongUse,
                 "Several nights, or one body, make a page: --html FILE or --pdf FILE.",
                 {}});
            return kWrongUse;
        }
        return writeForms(a);
    }
    if (a.nightFiles.size() > 1 && a.body.empty()) {
        Console::complain({ErrorId::CommandWrongUse,
                           "A page over several nights is of one body; name it with --body.",
                           {}});
        return kWrongUse;
    }
    if (const auto written = writePages(a); !written) {
        Console::complain(written.error());
        return kSomeFailed;
    }
    if (a.console.json) {
        Console::print({{"done", true}, {"html", a.html}, {"pdf", a.pdf}});
    } else {
        a.console.say(fmt::format(
            "Written: {}{}{}", a.html, a.html.empty() || a.pdf.empty() ? "" : ", ", a.pdf));
    }
    return kDone;
}

} // namespace

void addReportVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<ReportArguments>();
    CLI::App* verb = program.add_subcommand("report",
                                            "Write a night's reports anew, with what was decided "
                                            "since it was run; or a page for people");
    verb->add_option("night", a->nightFiles, "The night file; for a page of one body several")
        ->required();
    verb->add_option("--html", a->html, "Write a page for people instead: one file of HTML");
    verb->add_option("--pdf", a->pdf, "The same as PDF");
    verb->add_option("--csv", a->csv, "Write the table of all measurements of all nights given");
    verb->add_option("--votable", a->votable, "The same as VOTable");
    verb->add_option("--body", a->body, "The page is of one body, over all nights given");
    verb->add_option("--out", a->out, "Where they go; by default beside the night's other results");
    verb->add_option("--recipe", a->recipe, "Another recipe than that of the last run");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return report(*a); }; });
}

} // namespace pathmark::command

#include "standin/file_service.h"
#include "standin/report_desk.h"
#include "standin/survey_service.h"

#include <CLI/CLI.hpp>

#include <fstream>
#include <iostream>
#include <memory>

namespace {

using namespace pathmark::standin;

/// Starts a service, tells its address and serves until it is ended.
template <typename Service, typename Options>
int serve(const Options& options) {
    Service service(options);
    std::cout << service.address() << std::endl;
    service.wait();
    return 0;
}

/// Files by what they are of, as services.toml calls it.
using NamedFiles = std::vector<std::pair<std::string, std::string>>;

/// All services at once; their addresses are written as a services.toml that names no other.
int serveAll(ServiceOptions stars,
             const FileServiceOptions& files,
             const SurveyOptions& sky,
             const DeskOptions& desk,
             const NamedFiles& named,
             const std::string& list) {
    stars.port = 0;
    std::unique_ptr<CatalogService> catalog;
    if (!stars.stars.empty()) {
        catalog = std::make_unique<CatalogService>(stars);
    }
    std::unique_ptr<SurveyService> survey;
    if (!sky.stars.empty()) {
        survey = std::make_unique<SurveyService>(sky);
    }
    FileService service(files);
    const ReportDesk reports(desk);
    std::ofstream stream(list + ".part");
    stream << "# The stand-in's addresses: nothing is asked of the network.\n";
    stream << "field = \"" << (catalog ? catalog->address() + "/tap" : "") << "\"\n";
    stream << "survey = \"" << (survey ? survey->address() : "") << "\"\n";
    stream << "reports = \"" << reports.address() << "\"\n";
    stream << "reports-mail = \"reports@desk.invalid\"\n";
    for (const auto& [what, file] : named) {
        stream << what << " = \"" << (file.empty() ? "" : service.address() + "/" + file) << "\"\n";
    }
    stream.close();
    // Whole or not at all: who waits for the file reads it at once.
    if (!stream || std::rename((list + ".part").c_str(), list.c_str()) != 0) {
        std::cerr << list << " cannot be written.\n";
        return 1;
    }
    std::cout << service.address() << std::endl;
    service.wait();
    return 0;
}

int run(int argc, char** argv) {
    CLI::App program{
        "Simulated services on the loopback, for tests and for trying things without a network"};
    ServiceOptions stars;
    FileServiceOptions files;
    SurveyOptions sky;
    DeskOptions desk;
    int port = 0;
    std::string fault = "none";
    const auto addCommon = [&](CLI::App* service) {
        service->add_option("--port", port, "Port; 0: any free one");
        service->add_option("--fault",
                            fault,
                            "none, slow, hangs, web, closes, closes-once, rubbish, broken, "
                            "busy-once or refuses");
    };
    CLI::App* catalog =
        program.add_subcommand("catalog", "A star catalogue: TAP at /tap, cone search at /cone");
    catalog->add_option("--stars", stars.stars, "CSV with the archive's column names")->required();
    catalog->add_option("--most", stars.most, "Rows sent at once");
    catalog->add_flag("--binary", stars.binary, "BINARY2 instead of TABLEDATA");
    addCommon(catalog);
    CLI::App* archive = program.add_subcommand(
        "files", "The files of a folder: orbits, observatory codes, Earth orientation");
    archive->add_option("--folder", files.folder, "The folder")->required();
    addCommon(archive);
    CLI::App* survey =
        program.add_subcommand("survey", "A sky survey in the HiPS layout at /survey");
    survey->add_option("--stars", sky.stars, "CSV with the archive's column names")->required();
    addCommon(survey);
    CLI::App* reports = program.add_subcommand("reports", "A report desk at /reports");
    reports->add_option("--folder", desk.folder, "Where reports are put that were taken");
    reports->add_option("--port", port, "Port; 0: any free one");
    reports->add_option("--fault",
                        fault,
                        "none, slow, hangs, web, rubbish, broken, busy-once, refuses, redirects, "
                        "takes-half, closes-after, closes-before or mute");
    CLI::App* all = program.add_subcommand(
        "all", "All of them at once, with a services.toml that names them and nothing else");
    NamedFiles named{{"orbits", {}},
                     {"comets", {}},
                     {"sites", {}},
                     {"earth-orientation", {}},
                     {"leap-seconds", {}}};
    std::string list;
    all->add_option("--services", list, "The services.toml that is written")->required();
    all->add_option("--stars", stars.stars, "CSV with the archive's column names");
    all->add_option("--folder", files.folder, "Folder of the files")->required();
    for (auto& [what, file] : named) {
        all->add_option("--" + what, file, "Its file in the folder");
    }
    all->add_option("--survey-stars", sky.stars, "CSV of the stars of the sky survey");
    addCommon(all);
    for (CLI::App* checked : {reports, all}) {
        checked->add_option("--structure", desk.structure, "XML schema that reports must keep to");
        checked->add_option("--station", desk.stations, "Codes of stations that it knows");
    }
    for (CLI::App* drawn : {survey, all}) {
        drawn->add_option("--epoch", sky.epoch, "Julian year of the survey's exposures");
        drawn->add_option("--order", sky.order, "Of its finest tiles");
        drawn->add_option("--faintest", sky.faintestG, "G magnitude that it reaches");
    }
    program.require_subcommand(1);
    CLI11_PARSE(program, argc, argv);
    if (reports->parsed()) {
        const auto wrong = deskFaultNamed(fault);
        if (!wrong) {
            std::cerr << "There is no fault '" << fault << "'.\n";
            return 2;
        }
        desk.fault = *wrong;
        desk.port = port;
        return serve<ReportDesk>(desk);
    }
    const auto known = faultNamed(fault);
    if (!known) {
        std::cerr << "There is no fault '" << fault << "'.\n";
        return 2;
    }
    stars.fault = files.fault = sky.fault = *known;
    stars.port = files.port = sky.port = port;
    if (all->parsed()) {
        return serveAll(stars, files, sky, desk, named, list);
    }
    if (survey->parsed()) {
        return serve<SurveyService>(sky);
    }
    return catalog->parsed() ? serve<CatalogService>(stars) : serve<FileService>(files);
}

} // namespace

int main(int argc, char** argv) {
    try {
        return run(argc, argv);
    } catch (const std::exception& problem) {
        std::cerr << problem.what() << "\n";
        return 1;
    }
}

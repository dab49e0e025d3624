#include "standin/file_service.h"

#include <CLI/CLI.hpp>

#include <iostream>

namespace {

/// Starts a service, tells its address and serves until it is ended.
template <typename Service, typename Options>
int serve(const Options& options) {
    Service service(options);
    std::cout << service.address() << std::endl;
    service.wait();
    return 0;
}

int run(int argc, char** argv) {
    using namespace pathmark::standin;
    CLI::App program{
        "Simulated services on the loopback, for tests and for trying things without a network"};
    ServiceOptions stars;
    FileServiceOptions files;
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
    program.require_subcommand(1);
    CLI11_PARSE(program, argc, argv);
    const auto known = faultNamed(fault);
    if (!known) {
        std::cerr << "There is no fault '" << fault << "'.\n";
        return 2;
    }
    stars.fault = files.fault = *known;
    stars.port = files.port = port;
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

#include "standin/catalog_service.h"

#include <CLI/CLI.hpp>

#include <iostream>

int main(int argc, char** argv) {
    using namespace pathmark::standin;
    CLI::App program{
        "Simulated services on the loopback, for tests and for trying things without a network"};
    ServiceOptions options;
    std::string fault = "none";
    CLI::App* catalog =
        program.add_subcommand("catalog", "A star catalogue: TAP at /tap, cone search at /cone");
    catalog->add_option("--stars", options.stars, "CSV with the archive's column names")
        ->required();
    catalog->add_option("--port", options.port, "Port; 0: any free one");
    catalog->add_option(
        "--fault", fault, "none, slow, hangs, web, closes, rubbish, broken, busy-once or refuses");
    catalog->add_option("--most", options.most, "Rows sent at once");
    catalog->add_flag("--binary", options.binary, "BINARY2 instead of TABLEDATA");
    program.require_subcommand(1);
    CLI11_PARSE(program, argc, argv);
    const auto known = faultNamed(fault);
    if (!known) {
        std::cerr << "There is no fault '" << fault << "'.\n";
        return 2;
    }
    options.fault = *known;
    try {
        CatalogService service(options);
        std::cout << service.address() << std::endl;
        service.wait();
    } catch (const std::exception& problem) {
        std::cerr << problem.what() << "\n";
        return 1;
    }
    return 0;
}

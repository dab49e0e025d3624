#include "command/console.h"
#include "core/catalog/csv_import.h"
#include "core/catalog/star_store.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct ImportArguments {
    Console console;
    std::string store;
    std::string name;
    std::vector<std::string> files;
};

int importTables(const ImportArguments& arguments) {
    std::vector<catalog::StarRow> rows;
    nlohmann::json files = nlohmann::json::array();
    bool allGood = true;
    for (const std::string& file : arguments.files) {
        auto imported = catalog::readGaiaCsv(file);
        if (!imported) {
            Console::complain(imported.error());
            files.push_back({{"file", file}, {"error", imported.error().detail}});
            allGood = false;
            continue;
        }
        if (imported->badRows > 0) {
            arguments.console.say(fmt::format("{}: {} bad rows skipped; the first: {}",
                                              file,
                                              imported->badRows,
                                              imported->firstBad));
        }
        files.push_back({{"file", file},
                         {"rows", imported->rows.size()},
                         {"bad_rows", imported->badRows},
                         {"first_bad", imported->firstBad}});
        rows.insert(rows.end(), imported->rows.begin(), imported->rows.end());
    }
    const std::size_t count = rows.size();
    if (count > 0) {
        if (auto done = catalog::writeStore(arguments.store, arguments.name, std::move(rows));
            !done) {
            Console::complain(done.error());
            return kSomeFailed;
        }
        arguments.console.say(fmt::format("{} stars in catalogue '{}'", count, arguments.name));
    }
    if (arguments.console.json) {
        Console::print({{"name", arguments.name}, {"stars", count}, {"files", files}});
    }
    return allGood && count > 0 ? kDone : kSomeFailed;
}

struct InfoArguments {
    Console console;
    std::string store;
};

int info(const InfoArguments& arguments) {
    nlohmann::json list = nlohmann::json::array();
    bool allGood = true;
    for (const std::string& name : catalog::StarStore::names(arguments.store)) {
        auto store = catalog::StarStore::open(arguments.store, name);
        if (!store) {
            Console::complain(store.error());
            allGood = false;
            continue;
        }
        list.push_back(
            {{"name", name}, {"stars", store->starCount()}, {"digest", store->contentDigest()}});
        if (!arguments.console.json) {
            Console::print(fmt::format("{}: {} stars\n", name, store->starCount()));
        }
    }
    if (arguments.console.json) {
        Console::print({{"store", arguments.store}, {"catalogs", list}});
    }
    return allGood ? kDone : kSomeFailed;
}

} // namespace

void addCatalogVerb(CLI::App& program, Verb& chosen) {
    CLI::App* verb = program.add_subcommand("catalog", "Star catalogues");
    verb->require_subcommand(1);
    auto importing = std::make_shared<ImportArguments>();
    CLI::App* import = verb->add_subcommand("import", "Import tables of the Gaia archive");
    import->add_option("--store", importing->store, "Folder of the catalogues")->required();
    import->add_option("--name", importing->name, "Name of this catalogue")->required();
    import->add_option("files", importing->files, "CSV, plain or gzip")->required();
    addCommonOptions(*import, importing->console);
    import->final_callback([importing, &chosen] { chosen = [importing] { return importTables(*importing);
};
} // namespace pathmark::command
);
auto asking = std::make_shared<InfoArguments>();
CLI::App* list = verb->add_subcommand("info", "List the catalogues of a store");
list->add_option("--store", asking->store, "Folder of the catalogues")->required();
addCommonOptions(*list, asking->console);
list->final_callback([asking, &chosen] { chosen = [asking] { return info(*asking); }; });
}

} // namespace pathmark::command

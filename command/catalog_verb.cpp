#include "command/console.h"
#include "core/catalog/fetch.h"
#include "core/catalog/import.h"
#include "core/catalog/star_store.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

struct ImportArguments {
    Console console;
    std::string store;
    std::string name;
    std::vector<std::string> files;
};

struct FetchArguments {
    Console console;
    std::string store;
    std::string name;
    std::string protocol;
    std::vector<double> nearRaDec;
    double radiusDegrees = 0.0;
    bool refresh = false;
    catalog::FetchRequest request;
};

struct InfoArguments {
    Console console;
    std::string store;
};

/// One table's line for a person and its entry in the JSON; false where it could not be read.
bool tell(const Console& console,
          const fs::path& path,
          const Result<catalog::TableReport>& table,
          nlohmann::json& files) {
    if (!table) {
        Console::complain(table.error());
        files.push_back({{"file", path.string()}, {"error", table.error().detail}});
        return false;
    }
    if (table->badRows > 0) {
        console.say(fmt::format("{}: {} bad rows skipped; the first: {}",
                                path.string(),
                                table->badRows,
                                table->firstBad));
    }
    if (table->isCutOff) {
        console.say(path.string() + ": the service did not send all stars; ask for a smaller field "
                                    "or a brighter limit");
    }
    files.push_back({{"file", path.string()},
                     {"rows", table->rows},
                     {"bad_rows", table->badRows},
                     {"first_bad", table->firstBad},
                     {"cut_off", table->isCutOff}});
    return true;
}

/// Imports tables and tells of them; what else the JSON holds is in `document`.
int importAndTell(const Console& console,
                  const std::vector<fs::path>& tables,
                  const std::string& store,
                  const std::string& name,
                  nlohmann::json document) {
    auto report = catalog::importTables(tables, store, name, console.job());
    if (!report) {
        Console::complain(report.error());
        return kSomeFailed;
    }
    nlohmann::json files = nlohmann::json::array();
    bool allGood = true;
    for (const auto& [path, table] : report->tables) {
        allGood = tell(console, path, table, files) && allGood;
    }
    if (report->store.duplicates > 0) {
        console.say(
            fmt::format("{} rows were there twice and are kept once", report->store.duplicates));
    }
    console.say(fmt::format("{} stars in catalogue '{}'", report->store.stars, name));
    if (console.json) {
        document.update({{"name", name},
                         {"stars", report->store.stars},
                         {"duplicates", report->store.duplicates},
                         {"files", files}});
        Console::print(document);
    }
    return allGood && report->store.stars > 0 ? kDone : kSomeFailed;
}

int import(const ImportArguments& arguments) {
    return importAndTell(arguments.console,
                         {arguments.files.begin(), arguments.files.end()},
                         arguments.store,
                         arguments.name,
                         nlohmann::json::object());
}

int fetch(FetchArguments arguments) {
    catalog::FetchRequest& request = arguments.request;
    request.centre = skyDegrees(arguments.nearRaDec[0], arguments.nearRaDec[1]);
    request.radius = Angle::degrees(arguments.radiusDegrees);
    request.cache = fs::path(arguments.store) / "fetched";
    if (!arguments.protocol.empty()) {
        request.protocol =
            arguments.protocol == "tap" ? catalog::Protocol::Tap : catalog::Protocol::ConeSearch;
    }
    auto fetched = catalog::fetchField(request, arguments.console.job());
    if (fetched && fetched->fromCache && arguments.refresh) {
        std::error_code ignored;
        fs::remove(fetched->table, ignored);
        fetched = catalog::fetchField(request, arguments.console.job());
    }
    if (!fetched) {
        Console::complain(fetched.error());
        if (arguments.console.json) {
            Console::print({{"name", arguments.name},
                            {"stars", 0},
                            {"error", fetched.error().detail},
                            {"id", name(fetched.error().id)}});
        }
        return kSomeFailed;
    }
    if (fetched->fromCache) {
        arguments.console.say(
            "The answer was fetched before and is read again (--refresh asks anew)");
    }
    return importAndTell(
        arguments.console,
        {fetched->table},
        arguments.store,
        arguments.name,
        {{"service", request.service}, {"query", fetched->query}, {"cached", fetched->fromCache}});
}

int info(const InfoArguments& arguments) {
    nlohmann::json list = nlohmann::json::array();
    bool allGood = true;
    const auto names = catalog::StarStore::names(arguments.store);
    if (names.empty()) {
        Console::complain({ErrorId::CatalogNotFound,
                           "There is no catalogue in this folder; 'pathmark catalog import' or "
                           "'fetch' makes one.",
                           arguments.store});
        return kSomeFailed;
    }
    for (const std::string& name : names) {
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

void addImport(CLI::App& verb, Verb& chosen) {
    auto a = std::make_shared<ImportArguments>();
    CLI::App* import_ = verb.add_subcommand("import", "Import tables of the Gaia archive");
    import_->add_option("--store", a->store, "Folder of the catalogues")->required();
    import_->add_option("--name", a->name, "Name of this catalogue")->required();
    import_->add_option("files", a->files, "CSV, FITS table or VOTable, plain or gzip")->required();
    addCommonOptions(*import_, a->console);
    import_->final_callback([a, &chosen] { chosen = [a] { return import(*a); }; });
}

void addFetch(CLI::App& verb, Verb& chosen) {
    auto a = std::make_shared<FetchArguments>();
    CLI::App* fetch_ = verb.add_subcommand(
        "fetch", "Fetch the stars of a field from a Virtual Observatory service");
    fetch_->add_option("--store", a->store, "Folder of the catalogues")->required();
    fetch_->add_option("--name", a->name, "Name of this catalogue")->required();
    fetch_->add_option("--service", a->request.service, "Address of the TAP or cone search service")
        ->required();
    fetch_->add_option("--near", a->nearRaDec, "RA and Dec in degrees")->expected(2)->required();
    fetch_->add_option("--radius", a->radiusDegrees, "How far around, degrees")
        ->required()
        ->check(CLI::Range(1e-4, 90.0));
    fetch_->add_option("--limit", a->request.faintestG, "Faintest G magnitude");
    fetch_->add_option("--protocol", a->protocol, "tap or cone; else told from the address")
        ->check(CLI::IsMember({"tap", "cone"}));
    fetch_->add_option("--table", a->request.table, "Table of a TAP service");
    fetch_->add_option("--timeout", a->request.timeoutSeconds, "Seconds without a byte");
    fetch_->add_option("--tries", a->request.tries, "How often to try");
    fetch_->add_flag("--refresh", a->refresh, "Ask again where an answer is kept already");
    addCommonOptions(*fetch_, a->console);
    fetch_->final_callback([a, &chosen] { chosen = [a] { return fetch(*a); }; });
}

void addInfo(CLI::App& verb, Verb& chosen) {
    auto a = std::make_shared<InfoArguments>();
    CLI::App* info_ = verb.add_subcommand("info", "List the catalogues of a store");
    info_->add_option("--store", a->store, "Folder of the catalogues")->required();
    addCommonOptions(*info_, a->console);
    info_->final_callback([a, &chosen] { chosen = [a] { return info(*a); }; });
}

} // namespace

void addCatalogVerb(CLI::App& program, Verb& chosen) {
    CLI::App* verb = program.add_subcommand("catalog", "Star catalogues");
    verb->require_subcommand(1);
    addImport(*verb, chosen);
    addFetch(*verb, chosen);
    addInfo(*verb, chosen);
}

} // namespace pathmark::command

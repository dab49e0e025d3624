#include "command/frame_input.h"
#include "command/sky_options.h"
#include "core/base/text.h"
#include "core/catalog/field_pieces.h"
#include "core/night/services.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>
#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

struct FetchDataArguments {
    Console console;
    std::vector<std::string> what; ///< names; after "field" three numbers
    std::string service;
    std::string folder; ///< empty: the folder for data
    std::string store;
    std::string catalogName;
    std::optional<double> faintestG;
    double timeoutSeconds = 60.0;
    int tries = 3;
};

/// A disc of the sky whose stars are wanted.
struct Field {
    SkyPos centre;
    Angle radius;
};

struct Wanted {
    std::vector<night::DataKind> files;
    std::vector<Field> fields;

    [[nodiscard]] std::size_t count() const { return files.size() + fields.size(); }
};

Result<Wanted> wantedOf(const FetchDataArguments& a) {
    const auto refuse = [](const std::string& why) { return fail(ErrorId::CommandWrongUse, why); };
    Wanted wanted;
    for (std::size_t i = 0; i < a.what.size(); ++i) {
        if (a.what[i] == "field") {
            std::array<double, 3> numbers{};
            for (std::size_t k = 0; k < 3; ++k) {
                const auto number =
                    i + 1 + k < a.what.size() ? parseNumber(a.what[i + 1 + k]) : std::nullopt;
                if (!number) {
                    return refuse("field takes RA, Dec and radius in degrees.");
                }
                numbers[k] = *number;
            }
            if (!isPlace(numbers[0], numbers[1]) || !(numbers[2] > 0.0 && numbers[2] <= 90.0)) {
                return refuse(fmt::format("field {:g} {:g} {:g} is no disc of the sky.",
                                          numbers[0],
                                          numbers[1],
                                          numbers[2]));
            }
            wanted.fields.push_back(
                {skyDegrees(numbers[0], numbers[1]), Angle::degrees(numbers[2])});
            i += 3;
        } else if (const auto kind = night::dataKindNamed(a.what[i])) {
            wanted.files.push_back(*kind);
        } else {
            return refuse(fmt::format("'{}' is none of orbits, comets, sites, earth-orientation, "
                                      "leap-seconds and field RA DEC RADIUS.",
                                      a.what[i]));
        }
    }
    if (a.tries < 1 || !(a.timeoutSeconds > 0.0)) {
        return refuse("--tries must be 1 or more, --timeout more than 0.");
    }
    return wanted;
}

/// The address of one thing: as told, one below the address told where several things are wanted, else from services.toml.
Result<std::string>
addressOf(const FetchDataArguments& a, const Wanted& wanted, const std::string& what) {
    if (!a.service.empty()) {
        return wanted.count() == 1 ? a.service
                                   : a.service + (a.service.ends_with('/') ? "" : "/") + what;
    }
    const auto addresses = night::serviceAddresses();
    if (!addresses) {
        return fail(addresses.error());
    }
    const auto found = addresses->find(what);
    if (found == addresses->end()) {
        return fail(ErrorId::CatalogNoAnswer,
                    "No address is known; give --service URL or write it into services.toml.",
                    what);
    }
    return found->second;
}

Result<nlohmann::json>
fetchOne(const FetchDataArguments& a, const Wanted& wanted, night::DataKind kind) {
    const std::string what = night::name(kind);
    const auto address = addressOf(a, wanted, what);
    if (!address) {
        return fail(address.error());
    }
    const fs::path usual = night::fetchedFile(kind);
    const fs::path target = a.folder.empty() ? usual : fs::path(a.folder) / usual.filename();
    const auto fetched =
        night::fetchData(kind, *address, target, {a.timeoutSeconds, a.tries}, a.console.job());
    if (!fetched) {
        return fail(fetched.error());
    }
    a.console.say(fmt::format("{}: {} ({} bytes)",
                              what,
                              fetched->isNew ? "fetched to " + target.string()
                                             : "unchanged since it was fetched",
                              fetched->bytes));
    return nlohmann::json{{"what", what},
                          {"file", target.string()},
                          {"url", *address},
                          {"changed", fetched->isNew},
                          {"bytes", fetched->bytes}};
}

/// Fetches what of a field is not there yet.
Result<nlohmann::json>
fetchField(const FetchDataArguments& a, const Wanted& wanted, const Field& field) {
    const auto address = addressOf(a, wanted, "field");
    if (!address) {
        return fail(address.error());
    }
    const fs::path store = a.store.empty() ? night::fetchedStore() : fs::path(a.store);
    const std::string name = a.catalogName.empty() ? night::kFetchedCatalog : a.catalogName;
    catalog::FieldStore target{*address, store, name};
    target.timeoutSeconds = a.timeoutSeconds;
    target.tries = a.tries;
    const catalog::WantedField wantedField{
        field.centre, field.radius, a.faintestG.value_or(catalog::kFaintestEver)};
    const auto fetched = catalog::fetchPieces(target, wantedField, a.console.job());
    if (!fetched) {
        return fail(fetched.error());
    }
    a.console.say(fmt::format(
        "field: {} stars in catalogue '{}' of {}", fetched->stars, name, store.string()));
    return nlohmann::json{{"what", "field"},
                          {"store", store.string()},
                          {"catalog", name},
                          {"url", *address},
                          {"changed", fetched->fetched > 0},
                          {"stars", fetched->stars}};
}

int fetchAll(const FetchDataArguments& a) {
    const auto wanted = wantedOf(a);
    if (!wanted) {
        Console::complain(wanted.error());
        return kWrongUse;
    }
    nlohmann::json list = nlohmann::json::array();
    std::vector<Error> failures;
    const auto keep = [&](const std::string& what, Result<nlohmann::json> entry) {
        if (entry) {
            list.push_back(std::move(*entry));
            return;
        }
        Error error = entry.error();
        error.subject = error.subject.empty() ? what : what + ", " + error.subject;
        failures.push_back(std::move(error));
    };
    for (const auto kind : wanted->files) {
        keep(night::name(kind), fetchOne(a, *wanted, kind));
    }
    for (const Field& field : wanted->fields) {
        keep("field", fetchField(a, *wanted, field));
    }
    return endWith(a.console, {{"fetched", list}}, failures);
}

} // namespace

void addFetchVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<FetchDataArguments>();
    CLI::App* verb = program.add_subcommand(
        "fetch", "Fetch orbits, observatory codes and other data, or the stars of a field");
    verb->add_option("what",
                     a->what,
                     "orbits, comets, sites, earth-orientation, leap-seconds, field RA DEC RADIUS")
        ->required();
    verb->add_option("--service", a->service, "Address; else that of services.toml");
    verb->add_option("--out", a->folder, "Folder for the files; the folder for data by default");
    verb->add_option("--store", a->store, "Folder of the catalogues, for a field");
    verb->add_option("--catalog", a->catalogName, "Catalogue, for a field");
    verb->add_option("--limit", a->faintestG, "Faintest G magnitude, for a field");
    verb->add_option("--timeout", a->timeoutSeconds, "Seconds without a byte");
    verb->add_option("--tries", a->tries, "How often to try");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return fetchAll(*a); }; });
}

} // namespace pathmark::command

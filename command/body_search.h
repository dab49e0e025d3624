#pragma once

#include "command/console.h"
#include "command/sky_options.h"
#include "core/identify/solved_frame.h"

namespace pathmark::command {

/// Site, tables and catalogue of a search for known bodies.
struct BodySearch {
    frame::Site site;
    night::SkyTables tables;
    identify::OrbitCatalog catalog;

    [[nodiscard]] identify::FrameSearch frames() const {
        return {catalog, tables.planets, tables.turn, site};
    }
};

struct BodySearchOptions {
    std::vector<std::string> orbits;
    SkyOptions sky;
    std::string indexFolder;
};

/// --orbits, --index and where the observer stood.
void addBodySearchOptions(CLI::App& verb, BodySearchOptions& options);

/// Opens all of it; bad lines and duplicates are told.
Result<BodySearch> openBodySearch(const BodySearchOptions& options, const Console& console);

/// Wrong use where the site was not given, else a failure.
int statusOf(const Error& error, const BodySearchOptions& options);

} // namespace pathmark::command

#pragma once

#include "command/console.h"
#include "command/sky_options.h"
#include "core/orbit/place/ephemeris.h"

#include <string>
#include <vector>

namespace pathmark::command {

/// A body of some orbit files.
///
/// Errors   orbit.not_readable, orbit.unknown_body; bad lines are complained of
Result<orbit::Elements> bodyFrom(const std::vector<std::string>& orbitFiles,
                                 const std::string& body);

/// One body of some orbit files, as seen from a site.
struct BodyArguments {
    std::string body;
    std::vector<std::string> orbits;
    SkyOptions sky;
};

/// --body, --orbits and where the observer stood.
void addBodyOptions(CLI::App& verb, BodyArguments& arguments);

/// What cannot be meant where a body was named; empty where all is well.
std::string objectionTo(const BodyArguments& arguments);

/// A body that is looked for, and everything that its place follows from.
struct SoughtBody {
    orbit::Elements elements;
    frame::Site site;
    night::SkyTables tables;

    /// Errors   orbit.*
    [[nodiscard]] Result<orbit::Place> at(const Utc& time) const;
};

/// Errors   as bodyFrom, siteOf and tablesOf
Result<SoughtBody> seekBody(const BodyArguments& arguments);

} // namespace pathmark::command

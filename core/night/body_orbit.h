#pragma once

#include "core/identify/orbit_catalog.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "core/night/sky_tables.h"
#include "core/orbit/determine/bounds.h"
#include "core/orbit/formats/observation_file.h"

#include <set>
#include <stop_token>
#include <string>
#include <vector>

namespace pathmark::night {

/// Everything that the orbits of a night's bodies rest on; read once.
struct OrbitSources {
    Recipe recipe;
    SkyTables tables;
    orbit::SiteCodes codes;
    identify::OrbitCatalog catalog;
    orbit::ObservationList others; ///< of other nights
    std::vector<Error> problems;   ///< lines that could not be read
};

/// Reads what the recipe names: orbits, observations of other nights, observatory codes. The recipe's own site counts
/// under its code, before any list.
///
/// Errors   those of the files: night.bad_recipe, orbit.not_readable
Result<OrbitSources> readOrbitSources(const std::filesystem::path& recipe, const Job& job);

/// The observations of one body with a name for each that stays the same from run to run.
struct BodyOrbitCase {
    orbit::OrbitCase given;
    std::vector<std::string> ids; ///< by observation
};

/// A measurement as others would read it in the report.
orbit::Observation observationOf(const MeasurementRecord& m, const Recipe& recipe);

/// Other nights' observations of a body, then tonight's kept ones; those that the observer switched off are so.
BodyOrbitCase orbitCaseOf(const OrbitSources& sources,
                          std::span<const MeasurementRecord> measurements,
                          const std::set<std::string>& switchedOff,
                          const BodyId& body);

/// What the orbit view shows of a body.
struct BodyOrbit {
    BodyOrbitCase what;
    orbit::OrbitJudgement judgement;
    std::optional<orbit::ElementErrors> errors; ///< of the fit
    std::optional<orbit::MotionBounds> bounds;  ///< for the time asked for

    std::optional<orbit::TonightSummary> tonight;
};

/// Fits the orbit and asks it for the place and motion at a time.
///
/// Errors   those of judgeOrbit; base.cancelled
Result<BodyOrbit> judgeBody(const OrbitSources& sources,
                            BodyOrbitCase what,
                            const std::optional<Utc>& time,
                            const std::stop_token& stop = {});

} // namespace pathmark::night

#pragma once

#include "core/identify/populations.h"
#include "core/night/body_orbit.h"
#include "core/night/records.h"

#include <filesystem>
#include <functional>
#include <vector>

// Which motions a sweep is worth: those of a body whose orbit is known badly, and those of populations.
namespace pathmark::night {

/// The motions that a body may have whose orbit is known.
///
/// Model    What is unsure of an orbit lies mostly along it: the body may be earlier or later by three times its error over its rate
///          (a tenth of a day where no error is known). The motions are those of the places that it has then, and a twentieth more.
/// Shapes   `at`: asked for up to a day before and after `middle`
/// Errors   those of `at`
Result<identify::RateSector>
sectorOfOrbit(const std::function<Result<orbit::Place>(const Utc&)>& at, const Utc& middle);

/// The motions that an orbit fitted to a body's observations, or the cloud of those that agree with them, leaves open to 95 %; of a body
/// without observations those of its orbit by the list.
///
/// Errors   orbit.unknown_body  neither an orbit nor observations enough; orbit.outside_ephemeris
Result<identify::RateSector>
sectorOfBody(const OrbitSources& sources, BodyOrbitCase observed, const Utc& middle);

/// Where bodies of each population move that stand in the middle of a light; those that are not there have no outline.
///
/// Errors   night.bad_recipe, orbit.not_readable, orbit.outside_ephemeris
Result<std::vector<identify::PopulationMotion>> populationsIn(const std::filesystem::path& recipe,
                                                              const LightRecord& light);

} // namespace pathmark::night

#pragma once

#include "core/base/error.h"
#include "core/base/job.h"
#include "core/night/needs/night_facts.h"

#include <vector>

namespace pathmark::night {

/// Fetches what a night needs and is not here or old: the catalogue of its fields, orbits of minor planets and comets, and with them
/// observatory codes, Earth orientation and leap seconds. What was chosen or told is left alone. A service that does not answer is not asked
/// for more; what an older file still serves for is said with its age.
///
/// Errors   Returned in the list, each with what becomes of the night without it; a stop and a full disk end the fetching.
std::vector<Error> fetchNeeds(const NightFacts& facts, const Patience& patience, const Job& job);

/// Fetches the list of observatory codes where there is none, or it is old.
Result<bool> fetchSiteCodes(const Patience& patience, const Job& job);

} // namespace pathmark::night

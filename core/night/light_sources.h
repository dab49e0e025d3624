#pragma once

#include "core/identify/sky_source.h"
#include "core/night/records.h"
#include "core/night/source_records.h"

#include <vector>

namespace pathmark::night {

/// The sources of a solved light on the sky, in their order in the night file; the error of the solution at each place
/// counts too.
std::vector<identify::SkySource> sourcesOnSky(const LightRecord& light,
                                              std::span<const SourceRecord> sources);

/// The area of sky that a solved light shows, square arcseconds.
double squareArcsecOf(const LightRecord& light);

} // namespace pathmark::night

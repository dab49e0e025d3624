#pragma once

#include "core/base/result.h"
#include "core/orbit/formats/observation.h"
#include "core/orbit/formats/site_codes.h"
#include "core/orbit/place/ephemeris.h"

#include <map>
#include <span>
#include <string>
#include <vector>

namespace pathmark::orbit {

/// An observation made ready for a fit.
struct Sighting {
    Observer observer;
    SkyPos sky;
    double sigmaXi = 0.0;  ///< radians, along right ascension on the sky
    double sigmaEta = 0.0; ///< radians
    double correlation = 0.0;
    std::size_t source = 0; ///< index into the observations given
};

/// How far a reported place is trusted that says nothing of its own error.
struct WeightRules {
    /// By observatory code, arcsec; counts before the rules below.
    std::map<std::string, double> stations;
    double gaiaArcsec = 0.4;         ///< reduced on a Gaia catalogue
    double otherArcsec = 0.8;        ///< on another named catalogue
    double unknownArcsec = 1.0;      ///< catalogue unknown
    double photographicArcsec = 2.5; ///< plates, micrometers
    double faintMagnitude = 21.0;    ///< fainter ones count half as far again
    double leastArcsec = 0.02; ///< smaller stated errors leave out what the observer cannot know
    /// More than this many of one station in a night share their errors: their weights fall so that together they
    /// count as this many. Stated errors are taken as they are.
    int independentPerNight = 4;
};

/// What became of the observations of one body.
struct SightingList {
    std::vector<Sighting> sightings; ///< in order of time
    std::vector<Error> leftOut;      ///< unknown station, radar, time outside the kernels; one each
};

/// Places observers and sets weights.
///
/// Source   Errors by kind of observation: Veres et al. 2017, Icarus 296, 139, rounded; many of one night: the same,
///          sec. 5.2.
SightingList makeSightings(std::span<const Observation> observations,
                           const Planets& planets,
                           const SiteCodes& sites,
                           const EarthTurn& turn = {},
                           const WeightRules& rules = {});

} // namespace pathmark::orbit

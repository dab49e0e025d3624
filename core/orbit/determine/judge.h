#pragma once

#include "core/orbit/determine/determine.h"
#include "core/orbit/determine/ranging.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::orbit {

/// Above this share of the distance from the Sun one orbit does not stand for all that agree (OrbitFit::weakness).
constexpr double kWeakOrbit = 0.1;

/// The observations of one body and where their fit may begin.
struct OrbitCase {
    std::string body;
    std::vector<Observation> observations; ///< those of other nights first
    std::size_t old = 0;                   ///< so many are of other nights; the rest are tonight's
    std::optional<Elements> known;         ///< absent: from scratch
    std::vector<bool> switchedOff;         ///< by observation; empty: none
};

/// What the observations of a body say about its orbit, and tonight's about the others.
struct OrbitJudgement {
    std::vector<Sighting> sightings; ///< all that can be used, in order of time
    std::vector<Error> leftOut;      ///< the observations that cannot, with the reason
    std::optional<OrbitFit> fit;     ///< absent: only a cloud
    /// Of every sighting, switched off ones too: against the fit, or against the likeliest orbit of the cloud.
    std::vector<Residual> residuals;
    std::optional<OrbitCloud> cloud; ///< where one orbit cannot stand for all that agree
    std::optional<OrbitFit> without; ///< the fit without tonight's
    /// Tonight's against `without`, by sighting; entries of other nights are not used ones.
    std::vector<Residual> newAgainstOld;
};

/// Fits the orbit of a body with all observations that are switched on, and again without tonight's.
///
/// Model    improveOrbit from `known`; without it, or where that fails, determineOrbit; where that leaves the orbit weak, rangeSystematically.
/// Errors   orbit.too_few_observations; orbit.not_determined where there is not even a cloud
/// Threads  Pure.
/// Cost     From a known orbit some milliseconds for a hundred observations over a year; from scratch up to a second.
Result<OrbitJudgement> judgeOrbit(const OrbitCase& given,
                                  const Planets& planets,
                                  const SiteCodes& sites,
                                  const EarthTurn& turn = {},
                                  const CorrectionOptions& options = {});

} // namespace pathmark::orbit

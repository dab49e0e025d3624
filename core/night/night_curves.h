#pragma once

#include "core/night/light_curves.h"
#include "core/night/night_sources.h"
#include "core/night/records.h"

#include <filesystem>
#include <set>
#include <span>
#include <vector>

namespace pathmark::night {

/// What light curves of a night are made from, copied out of it.
struct NightCurves {
    std::vector<std::filesystem::path> files; ///< calibrated
    std::vector<BodyId> bodies;
    std::vector<SetStar> places; ///< targets that stand still
};

/// The calibrated files of the lights that look where one of them does, in whatever band: solved, their middle within a quarter of that
/// light's field, and not left out.
std::vector<std::filesystem::path> filesOfField(std::span<const LightRecord> lights,
                                                const LightRecord& one,
                                                const std::set<FrameId>& leftOut);

/// The light of the field's stars and of bodies on every file. A body without elements in the recipe's orbits has no curve.
///
/// Errors   those of measureFieldLights
Result<FieldLights>
fieldLightsOf(const NightCurves& wanted, const NightSources& sources, const Job& job);

} // namespace pathmark::night

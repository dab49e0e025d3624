#pragma once

#include "core/night/records.h"

#include <optional>
#include <string>

namespace pathmark::night {

/// A candidate on a light, where its motion has it at the light's middle: who, where and when. Nothing where that is beyond the light's edges.
std::optional<PredictionRecord>
candidateOn(const LightRecord& light, const std::string& name, const SkyPos& sky);

} // namespace pathmark::night

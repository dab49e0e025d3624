#pragma once

#include "core/base/time.h"
#include "core/frame/image.h"
#include "core/solve/attempt.h"
#include "core/solve/photometric_match.h"
#include "core/solve/wcs_fit.h"

#include <nlohmann/json_fwd.hpp>

#include <optional>

// What records are made of, as JSON and back; reading throws nlohmann's exceptions on damaged text.
namespace pathmark::night {

nlohmann::json fromTime(const Utc& time);
Utc toTime(const nlohmann::json& value);
nlohmann::json fromSky(const SkyPos& sky);
SkyPos toSky(const nlohmann::json& value);
nlohmann::json fromPixel(frame::PixelPos p);
frame::PixelPos toPixel(const nlohmann::json& value);
nlohmann::json fromOptional(const std::optional<double>& value);
std::optional<double> toOptional(const nlohmann::json& value);
nlohmann::json fromAttempt(const solve::SolveAttempt& a);
solve::SolveAttempt toAttempt(const nlohmann::json& value);
nlohmann::json fromSolutionError(const solve::SolutionError& e);
solve::SolutionError toSolutionError(const nlohmann::json& value);
nlohmann::json fromPhotometry(const solve::PhotometricMatch& p);
solve::PhotometricMatch toPhotometry(const nlohmann::json& value);

} // namespace pathmark::night

#pragma once

#include "core/base/error.h"

#include <nlohmann/json_fwd.hpp>

#include <span>

namespace pathmark::night {

/// Failures as a list of {"id", "file", "message"}.
nlohmann::json failuresJson(std::span<const Error> failures);

} // namespace pathmark::night

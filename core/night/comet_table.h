#pragma once

#include "core/night/records.h"

#include <span>
#include <string>

namespace pathmark::night {

/// What was measured of comets beyond their places: one line for each circle of each measurement. Empty where there is no comet.
std::string cometTable(std::span<const MeasurementRecord> measurements);

} // namespace pathmark::night

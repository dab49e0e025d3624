#pragma once

#include "core/catalog/written_table.h"
#include "core/night/records.h"

#include <span>

namespace pathmark::night {

/// All measurements of a night, with what became of them, as a table that leaves the program.
catalog::WrittenTable measurementTable(std::span<const MeasurementRecord> measurements);

} // namespace pathmark::night

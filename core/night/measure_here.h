#pragma once

#include "core/catalog/star_store.h"
#include "core/night/records.h"

#include <optional>

namespace pathmark::night {

/// Nearer to each other than so many widths of a star two lights are one to the eye.
constexpr double kItselfFwhm = 0.8;

/// What is at a place that somebody points at.
struct MeasuredHere {
    MeasurementRecord record;          ///< of no body; not seen where nothing stands above 3 sigma
    std::optional<double> limit;       ///< the magnitude that a light of 3 sigma would have there
    std::optional<catalog::Star> star; ///< of the catalogue, that stands there
};

/// Measures the light nearest to a place of a calibrated and solved light as a point, its neighbours of the catalogue taken off.
///
/// Shapes   `store`: null: without neighbours, and no star is named
/// Errors   those of the reader; measure.outside
Result<MeasuredHere>
measureHere(const LightRecord& light, const SkyPos& place, const catalog::StarStore* store);

} // namespace pathmark::night

#pragma once

#include "core/night/records.h"

#include <functional>
#include <set>
#include <vector>

namespace pathmark::night {

/// One light is one body. Where two known bodies were measured at one place of one exposure, which of them it is cannot be told from
/// the orbits: both are parked, with the reason. A candidate whose light mostly is that of known bodies is no news;
/// where a candidate goes a way of its own, what a known body shares with it is parked.
///
/// Shapes   `scaleOf`: arcsec per pixel of the picture of a record.
/// Returns  The candidates that are no news.
std::set<BodyId> parkSharedLight(std::vector<MeasurementRecord>& measurements,
                                 const std::function<double(const MeasurementRecord&)>& scaleOf);

/// Parks what lies in the coma of a comet that was measured in the same exposure, where the coma leaves more than a tenth of the body's
/// light in its core: a slope under a point moves it.
///
/// Model    A coma of 1 / rho that ends at its measured extent.
void parkInComae(std::vector<MeasurementRecord>& measurements,
                 const std::function<double(const MeasurementRecord&)>& scaleOf);

} // namespace pathmark::night

#pragma once

#include "core/measure/picture.h"
#include "core/night/source_records.h"

#include <functional>
#include <span>
#include <vector>

namespace pathmark::night {

/// Those sources of a light that no star of the catalogue is, and that stand there beyond doubt: points, far over the noise. A frame
/// has few.
std::vector<SourceRecord> surelyUncatalogued(std::span<const SourceRecord> sources);

/// Lays lights that no catalogue has beside what is measured, to be fitted along: their wings are no sky.
///
/// Shapes   `sources`: in pixels of the picture; `itselfPixels`: so near to a neighbour that is there already a light is that one;
///          `isOwn`: whether a light there may be what is measured
void addUncatalogued(std::span<const SourceRecord> sources,
                     double itselfPixels,
                     const std::function<bool(const frame::PixelPos&)>& isOwn,
                     std::vector<measure::StarNearby>& neighbours);

} // namespace pathmark::night

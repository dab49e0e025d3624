#pragma once

#include "core/night/records.h"

#include <vector>

namespace pathmark::night {

/// Parks what lies elsewhere than the other measurements of its body have it: a satellite, a star's rest or a hit in its light moves a
/// place by many of its errors, and nothing in that one picture tells.
///
/// Model    Observed minus computed of a body's kept measurements, five at least, is one offset (a median) where it is below five errors,
///          else a line in time, as of an orbit that is off: the median of the slopes of all pairs, and of what is left. Parked is
///          what lies 6 of its errors from them, in both axes together, the errors widened where most of the others scatter by more than theirs.
/// Source   Theil 1950, Proc. K. Ned. Akad. Wet. 53, 386; Sen 1968, J. Am. Stat. Assoc. 63, 1379 (median of slopes).
void parkUnlikeOthers(std::vector<MeasurementRecord>& measurements);

} // namespace pathmark::night

#pragma once

#include "core/sweep/light_maps.h"

namespace pathmark::sweep {

/// Takes out of the maps what stands still while frames follow each other and is larger than a point: rings about bright stars where the seeing
/// was another than in the mean, what saturated stars bleed, the hole that a bright body leaves in the unmoving sky. Two of them on a
/// line look like a body; a body itself does not stand, and is no larger than a point.
///
/// Model    The median, place by place, of eight frames or more that follow each other, in sigmas; connected places beyond 2.5 sigma of
///          a median that are five times as large as a point as high would be, and a width about them, count no more in these frames.
/// Returns  The share of all places that was taken out.
double leaveOutStanding(LightMaps& maps);

} // namespace pathmark::sweep

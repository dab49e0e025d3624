#pragma once

#include "core/measure/growth_curve.h"
#include "core/night/measure_here.h"
#include "core/night/records.h"
#include "desk/plot/plot.h"

#include <vector>

namespace pathmark::desk {

/// On top the light within circles, in per cent of all, with what a point has in them; below the signal-to-noise that such a circle has.
/// Points are picked by their circle.
std::vector<PlotSet> growthSets(const measure::GrowthCurve& curve, double scaleArcsec);

/// What the circle of the best signal-to-noise says, beside the fit, and what its error is made of.
QString growthWords(const measure::GrowthCurve& curve,
                    const night::MeasurementRecord& fitted,
                    double scaleArcsec);

/// What a place is measured as.
QString modelWords(night::HandModel model);

/// What was found at a place that was pointed at.
QString hereWords(const night::MeasuredHere& here);

/// How far one place is from another, which way, with its error, and how fast a body would have gone.
QString separationWords(const night::MeasurementRecord& from, const night::MeasurementRecord& to);

} // namespace pathmark::desk

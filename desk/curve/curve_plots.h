#pragma once

#include "core/night/light_curves.h"
#include "desk/plot/plot.h"

#include <optional>
#include <vector>

// What the light-curve page draws and says, from curves alone.
namespace pathmark::desk {

/// What is seen of the curves at the moment.
struct CurveView {
    int target = -1;                ///< whose curve; -1: none
    int star = -1;                  ///< the star in hand; -1: none
    std::optional<double> foldDays; ///< against the phase of this period; else against time
};

/// The curve of the target on top, that of a star of the field below it. Points of the target are picked by their frame.
std::vector<PlotSet>
curveSets(const night::FieldLights& lights, const night::BandCurves& curves, const CurveView& view);

/// The scatter of every star against its brightness, in powers of ten of a magnitude, and what is expected. Stars are picked by their
/// place in the field.
std::vector<PlotSet> scatterSets(const night::BandCurves& curves);

/// How well each period fits, in per cent of the scatter, over hours; picked by their place.
std::vector<PlotSet> periodSets(const std::vector<measure::TrialPeriod>& trials);

/// What is to be said of a star, and of a curve.
QString starWords(const night::BandCurves& curves, int star);
QString targetWords(const night::TargetCurve& curve);

/// The stars of a field that have a scatter, those that scatter most above what is expected first.
std::vector<int> starsByScatter(const night::BandCurves& curves);

} // namespace pathmark::desk

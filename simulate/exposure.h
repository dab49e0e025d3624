#pragma once

#include "simulate/optics.h"
#include "simulate/painter.h"
#include "simulate/scenario.h"

namespace pathmark::simulate {

/// One exposure of a series: where the telescope looked from its start to its end, and through what.
struct Exposure {
    Utc start;
    Utc middle;
    double seconds = 0.0;
    Optics optics;      ///< at the middle
    Optics opticsFirst; ///< at the start
    Optics opticsLast;  ///< at the end
    double transparency = 1.0;
    Blur blur;
    double pointingRa = 0.0; ///< degrees, as the mount believes
    double pointingDec = 0.0;

    /// Electrons of an object of a magnitude in the series' band, in one exposure of a mono camera.
    [[nodiscard]] double
    electronsOf(const CameraScenario& camera, double magnitude, double colour) const;
};

/// The i-th exposure, from 0, of a series of the scenario.
Exposure exposureOf(const Scenario& scenario, std::size_t series, int i);

/// The camera that a series is taken with.
const CameraScenario& cameraOf(const Scenario& scenario, const SeriesScenario& series);

} // namespace pathmark::simulate

#pragma once

#include "core/night/measure_file.h"

#include <vector>

namespace pathmark::night {

/// Sources of one frame, near the place asked for, that the other one shows elsewhere or not at all, and by how much it shows the
/// others brighter.
struct Shifted {
    std::vector<LightStar> sources;
    double ratio = 1.0;
};

/// Within half a degree of a place.
Shifted shiftedSources(const MeasurableFile& here, const MeasurableFile& there, const SkyPos& near);

} // namespace pathmark::night
